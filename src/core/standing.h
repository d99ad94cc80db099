// How one right row stands to one left row for nearest().
#pragma once
#include "nearest_match.h"

namespace ronda::core {

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

}  // namespace ronda::core
