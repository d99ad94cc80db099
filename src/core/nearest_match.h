// Pairs by nearest value within groups.
#pragma once
#include "ordered_rules.h"

namespace ronda::core {

enum class Look { back, ahead, either };
enum class Ties { last, first, all, stop };

struct Nearest {
  bool int64 = false;
  const void* left = nullptr;
  const void* right = nullptr;
  Look look = Look::back;
  Ties ties = Ties::last;
  double within = INFINITY;
  bool equal = true;  // a value at the same point counts
  std::size_t n = 1;  // how many right rows a left row may have
};

struct NearestPairs {
  std::vector<Row> partner_of;  // the one partner of each left row, or
  PairList list;                // where ties bring several: all of them
  // left rows that more right rows at one point wait for than are wanted
  std::vector<Row> tied;
  // right rows that were near enough to some left row, chosen or not; -1 where
  // other rules decide too and it is not known
  double candidates = -1;
  std::vector<std::uint8_t> near;  // which these are, if that was asked
  bool too_many = false;  // more than the limit; `list` is of no use then
};

NearestPairs match_nearest(const Context& context, const Groups& groups,
                           const Nearest& nearest,
                           const std::vector<Comparison>& rules,
                           const std::uint8_t* skip_left,
                           const std::uint8_t* skip_right, double limit,
                           bool mark_near = false);

}  // namespace ronda::core
