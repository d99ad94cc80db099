// The right rows of each key: a counting sort.
#pragma once
#include "equal_match.h"

namespace ronda::core {

// Right rows listed key by key: those of key k stand at
// starts[k - 1] .. starts[k] of `rows`, ascending. `starts` has grouping.most +
// 1 places, `rows` has grouping.listed.
void list_rows(const Context& context, const Grouping& grouping, Row* starts,
               Row* rows);
// the same of n rows whose keys are numbers from 1 to `keys`, 0 for none
void list_rows(const Context& context, const Row* key, std::size_t n,
               std::size_t keys, Row* starts, Row* rows);

}  // namespace ronda::core
