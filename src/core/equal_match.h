// Equality: for every left row the right rows with an equal key.
#pragma once
#include <memory>

#include "context.h"
#include "found_rows.h"
#include "key_column.h"
#include "memory.h"

namespace ronda::core {

// Rows of one frame by key: `key[i]` is the key of row i, 0 where it is missing
// and equals nothing. A key goes by its first row, or by a number of its own;
// either is at most `most`. Empty when every row has its own key.
struct Grouping {
  Buffer<Row> key;
  std::size_t most = 0;
  std::size_t listed = 0;  // rows whose key is not 0
  bool repeated = false;
};

// What matching found out on its way.
struct Match {
  Grouping right;  // `key` only where one is repeated
  std::size_t matched_left = 0;
  // known where no right key is repeated:
  std::size_t matched_right = 0;
  FoundRows found;  // the right rows that have a partner
  std::size_t missing_left = 0, missing_right = 0;
  bool missing_told = true;  // false: columns put together hid missing keys
};

// What a key goes by where right rows share one
enum class KeyNames { first_rows, numbers };

// key_of[i]: the right key of left row i, 0 if there is none
Match match_equal(const Context& context, const Keys& left, const Keys& right,
                  bool match_missing, KeyNames names, Row* key_of);

// The keys of a right side in a table, to be asked by many left sides
class RightIndex {
 public:
  virtual ~RightIndex() = default;
  // as match_equal(), but for `right`, which stands here
  virtual Match look_up(const Context& context, const Keys& left,
                        Row* key_of) const = 0;
  Grouping right;
  std::size_t rows = 0, missing = 0;
};

// null for more than two columns, which are matched two by two
std::unique_ptr<RightIndex> index_right(const Context& context,
                                        const Keys& right, bool match_missing,
                                        KeyNames names);

// keys go by their first rows
Grouping group_rows(const Context& context, const Keys& keys,
                    bool match_missing);

// rows with a missing value in any key column
std::size_t count_missing(const Context& context, const Keys& keys);

}  // namespace ronda::core
