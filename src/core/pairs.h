// The pairs of two frames, as they are kept: never one by one, always as the
// range of partners that each left row has.
#pragma once
#include <algorithm>
#include <vector>

#include "context.h"
#include "memory.h"
#include "parallel.h"

namespace ronda::core {

// range[i] = 0: left row i has no partner. Without `starts` range[i] is its
// only partner; with it, its partners are partners[starts[range - 1] ..
// starts[range]).
struct PairsView {
  const Row* range = nullptr;
  std::size_t left_rows = 0, right_rows = 0;
  const Row* starts = nullptr;
  const Row* partners = nullptr;
  std::size_t ranges = 0;  // how many ranges there are

  Row partner_count(std::size_t i) const {
    const Row s = range[i];
    return s == 0 ? 0 : starts ? starts[s] - starts[s - 1] : 1;
  }
  // partner number k of row i, from 0 on
  Row partner(std::size_t i, Row k) const {
    return starts ? partners[starts[range[i] - 1] + k] : range[i];
  }
};

struct PairCounts {
  double pairs = 0;
  std::size_t matched_left = 0, matched_right = 0;
  Row most_left = 0;     // the most partners a left row has
  Row most_right = 0;    // the most partners a right row has
  bool on_both = false;  // some left row and some partner of it repeat
};
PairCounts count_pairs(const Context& context, const PairsView& pairs);

// how many left rows have more than one partner
std::size_t count_several(const Context& context, const PairsView& pairs);

// What follows where no left row has more than one partner
PairCounts single_counts(std::size_t matched_left, std::size_t matched_right);

// count_pairs() where no right row is in two ranges: ranges by key.
PairCounts count_disjoint(const Context& context, const PairsView& pairs);

// range[i]: the first (or last) partner of left row i, 0 if there is none
void one_partner(const Context& context, const PairsView& pairs, bool last,
                 Row* range);

// the rows i + 1 of which holds(i) is true
template <class Holds>
Buffer<Row> rows_where(const Context& context, std::size_t n, Holds&& holds) {
  std::vector<std::size_t> starts(chunk_count(context, n) + 1, 0);
  for_chunks(context, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               std::size_t count = 0;
               for (std::size_t i = begin; i < end; ++i) count += holds(i);
               starts[k + 1] = count;
             });
  for (std::size_t k = 1; k < starts.size(); ++k) starts[k] += starts[k - 1];
  Buffer<Row> rows(starts.back());
  for_chunks(context, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               std::size_t at = starts[k];
               for (std::size_t i = begin; i < end; ++i)
                 if (holds(i)) rows[at++] = static_cast<Row>(i + 1);
             });
  return rows;
}

// the right rows without a partner
Buffer<Row> unmatched_right(const Context& context, const PairsView& pairs);

// one flag a right row: 1 if it has a partner
Buffer<std::uint8_t> mark_right(const Context& context, const PairsView& pairs);

// how many left rows point at each range (or right row, without ranges)
Buffer<Row> range_uses(const Context& context, const PairsView& pairs);

// the ranges that give the most pairs, most first; in the order of right rows
// where they give as many. `on_both`: of those alone that repeat on both sides
std::vector<Row> heaviest_ranges(const Context& context, const PairsView& pairs,
                                 std::size_t most, bool on_both);

// Some consecutive lines of a result: `at` is the number of the first one;
// `left` is null where every left row stands once, in order.
struct LineBlock {
  std::size_t at, size;
  const Row* left;
  const Row* right;
};

// The rows of a result, in left order: pairs, and with `keep_unmatched` the
// left rows that have no partner (right row 0).
class Expansion {
 public:
  Expansion(const Context& context, const PairsView& pairs,
            bool keep_unmatched);
  std::size_t size() const { return total_; }
  // every left row stands once, in order
  bool keeps_left() const { return keeps_left_; }
  std::size_t right_rows() const { return pairs_.right_rows; }
  // whether right rows of lines that follow each other mostly lie apart
  bool jumps_about() const;
  void write(Row* left, Row* right) const;
  // calls use(block) for all lines, block by block, on all threads
  template <class Use>
  void for_blocks(Use&& use) const;

 private:
  std::size_t count_lines(std::size_t begin, std::size_t end,
                          bool& every_once) const;
  void write_single(std::size_t begin, std::size_t end, std::size_t at,
                    std::size_t stop, Row* left, Row* right) const;
  // asks for the range of a row some way ahead, and for its rows nearer by
  void prefetch_ranges(std::size_t i, std::size_t end) const {
    const Row* range = pairs_.range;
    if (i + 2 * prefetch_distance < end)
      __builtin_prefetch(&pairs_.starts[range[i + 2 * prefetch_distance]]);
    if (i + prefetch_distance < end && range[i + prefetch_distance]) {
      const Row* stop = &pairs_.starts[range[i + prefetch_distance]];
      __builtin_prefetch(&pairs_.partners[stop[-1]]);
      __builtin_prefetch(&pairs_.partners[std::max(stop[-1], stop[0] - 1)]);
    }
  }
  template <class Use>
  void blocks_of(std::size_t begin, std::size_t end, std::size_t at,
                 Use&& use) const;
  Context context_;
  PairsView pairs_;
  bool keep_unmatched_;
  std::vector<std::size_t> chunk_starts_;
  std::size_t total_ = 0;
  bool keeps_left_ = false;
};

constexpr std::size_t block_lines = 4096;

template <class Use>
void Expansion::for_blocks(Use&& use) const {
  for_chunks(context_, pairs_.left_rows,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               blocks_of(begin, end, chunk_starts_[chunk], use);
             });
}

template <class Use>
void Expansion::blocks_of(std::size_t begin, std::size_t end, std::size_t at,
                          Use&& use) const {
  Row left[block_lines + 1], right[block_lines + 1];
  std::size_t size = 0;
  auto flush = [&] {
    use(LineBlock{at, size, left, right});
    at += size;
    size = 0;
  };
  const Row* starts = pairs_.starts;
  if (!starts && keep_unmatched_) {
    // Every left row appears once: its number is not needed.
    for (std::size_t i = begin; i < end; i += block_lines)
      use(LineBlock{i, std::min(block_lines, end - i), nullptr,
                    pairs_.range + i});
    return;
  }
  if (!starts) {
    for (std::size_t i = begin; i < end; ++i) {
      const Row partner = pairs_.range[i];
      left[size] = static_cast<Row>(i + 1);
      right[size] = partner;
      size += partner != 0;
      if (size == block_lines) flush();
    }
    return flush();
  }
  // A range is copied up to the end of the block at once, not line by line.
  for (std::size_t i = begin; i < end; ++i) {
    prefetch_ranges(i, end);
    const Row s = pairs_.range[i];
    const auto row = static_cast<Row>(i + 1);
    Row k = s ? starts[s - 1] : 0;
    const Row stop = s ? starts[s] : 0;
    if (k == stop && keep_unmatched_) {
      left[size] = row;
      right[size] = 0;
      if (++size == block_lines) flush();
    }
    while (k < stop) {
      const Row some = std::min(stop - k, static_cast<Row>(block_lines - size));
      for (Row j = 0; j < some; ++j) {
        left[size + j] = row;
        right[size + j] = pairs_.partners[k + j];
      }
      k += some;
      size += some;
      if (size == block_lines) flush();
    }
  }
  flush();
}

}  // namespace ronda::core
