// Equality: for every left row the right rows with an equal key.
#pragma once
#include "context.h"
#include "key_column.h"
#include "memory.h"

namespace ronda::core {

// Rows of one frame by key: `first[i]` is the first row with the key of row i
// (0: a missing key that equals nothing). Empty when every row is its own.
struct Grouping {
  Buffer<Row> first;
  bool repeated = false;
};

// What matching found out on its way.
struct Match {
  Grouping right;  // `first` only where a key is repeated
  std::size_t matched_left = 0;
  std::size_t matched_right = 0;  // known where no right key is repeated
  std::size_t missing_left = 0, missing_right = 0;
};

// slot[i]: the first right row with the key of left row i, 0 if there is none
Match match_equal(const Context& context, const Keys& left, const Keys& right,
                  bool match_missing, Row* slot);

// Right rows listed key by key: those of the key whose first row is f stand
// at starts[f - 1] .. starts[f] of `rows`, ascending. `starts` has a place more
// than there are rows.
std::size_t listed_rows(const Context& context, const Grouping& grouping);
void list_rows(const Context& context, const Grouping& grouping, Row* starts,
               Row* rows);

Grouping group_rows(const Context& context, const Keys& keys,
                    bool match_missing);

// rows with a missing value in any key column
std::size_t count_missing(const Context& context, const Keys& keys);

// whether a key stands in several of the rows whose `slot` is 0
bool repeats_unmatched(const Context& context, const Keys& keys,
                       const Row* slot, bool match_missing);

}  // namespace ronda::core
