// Ordered rules as the engine sees them: comparisons `left op right` between a
// number of the left row and a number of the right row, all of which must
// hold. An interval rule is two comparisons, a window is two, `<` is one.
#pragma once
#include <cmath>
#include <cstdint>
#include <vector>

#include "context.h"

namespace ronda::core {

enum class Compare { less, less_equal, greater, greater_equal, unequal, equal };

struct Comparison {
  Compare op = Compare::less;
  bool int64 = false;  // the numbers are 64-bit integers, not doubles
  bool end = false;    // an interval's end: tell values that lie on it
  const void* left = nullptr;
  const void* right = nullptr;

  template <class T>
  const T* left_as() const {
    return static_cast<const T*>(left);
  }
  template <class T>
  const T* right_as() const {
    return static_cast<const T*>(right);
  }
};

inline bool is_missing(double value) { return value != value; }
inline bool is_missing(std::int64_t value) { return value == INT64_MIN; }

enum class Outcome { no, on_end, yes };

template <class T>
Outcome compare(T left, T right, const Comparison& rule) {
  if (is_missing(left) || is_missing(right)) return Outcome::no;
  const bool equal = left == right;
  switch (rule.op) {
    case Compare::less:
      return left < right        ? Outcome::yes
             : equal && rule.end ? Outcome::on_end
                                 : Outcome::no;
    case Compare::greater:
      return left > right        ? Outcome::yes
             : equal && rule.end ? Outcome::on_end
                                 : Outcome::no;
    case Compare::less_equal:
      return left <= right ? Outcome::yes : Outcome::no;
    case Compare::greater_equal:
      return left >= right ? Outcome::yes : Outcome::no;
    case Compare::unequal:
      return equal ? Outcome::no : Outcome::yes;
    case Compare::equal:
      return equal ? Outcome::yes : Outcome::no;
  }
  return Outcome::no;
}

// Whether all comparisons hold for two rows (0-based); `on_end` when they
// would, if the interval's ends belonged to it.
inline Outcome compare_rows(const std::vector<Comparison>& rules,
                            std::size_t left, std::size_t right) {
  Outcome all = Outcome::yes;
  for (const Comparison& rule : rules) {
    const Outcome one =
        rule.int64 ? compare(rule.left_as<std::int64_t>()[left],
                             rule.right_as<std::int64_t>()[right], rule)
                   : compare(rule.left_as<double>()[left],
                             rule.right_as<double>()[right], rule);
    if (one == Outcome::no) return one;
    if (one == Outcome::on_end) all = one;
  }
  return all;
}

// Right rows by group: those of group s stand at starts[s - 1] .. starts[s] of
// `rows`, ascending; group[i] is that of left row i, 0 for none.
struct Groups {
  const Row* group = nullptr;
  std::size_t left_rows = 0, right_rows = 0;
  const Row* starts = nullptr;
  const Row* rows = nullptr;
  std::size_t groups = 0;
};

struct PairList {
  std::vector<Row> counts;  // partners of each left row that was searched
  std::vector<Row> rows;    // the partners, in left order, then right order
  double pairs = 0;         // beyond the limit: how far the counting came
  std::size_t on_end = 0;   // left rows that only an excluded end keeps alone
};

}  // namespace ronda::core
