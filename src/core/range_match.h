// Pairs by ordered rules other than nearest: ranges, windows, comparisons.
#pragma once
#include "fold.h"
#include "ordered_rules.h"

namespace ronda::core {

// How many partners each left row has; of right rows only whether it is none,
// one, or more (0, 1, 2)
struct FoldedRanges {
  std::vector<Row> partners;
  std::vector<std::uint8_t> uses;
  std::size_t on_end = 0;
};

// The right rows made ready once, to be searched whole or block by block. It
// reads the arrays it was made from as long as it lives.
class RangeSearch {
 public:
  virtual ~RangeSearch() = default;
  // All pairs; beyond `limit` only `pairs` is set, to what was counted so far.
  virtual PairList all(const Context& context, double limit) const = 0;
  // The pairs of left rows from `from` (0-based) on, until there are `most`
  virtual PairList block(const Context& context, std::size_t from,
                         double most) const = 0;
  // What the jobs make of the partners of each left row; no pair is kept.
  virtual FoldedRanges fold(const Context& context,
                            const FoldJobs& jobs) const = 0;
  // `skip_left` and `skip_right` (may be null) flag rows that pair with
  // nothing.
  static RangeSearch* make(const Context& context, const Groups& groups,
                           const std::vector<Comparison>& rules,
                           const std::uint8_t* skip_left,
                           const std::uint8_t* skip_right);
};

}  // namespace ronda::core
