#include "pairs.h"

#include <algorithm>

#include "shares.h"

namespace ronda::core {

Buffer<Row> range_uses(const Context& context, const PairsView& pairs) {
  Buffer<Row> uses(pairs.starts ? pairs.ranges : pairs.right_rows, Start::zero);
  for_shares(
      context, pairs.left_rows, uses.size(),
      [&](std::size_t i) {
        return static_cast<std::size_t>(pairs.range[i]) - 1;
      },
      [&](std::size_t at) { __builtin_prefetch(&uses[at], 1); },
      [&](std::size_t at, std::size_t) { ++uses[at]; });
  return uses;
}

namespace {

// Threads may set the same flag at once: always to the same value. (One that is
// set is not written again: where right rows are few, each write would take
// them from the other threads' caches.)
Buffer<std::uint8_t> mark_ranges(const Context& context,
                                 const PairsView& pairs) {
  Buffer<std::uint8_t> marks(pairs.starts ? pairs.ranges : pairs.right_rows,
                             Start::zero);
  for_chunks(
      context, pairs.left_rows,
      [&](std::size_t, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
          if (pairs.range[i] &&
              !__atomic_load_n(&marks[pairs.range[i] - 1], __ATOMIC_RELAXED))
            __atomic_store_n(&marks[pairs.range[i] - 1], 1, __ATOMIC_RELAXED);
      });
  return marks;
}

// Partners that ascend with the left rows, as in frames that are in one order,
// are counted by where they change.
struct Ascent {
  std::size_t matched = 0, changes = 0;
  Row first = 0, last = 0;  // 0: none has a partner
  bool ascends = true;
};

Ascent ascent_of(const Row* range, std::size_t begin, std::size_t end) {
  Ascent ascent;
  for (std::size_t i = begin; i < end && ascent.ascends; ++i) {
    const Row row = range[i];
    if (row == 0) continue;
    ++ascent.matched;
    if (ascent.first == 0) ascent.first = row;
    ascent.ascends = row >= ascent.last;
    ascent.changes += row != ascent.last;
    ascent.last = row;
  }
  return ascent;
}

bool count_ascending(const Context& context, const PairsView& pairs,
                     PairCounts& counts) {
  std::vector<Ascent> parts(chunk_count(context, pairs.left_rows));
  std::atomic<bool> ascends{true};
  for_chunks(context, pairs.left_rows,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               if (!ascends) return;
               parts[chunk] = ascent_of(pairs.range, begin, end);
               if (!parts[chunk].ascends) ascends = false;
             });
  Ascent all;
  for (const Ascent& part : parts) {
    if (part.first == 0) continue;
    if (part.first < all.last) ascends = false;
    all.matched += part.matched;
    all.changes += part.changes - (part.first == all.last);
    all.last = part.last;
  }
  if (ascends) counts = single_counts(all.matched, all.changes);
  return ascends;
}

PairCounts count_single(const Context& context, const PairsView& pairs) {
  PairCounts counts;
  if (count_ascending(context, pairs, counts)) return counts;
  const Buffer<std::uint8_t> marks = mark_ranges(context, pairs);
  return single_counts(
      count_rows(context, pairs.left_rows,
                 [&](std::size_t i) { return pairs.range[i] != 0; }),
      count_rows(context, marks.size(),
                 [&](std::size_t i) { return marks[i] != 0; }));
}

}  // namespace

PairCounts single_counts(std::size_t matched_left, std::size_t matched_right) {
  PairCounts counts;
  counts.pairs = static_cast<double>(matched_left);
  counts.matched_left = matched_left;
  counts.matched_right = matched_right;
  counts.most_left = matched_left > 0;
  // more than one only says that some right row is taken more than once
  counts.most_right = matched_left > matched_right ? 2 : counts.most_left;
  return counts;
}

