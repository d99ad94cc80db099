// The order of rows by some columns: stable, missing values last.
#pragma once
#include <vector>

#include "key_column.h"
#include "memory.h"
#include "pairs.h"
#include "text_characters.h"

namespace ronda::core {

struct SortColumn {
  KeyColumn column;  // text: addresses of the texts
  bool descending = false;
  TextCharacters characters = {};
};

Buffer<Row> sort_rows(const Context& context, std::vector<SortColumn> columns,
                      std::size_t rows);

// chosen[i]: of left row i's partners the first in the order of a column of the
// right rows, 0 where it has none
void best_partner(const Context& context, const PairsView& pairs,
                  const SortColumn& by, Row* chosen);

}  // namespace ronda::core
