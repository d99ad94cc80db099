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
};

struct NearestPairs {
  std::vector<Row> partner_of;  // the one partner of each left row, or
  PairList list;                // where ties bring several: all of them
  std::vector<Row> tied;  // left rows with several right rows at the point
  // right rows that were near enough to some left row, chosen or not; -1 where
  // other rules decide too and it is not known
  double candidates = -1;
};

NearestPairs match_nearest(const Context& context, const Groups& groups,
                           const Nearest& nearest,
                           const std::vector<Comparison>& rules,
                           const std::uint8_t* skip_left,
                           const std::uint8_t* skip_right);

// How a right row stands to a left row, each pair by itself
enum class Reach { missing, other_side, far, near };
struct Standing {
  Reach reach = Reach::missing;
  int sign = 0;  // of left - right
  // The distance: `high` alone for doubles, high * 2^32 + low for 64-bit
  // integers. Pairs (high, low) sort as distances do.
  double high = 0, low = 0;
};
Standing standing_of(const Nearest& nearest, std::size_t left,
                     std::size_t right);  // (row numbers from 0 on)

// Candidates tried outward from the nearest, a few at a time, for left rows
// whose condition has to be asked elsewhere.
struct Round {
  std::vector<Row> left;   // 1-based places in `open`
  std::vector<Row> right;  // candidate rows
  std::vector<Row> point;  // counts up with the distance, per left row
};

class OutwardSearch {
 public:
  virtual ~OutwardSearch() = default;
  // Up to `most` more candidates of each open left row, best first; where all
  // rows of a point count, whole points. Rows without any more are left out.
  virtual Round next(const std::vector<Row>& open, std::size_t most) = 0;
  static OutwardSearch* make(const Context& context, const Groups& groups,
                             const Nearest& nearest,
                             const std::vector<Comparison>& rules,
                             const std::uint8_t* skip_left,
                             const std::uint8_t* skip_right);
};

}  // namespace ronda::core
