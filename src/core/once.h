// Pairs in which every row of either side stands once at the most.
#pragma once
#include "nearest_match.h"
#include "pairs.h"

namespace ronda::core {

// range[i]: the first partner of left row i, in right order, that no left row
// before it has taken; 0 if there is none
void once_in_order(const Context& context, const PairsView& pairs, Row* range);

// The same of pairs one by one, in the order in which they are to be taken.
// `range` is 0 for all left rows at first.
void once_as_listed(const Context& context, const Row* left, const Row* right,
                    std::size_t pairs, std::size_t right_rows, Row* range);

// The closest pairs first, those of equal distance by left row, then by right
// row; `nearest` says which are near enough. `range` is 0 for all left rows at
// first.
void once_nearest(const Context& context, const Groups& groups,
                  const Nearest& nearest, const std::uint8_t* skip_left,
                  const std::uint8_t* skip_right, Row* range);

}  // namespace ronda::core
