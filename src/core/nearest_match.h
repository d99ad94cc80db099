// Pairs by nearest value within groups.
#pragma once
#include "distance.h"
#include "ordered_rules.h"

namespace ronda::core {

// `both`: what `back` gives and what `ahead` gives, a row once
enum class Look { back, ahead, either, both };
enum class Ties { last, first, all, stop };

struct Nearest {
  bool int64 = false;
  const void* left = nullptr;
  const void* right = nullptr;
  Look look = Look::back;
  Ties ties = Ties::last;
  double within = INFINITY;
  // in its place, for doubles: the least and the greatest right value that is
  // near enough to each left row
  const double* lowest = nullptr;
  const double* highest = nullptr;
  bool equal = true;  // a value at the same point counts
  std::size_t n = 1;  // how many right rows a left row may have (a side)
  bool unlimited() const { return !lowest && std::isinf(within); }
};

// Whether a right value is near enough to that of a left row (from 0 on)
template <class T>
class NearEnough {
 public:
  explicit NearEnough(const Nearest& nearest)
      : within_(as_distance<T>(nearest.within)),
        lowest_(nearest.lowest),
        highest_(nearest.highest) {}
  bool operator()(std::size_t row, T left, T right) const {
    if constexpr (std::is_same_v<T, double>)
      if (lowest_) return right >= lowest_[row] && right <= highest_[row];
    return (right < left ? distance(right, left) : distance(left, right)) <=
           within_;
  }

 private:
  Distance<T> within_;
  const double *lowest_, *highest_;
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
