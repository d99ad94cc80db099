#include "fold.h"

#include <cmath>
#include <cstring>

#include "gather.h"

namespace ronda::core {

namespace {

// the payload that tells R's NA from other NaNs
constexpr std::uint32_t missing_payload = 1954;

std::uint64_t bits_of(double value) {
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  return bits;
}

}  // namespace

double missing_double() {
  const std::uint64_t bits = 0x7FF0000000000000u | missing_payload;
  double value;
  std::memcpy(&value, &bits, sizeof value);
  return value;
}

bool is_missing_double(double value) {
  return value != value &&
         static_cast<std::uint32_t>(bits_of(value)) == missing_payload;
}

namespace {

bool is_blank(double value) { return value != value; }
bool is_blank(std::int32_t value) { return value == missing_int; }

double sum_of(const double* x, std::size_t n, bool drop_missing) {
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

// (the second pass takes off what the first was rounded by)
double mean_of(const double* x, std::size_t n, bool drop_missing) {
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

// what a left row without partners has
void set_alone(const FoldJob& job, std::size_t i) {
  const auto as_int = [&](std::int32_t value) {
    static_cast<std::int32_t*>(job.out)[i] = value;
  };
  switch (job.by) {
    case FoldBy::rows:
    case FoldBy::distinct:
    case FoldBy::first:  // (a row number: none)
    case FoldBy::last:
      return as_int(0);
    case FoldBy::any:
    case FoldBy::all:
      return as_int(missing_int);
    case FoldBy::sum:
      if (job.type == FoldType::int32) return as_int(missing_int);
      break;
    default:
      break;
  }
  static_cast<double*>(job.out)[i] = missing_double();
}

}  // namespace

Folder::Folder(const FoldJobs& jobs) : jobs_(jobs), seen_(jobs.size()) {
  for (std::size_t k = 0; k < jobs.size(); ++k)
    if (jobs[k]->by == FoldBy::distinct) seen_[k].assign(jobs[k]->codes, 0);
}

// The column's values for all rows that wait; jobs on one column follow each
// other, so that each value is fetched once.
void Folder::fetch(const FoldJob& job) {
  if (job.type == FoldType::none || job.values == fetched_) return;
  fetched_ = job.values;
  if (job.type == FoldType::real) {
    reals_.resize(rows_.size());
    gather_rows(static_cast<const double*>(job.values), rows_.data(),
                rows_.size(), 0.0, reals_.data());
  } else {
    ints_.resize(rows_.size());
    gather_rows(static_cast<const std::int32_t*>(job.values), rows_.data(),
                rows_.size(), std::int32_t{0}, ints_.data());
  }
}

void Folder::fold(FoldJob& job, std::size_t number, const End& end,
                  std::size_t begin) {
  const std::size_t n = end.stop - begin, i = end.left;
  if (n == 0) return set_alone(job, i);
  auto* ints = static_cast<std::int32_t*>(job.out);
  auto* reals = static_cast<double*>(job.out);
  const bool real = job.type == FoldType::real;
  const double* x = reals_.data() + begin;
  const std::int32_t* m = ints_.data() + begin;
  const bool drop = job.drop_missing;
  switch (job.by) {
    case FoldBy::rows:
      ints[i] = static_cast<std::int32_t>(n);
      break;
    case FoldBy::first:
      ints[i] = rows_[begin];
      break;
    case FoldBy::last:
      ints[i] = rows_[end.stop - 1];
      break;
    case FoldBy::sum:
      if (real)
        reals[i] = sum_of(x, n, drop);
      else
        ints[i] = sum_of(m, n, drop, job.too_large);
      break;
    case FoldBy::mean:
      reals[i] = real ? mean_of(x, n, drop) : mean_of(m, n, drop);
      break;
    case FoldBy::min:
    case FoldBy::max: {
      const bool most = job.by == FoldBy::max;
      reals[i] = real ? end_of(x, n, most, drop, job.no_value)
                      : end_of(m, n, most, drop, job.no_value);
      break;
    }
    case FoldBy::any:
    case FoldBy::all:
      ints[i] = flag_of(m, n, job.by == FoldBy::any, drop);
      break;
    case FoldBy::distinct:
      ints[i] = distinct_of(m, n, i, seen_[number]);
      break;
  }
}

void Folder::flush() {
  fetched_ = nullptr;
  for (std::size_t number = 0; number < jobs_.size(); ++number) {
    FoldJob& job = *jobs_[number];
    fetch(job);
    std::size_t begin = 0;
    for (const End& end : ends_) {
      fold(job, number, end, begin);
      begin = end.stop;
    }
  }
  rows_.clear();
  ends_.clear();
}

namespace {

// the partners of range s (from 1 on)
void add_range(const PairsView& pairs, Row s, std::vector<Row>& rows) {
  if (s == 0) return;
  if (!pairs.starts) return rows.push_back(s);
  rows.insert(rows.end(), pairs.partners + pairs.starts[s - 1],
              pairs.partners + pairs.starts[s]);
}

void fold_each(const Context& context, const PairsView& pairs,
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
          add_range(pairs, range[i], folder.rows());
          folder.close(i);
        }
        folder.flush();
      });
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

void fold_pairs(const Context& context, const PairsView& pairs, bool by_range,
                const FoldJobs& jobs) {
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
  // (the first one, of no partners, is what left rows without any have)
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
}

}  // namespace ronda::core