PairCounts count_pairs(const Context& context, const PairsView& pairs) {
  if (!pairs.starts) return count_single(context, pairs);
  PairCounts counts;
  const Buffer<Row> uses = range_uses(context, pairs);
  Buffer<Row> taken(pairs.right_rows, Start::zero);
  for (std::size_t s = 0; s < pairs.ranges; ++s) {
    const Row size = pairs.starts[s + 1] - pairs.starts[s];
    if (uses[s] == 0 || size == 0) continue;
    counts.pairs += static_cast<double>(uses[s]) * size;
    counts.matched_left += uses[s];
    counts.most_left = std::max(counts.most_left, size);
    for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
      taken[pairs.partners[k] - 1] += uses[s];
  }
  for (Row count : taken) {
    counts.matched_right += count > 0;
    counts.most_right = std::max(counts.most_right, count);
  }
  for (std::size_t s = 0; s < pairs.ranges && !counts.on_both; ++s)
    if (uses[s] && pairs.starts[s + 1] - pairs.starts[s] > 1)
      for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
        counts.on_both |= taken[pairs.partners[k] - 1] > 1;
  return counts;
}

PairCounts count_disjoint(const Context& context, const PairsView& pairs) {
  if (!pairs.starts) return count_single(context, pairs);
  const Buffer<Row> uses = range_uses(context, pairs);
  std::vector<PairCounts> parts(chunk_count(context, pairs.ranges));
  for_chunks(context, pairs.ranges,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               PairCounts counts;
               for (std::size_t s = begin; s < end; ++s) {
                 const Row size = pairs.starts[s + 1] - pairs.starts[s];
                 if (uses[s] == 0 || size == 0) continue;
                 counts.pairs += static_cast<double>(uses[s]) * size;
                 counts.matched_left += static_cast<std::size_t>(uses[s]);
                 counts.matched_right += static_cast<std::size_t>(size);
                 counts.most_left = std::max(counts.most_left, size);
                 counts.most_right = std::max(counts.most_right, uses[s]);
                 counts.on_both |= size > 1 && uses[s] > 1;
               }
               parts[chunk] = counts;
             });
  PairCounts all;
  for (const PairCounts& counts : parts) {
    all.pairs += counts.pairs;
    all.matched_left += counts.matched_left;
    all.matched_right += counts.matched_right;
    all.most_left = std::max(all.most_left, counts.most_left);
    all.most_right = std::max(all.most_right, counts.most_right);
    all.on_both |= counts.on_both;
  }
  return all;
}

std::size_t count_several(const Context& context, const PairsView& pairs) {
  return count_rows(context, pairs.left_rows,
                    [&](std::size_t i) { return pairs.partner_count(i) > 1; });
}

void one_partner(const Context& context, const PairsView& pairs, bool last,
                 Row* range) {
  for_rows(context, pairs.left_rows, [&](std::size_t i) {
    const Row n = pairs.partner_count(i);
    range[i] = n == 0 ? 0 : pairs.partner(i, last ? n - 1 : 0);
  });
}

Buffer<std::uint8_t> mark_right(const Context& context,
                                const PairsView& pairs) {
  Buffer<std::uint8_t> ranges = mark_ranges(context, pairs);
  if (!pairs.starts) return ranges;
  Buffer<std::uint8_t> marks(pairs.right_rows, Start::zero);
  for (std::size_t s = 0; s < ranges.size(); ++s)
    if (ranges[s])
      for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
        marks[pairs.partners[k] - 1] = 1;
  return marks;
}

Buffer<Row> unmatched_right(const Context& context, const PairsView& pairs) {
  const Buffer<std::uint8_t> marks = mark_right(context, pairs);
  return rows_where(context, marks.size(),
                    [&](std::size_t i) { return marks[i] == 0; });
}

std::vector<Row> heaviest_ranges(const Context& context, const PairsView& pairs,
                                 std::size_t most, bool on_both) {
  const Buffer<Row> uses = range_uses(context, pairs);
  auto size = [&](Row range) {
    return pairs.starts ? pairs.starts[range] - pairs.starts[range - 1] : 1;
  };
  auto weight = [&](Row range) {
    return static_cast<double>(size(range)) * uses[range - 1];
  };
  auto first_row = [&](Row range) {
    return pairs.starts ? pairs.partners[pairs.starts[range - 1]] : range;
  };
  std::vector<Row> ranges;
  for (std::size_t s = 0; s < uses.size(); ++s) {
    const Row range = static_cast<Row>(s + 1);
    if (on_both ? uses[s] > 1 && size(range) > 1 : weight(range) > 0)
      ranges.push_back(range);
  }
  most = std::min(most, ranges.size());
  std::partial_sort(ranges.begin(),
                    ranges.begin() + static_cast<std::ptrdiff_t>(most),
                    ranges.end(), [&](Row a, Row b) {
                      const double x = weight(a), y = weight(b);
                      if (x != y) return x > y;
                      const Row p = first_row(a), q = first_row(b);
                      return p < q || (p == q && a < b);
                    });
  ranges.resize(most);
  return ranges;
}

