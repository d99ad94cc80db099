// Equality: for every left row the right rows with an equal key.
#pragma once
#include <vector>

#include "context.h"
#include "key_column.h"

namespace ronda::core {

// Rows of one frame by key: `first[i]` is the first row with the key of row i
// (0: a missing key that equals nothing). Empty when no key is repeated and
// none is missing: then every row is its own first.
struct Grouping {
  std::vector<Row> first;
  bool repeated = false;
};

// Right rows listed key by key: those of the key whose first row is f stand
// at starts[f - 1] .. starts[f] of `rows`, ascending. Both are empty when no
// right key is repeated: then f itself is the only one.
struct Ranges {
  std::vector<Row> starts, rows;
};

// slot[i]: the first right row with the key of left row i, 0 if there is none
Ranges match_equal(const Context& context, const Keys& left, const Keys& right,
                   bool match_missing, Row* slot);

Grouping group_rows(const Context& context, const Keys& keys,
                    bool match_missing);

// rows with a missing value in any key column
std::size_t count_missing(const Context& context, const Keys& keys);

}  // namespace ronda::core
