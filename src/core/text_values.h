// A column of texts as values of another type, where no text would change by
// it.
#pragma once
#include <array>

#include "cell_value.h"
#include "context.h"
#include "parallel.h"
#include "text_characters.h"

namespace ronda::core {

enum class ColumnType : std::uint8_t {
  empty,  // (no text is there)
  flag,
  integer,
  number,
  int64,
  date,
  time,
  text
};

struct TextColumn {
  const void* const* texts;
  std::size_t size;
  const void* missing;  // the text that is none
  TextCharacters characters;
};

// What was seen of the texts of a column; rows are counted from 1 on, 0 is none
struct TextsSeen {
  std::array<std::size_t, cell_kinds> count{};  // of each kind
  std::array<std::size_t, cell_kinds> first{};  // the row of its first
  bool whole = true;                            // all numbers are
  std::size_t rounded = 0;  // a number that a double doesn't keep
  std::size_t beyond = 0;   // a whole one that is no 64-bit integer
  double largest = 0;       // of whole numbers, without sign
  std::size_t there() const;
  void add(const TextsSeen& later);
};

// Looks at every text.
TextsSeen see_texts(const Context& context, const TextColumn& column,
                    char decimal);

// one text as a value, of kind `missing` where there is none
CellValue value_at(const TextColumn& column, std::size_t row, char decimal);

// put(row, value) for every text
template <class Put>
void put_values(const Context& context, const TextColumn& column, char decimal,
                Put&& put) {
  for_rows(context, column.size,
           [&](std::size_t i) { put(i, value_at(column, i, decimal)); });
}

// The values as 64-bit integers, the least of them where there is none. All
// texts must be such numbers.
void read_int64s(const Context& context, const TextColumn& column,
                 std::int64_t* values);

struct TypeFound {
  ColumnType type = ColumnType::text;
  // of a text column: what most texts are, how many are something else, and the
  // first of these
  CellKind most = CellKind::text;
  std::size_t others = 0, odd_row = 0;
};

// The type of a column of which this was seen
TypeFound settle_type(const TextsSeen& seen);

}  // namespace ronda::core