namespace {

// Rows with many partners make long chunks: those are cut finer.
Context chunks_of_lines(Context context, const PairsView& pairs) {
  if (pairs.starts)
    context.chunk_rows = std::min<std::size_t>(context.chunk_rows, 4096);
  return context;
}

}  // namespace

Expansion::Expansion(const Context& context, const PairsView& pairs,
                     bool keep_unmatched)
    : context_(chunks_of_lines(context, pairs)),
      pairs_(pairs),
      keep_unmatched_(keep_unmatched) {
  const std::size_t n = pairs.left_rows;
  std::vector<std::size_t> sizes(chunk_count(context_, n), 0);
  std::atomic<bool> once{true};
  for_chunks(context_, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               bool every_once = true;
               sizes[k] = count_lines(begin, end, every_once);
               if (!every_once) once = false;
             });
  for (std::size_t size : sizes) {
    chunk_starts_.push_back(total_);
    total_ += size;
  }
  keeps_left_ = once;
}

// judged by some left rows, evenly spread, and the next one of each
bool Expansion::jumps_about() const {
  constexpr std::size_t samples = 1024;
  constexpr Row apart = 16;  // rows: two cache lines of numbers
  const std::size_t n = pairs_.left_rows;
  auto first_partner = [&](std::size_t i) {
    return pairs_.partner_count(i) == 0 ? 0 : pairs_.partner(i, 0);
  };
  std::size_t jumps = 0, steps = 0;
  for (std::size_t i = 0; i + 1 < n; i += n / samples + 1) {
    const Row a = first_partner(i), b = first_partner(i + 1);
    if (a == 0 || b == 0) continue;
    ++steps;
    jumps += a - b > apart || b - a > apart;
  }
  return 2 * jumps > steps;
}

std::size_t Expansion::count_lines(std::size_t begin, std::size_t end,
                                   bool& every_once) const {
  if (!pairs_.starts) {
    if (keep_unmatched_) return end - begin;
    const auto alone =
        std::count(pairs_.range + begin, pairs_.range + end, Row{0});
    const std::size_t lines = end - begin - static_cast<std::size_t>(alone);
    every_once = alone == 0;
    return lines;
  }
  std::size_t total = 0;
  for (std::size_t i = begin; i < end; ++i) {
    prefetch_ranges(i, end);
    std::size_t lines = static_cast<std::size_t>(pairs_.partner_count(i));
    if (lines == 0 && keep_unmatched_) lines = 1;
    every_once = every_once && lines == 1;
    total += lines;
  }
  return total;
}

void Expansion::write(Row* left, Row* right) const {
  if (pairs_.starts)
    return for_blocks([&](const LineBlock& block) {
      if (left) std::copy_n(block.left, block.size, left + block.at);
      std::copy_n(block.right, block.size, right + block.at);
    });
  for_chunks(context_, pairs_.left_rows,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               const std::size_t at = chunk_starts_[chunk];
               const std::size_t stop = chunk + 1 < chunk_starts_.size()
                                            ? chunk_starts_[chunk + 1]
                                            : total_;
               write_single(begin, end, at, stop, left, right);
             });
}

// Whether a row has a partner can't be foreseen, so there is no branch on it: a
// row without is written over by the next one. When the last line of the chunk
// stands, the rest has no partner.
void Expansion::write_single(std::size_t begin, std::size_t end, std::size_t at,
                             std::size_t stop, Row* left, Row* right) const {
  const Row* range = pairs_.range;
  std::size_t i = begin;
  auto write = [&](auto&& put) {
    for (; i < end && at < stop; ++i) {
      put(static_cast<Row>(i + 1), range[i]);
      at += range[i] != 0 || keep_unmatched_;
    }
  };
  if (left)
    write([&](Row row, Row partner) {
      left[at] = row;
      right[at] = partner;
    });
  else
    write([&](Row, Row partner) { right[at] = partner; });
}

}  // namespace ronda::core
