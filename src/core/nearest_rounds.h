// Candidates of nearest() in rounds, for conditions that are asked elsewhere.
#pragma once
#include "nearest_match.h"

namespace ronda::core {

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
