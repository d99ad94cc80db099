#include "fold.h"

#include <cmath>
#include <cstring>

#include "gather.h"

namespace ronda::core {

namespace {

bool is_blank(double value) { return value != value; }
bool is_blank(std::int32_t value) { return value == missing_int; }

double sum_of(const double* x, std::size_t n, bool drop_missing) {
  if (n == 1 && !is_blank(x[0])) return x[0] + 0.0;  // (-0 is 0)
  long double sum = 0;
  if (drop_missing) {
    for (std::size_t k = 0; k < n; ++k)
      if (!is_blank(x[k])) sum += x[k];
  } else {
    for (std::size_t k = 0; k < n; ++k) sum += x[k];
  }
  constexpr double most = std::numeric_limits<double>::max();
  if (sum > most) return INFINITY;
  if (sum < -most) return -INFINITY;
  return static_cast<double>(sum);
}

std::int32_t sum_of(const std::int32_t* x, std::size_t n, bool drop_missing,
                    std::atomic<std::size_t>& too_large) {
  std::int64_t sum = 0;
  for (std::size_t k = 0; k < n; ++k) {
    if (!is_blank(x[k]))
      sum += x[k];
    else if (!drop_missing)
      return missing_int;
  }
  constexpr std::int64_t most = std::numeric_limits<std::int32_t>::max();
  if (sum <= most && sum >= -most) return static_cast<std::int32_t>(sum);
  ++too_large;
  return missing_int;
}

// The second pass corrects the rounding of the first.
double mean_of(const double* x, std::size_t n, bool drop_missing) {
  if (n == 1 && !is_blank(x[0])) return x[0] + 0.0;
  long double sum = 0;
  std::size_t count = 0;
  for (std::size_t k = 0; k < n; ++k)
    if (!drop_missing || !is_blank(x[k])) {
      sum += x[k];
      ++count;
    }
  long double mean = sum / static_cast<long double>(count);
  if (std::isfinite(static_cast<double>(mean))) {
    long double off = 0;
    for (std::size_t k = 0; k < n; ++k)
      if (!drop_missing || !is_blank(x[k])) off += x[k] - mean;
    mean += off / static_cast<long double>(count);
  }
  return static_cast<double>(mean);
}

double mean_of(const std::int32_t* x, std::size_t n, bool drop_missing) {
  long double sum = 0;
  std::size_t count = 0;
  for (std::size_t k = 0; k < n; ++k) {
    if (!is_blank(x[k])) {
      sum += x[k];
      ++count;
    } else if (!drop_missing) {
      return missing_double();
    }
  }
  return static_cast<double>(sum / static_cast<long double>(count));
}

// The least value, or with `most` the greatest. Of missing ones NA goes before
// NaN; where none is left it is infinite.
double end_of(const double* x, std::size_t n, bool most, bool drop_missing,
              std::atomic<std::size_t>& no_value) {
  double best = 0;
  bool found = false;
  for (std::size_t k = 0; k < n; ++k) {
    if (is_blank(x[k])) {
      if (drop_missing) continue;
      if (!is_missing_double(best)) best = x[k];
      found = true;
    } else if (!found || (most ? x[k] > best : x[k] < best)) {
      best = x[k];
      found = true;
    }
  }
  if (found) return best;
  ++no_value;
  return most ? -INFINITY : INFINITY;
}

double end_of(const std::int32_t* x, std::size_t n, bool most,
              bool drop_missing, std::atomic<std::size_t>& no_value) {
  std::int32_t best = missing_int;
  for (std::size_t k = 0; k < n; ++k) {
    if (is_blank(x[k])) {
      if (!drop_missing) return missing_double();
    } else if (is_blank(best) || (most ? x[k] > best : x[k] < best)) {
      best = x[k];
    }
  }
  if (!is_blank(best)) return best;
  ++no_value;
  return most ? -INFINITY : INFINITY;
}

// any() looks for TRUE, all() for FALSE; what is missing leaves it open
std::int32_t flag_of(const std::int32_t* x, std::size_t n, bool any,
                     bool drop_missing) {
  bool open = false;
  for (std::size_t k = 0; k < n; ++k) {
    if (is_blank(x[k]))
      open = true;
    else if ((x[k] != 0) == any)
      return any;
  }
  return open && !drop_missing ? missing_int : !any;
}

std::int32_t distinct_of(const std::int32_t* codes, std::size_t n,
                         std::size_t left, std::vector<std::size_t>& seen) {
  std::int32_t count = 0;
  for (std::size_t k = 0; k < n; ++k) {
    std::size_t& last = seen[static_cast<std::size_t>(codes[k])];
    count += last != left + 1;
    last = left + 1;
  }
  return count;
}

}  // namespace

Folder::Folder(const FoldJobs& jobs) : jobs_(jobs), seen_(jobs.size()) {
  for (std::size_t k = 0; k < jobs.size(); ++k)
    if (jobs[k]->by == FoldBy::distinct) seen_[k].assign(jobs[k]->codes, 0);
}

// Jobs on one column follow each other, so that each value is fetched once.
Folder::Values Folder::fetch(const FoldJob& job) {
  Values values;
  if (job.type == FoldType::real) {
    if (job.values != fetched_) {
      reals_.resize(std::max(reals_.size(), size_));
      gather_rows(static_cast<const double*>(job.values), rows_.data(), size_,
                  0.0, reals_.data());
    }
    values.real = reals_.data();
  } else if (job.type == FoldType::int32) {
    if (job.values != fetched_) {
      ints_.resize(std::max(ints_.size(), size_));
      gather_rows(static_cast<const std::int32_t*>(job.values), rows_.data(),
                  size_, std::int32_t{0}, ints_.data());
    }
    values.int32 = ints_.data();
  }
  if (job.values) fetched_ = job.values;
  return values;
}

template <class Each>
void Folder::run(FoldJob& job, std::size_t number, const Values& values,
                 const Row* rows, Each&& each) {
  auto* ints = static_cast<std::int32_t*>(job.out);
  auto* reals = static_cast<double*>(job.out);
  const double* x = values.real;
  const std::int32_t* m = values.int32;
  const bool real = job.type == FoldType::real;
  const bool drop = job.drop_missing;
  // what a left row without partners has comes first
  auto put_ints = [&](std::int32_t none, auto&& make) {
    each([&](std::size_t i, std::size_t begin, std::size_t n) {
      ints[i] = n ? make(i, begin, n) : none;
    });
  };
  auto put_reals = [&](auto&& make) {
    const double none = missing_double();
    each([&](std::size_t i, std::size_t begin, std::size_t n) {
      reals[i] = n ? make(begin, n) : none;
    });
  };
  using Size = std::size_t;
  switch (job.by) {
    case FoldBy::rows:
      return put_ints(
          0, [](Size, Size, Size n) { return static_cast<std::int32_t>(n); });
    case FoldBy::first:
      return put_ints(0, [&](Size, Size begin, Size) { return rows[begin]; });
    case FoldBy::last:
      return put_ints(
          0, [&](Size, Size begin, Size n) { return rows[begin + n - 1]; });
    case FoldBy::sum:
      if (real)
        return put_reals(
            [&](Size begin, Size n) { return sum_of(x + begin, n, drop); });
      return put_ints(missing_int, [&](Size, Size begin, Size n) {
        return sum_of(m + begin, n, drop, job.too_large);
      });
    case FoldBy::mean:
      return put_reals([&](Size begin, Size n) {
        return real ? mean_of(x + begin, n, drop) : mean_of(m + begin, n, drop);
      });
    case FoldBy::min:
    case FoldBy::max: {
      const bool most = job.by == FoldBy::max;
      return put_reals([&](Size begin, Size n) {
        return real ? end_of(x + begin, n, most, drop, job.no_value)
                    : end_of(m + begin, n, most, drop, job.no_value);
      });
    }
    case FoldBy::any:
    case FoldBy::all:
      return put_ints(missing_int, [&](Size, Size begin, Size n) {
        return flag_of(m + begin, n, job.by == FoldBy::any, drop);
      });
    case FoldBy::distinct:
      return put_ints(0, [&](Size i, Size begin, Size n) {
        return distinct_of(m + begin, n, i, seen_[number]);
      });
  }
}

void Folder::flush() {
  fetched_ = nullptr;
  for (std::size_t number = 0; number < jobs_.size(); ++number) {
    FoldJob& job = *jobs_[number];
    run(job, number, fetch(job), rows_.data(), [&](auto&& use) {
      std::size_t begin = 0;
      for (const End& end : ends_) {
        use(end.left, begin, end.stop - begin);
        begin = end.stop;
      }
    });
  }
  size_ = begun_ = 0;
  ends_.clear();
}

void Folder::span(std::size_t i, std::size_t first, std::size_t n) {
  for (std::size_t number = 0; number < jobs_.size(); ++number) {
    FoldJob& job = *jobs_[number];
    if (job.by == FoldBy::first || job.by == FoldBy::last) {
      static_cast<std::int32_t*>(job.out)[i] =
          static_cast<std::int32_t>(n == 0                    ? 0
                                    : job.by == FoldBy::first ? first + 1
                                                              : first + n);
      continue;
    }
    Values values;
    if (job.type == FoldType::real)
      values.real = static_cast<const double*>(job.values);
    if (job.type == FoldType::int32)
      values.int32 = static_cast<const std::int32_t*>(job.values);
    run(job, number, values, nullptr, [&](auto&& use) { use(i, first, n); });
  }
}

namespace {

// the partners of range s (from 1 on)
void add_range(const PairsView& pairs, const Row& s, Folder& folder) {
  if (s == 0) return;
  if (!pairs.starts) return folder.add(&s, 1);
  const Row begin = pairs.starts[s - 1];
  folder.add(pairs.partners + begin,
             static_cast<std::size_t>(pairs.starts[s] - begin));
}

// how many left rows have several partners
std::size_t fold_each(const Context& context, const PairsView& pairs,
                      const FoldJobs& jobs) {
  std::vector<Folder> folders = make_folders(context, jobs);
  for_chunks_by_hand(
      context, pairs.left_rows,
      [&](std::size_t, std::size_t begin, std::size_t end, Crew::Hand& hand) {
        Folder& folder = folders[hand.number()];
        const Row* range = pairs.range;
        for (std::size_t i = begin; i < end; ++i) {
          if (pairs.starts && i + 2 * prefetch_distance < end)
            __builtin_prefetch(&pairs.starts[range[i + 2 * prefetch_distance]]);
          if (pairs.starts && i + prefetch_distance < end &&
              range[i + prefetch_distance])
            __builtin_prefetch(
                &pairs
                     .partners[pairs.starts[range[i + prefetch_distance] - 1]]);
          add_range(pairs, range[i], folder);
          folder.close(i);
        }
        folder.flush();
      });
  std::size_t several = 0;
  for (const Folder& folder : folders) several += folder.several();
  return several;
}

bool gives_ints(const FoldJob& job) {
  switch (job.by) {
    case FoldBy::mean:
    case FoldBy::min:
    case FoldBy::max:
      return false;
    case FoldBy::sum:
      return job.type == FoldType::int32;
    default:
      return true;
  }
}

}  // namespace

std::vector<Folder> make_folders(const Context& context, const FoldJobs& jobs) {
  std::vector<Folder> folders;
  for (int k = 0; k < std::max(1, context.threads); ++k)
    folders.emplace_back(jobs);
  return folders;
}

std::size_t fold_pairs(const Context& context, const PairsView& pairs,
                       bool by_range, const FoldJobs& jobs) {
  if (!by_range || !pairs.starts) return fold_each(context, pairs, jobs);
  const std::size_t ranges = pairs.ranges;
  Buffer<Row> every(ranges + 1);
  for (std::size_t s = 0; s <= ranges; ++s) every[s] = static_cast<Row>(s);
  std::vector<Buffer<double>> held;
  std::vector<void*> outs;
  for (FoldJob* job : jobs) {
    held.emplace_back(ranges + 1);
    outs.push_back(job->out);
    job->out = held.back().data();
  }
  // The first range is empty: left rows without partners have it.
  PairsView of_ranges = pairs;
  of_ranges.range = every.data();
  of_ranges.left_rows = ranges + 1;
  fold_each(context, of_ranges, jobs);
  for (std::size_t k = 0; k < jobs.size(); ++k) {
    jobs[k]->out = outs[k];
    for_rows(context, pairs.left_rows, [&](std::size_t i) {
      const auto s = static_cast<std::size_t>(pairs.range[i]);
      if (gives_ints(*jobs[k]))
        static_cast<std::int32_t*>(outs[k])[i] =
            reinterpret_cast<const std::int32_t*>(held[k].data())[s];
      else
        static_cast<double*>(outs[k])[i] = held[k][s];
    });
  }
  return count_several(context, pairs);
}

}  // namespace ronda::core
