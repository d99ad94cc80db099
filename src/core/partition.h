// Rows cut into parts by the values of their keys: rows of equal keys fall into
// one part, whichever frame, chunk or machine they are in.
#pragma once
#include "equal_match.h"
#include "key_column.h"
#include "text_characters.h"

namespace ronda::core {

struct PartitionBy {
  std::size_t parts = 1;
  // missing keys are keys of their own; else they are spread over the parts by
  // their row numbers, which count from `first_row` on
  bool match_missing = false;
  std::size_t first_row = 0;
  TextCharacters characters;
};

// `key[i]` is the part of row i, from 1 on
Grouping part_rows(const Context& context, const Keys& keys,
                   const PartitionBy& by);

}  // namespace ronda::core
