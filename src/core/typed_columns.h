// Which type each column of a delimited file has, and its values: another type
// than text only where every cell is such a value.
#pragma once
#include <array>
#include <functional>

#include "cell_value.h"
#include "delimited.h"

namespace ronda::core {

enum class ColumnType : std::uint8_t {
  empty,  // (no cell has a value)
  flag,
  integer,
  number,
  int64,
  date,
  time,
  text
};

// What was seen of the cells of a column; rows are counted from 1 on
struct ColumnSeen {
  std::array<std::size_t, cell_kinds> count{};  // of each kind
  std::array<std::size_t, cell_kinds> first{};  // row of each, 0: none
  bool whole = true;                            // all numbers are
  bool all_quoted = true;                       // every cell that is there
  bool needs_quotes = false;                    // some cell does
  std::size_t rounded = 0;  // row of a number that a double doesn't keep
  double largest = 0;       // of whole numbers, without sign
  // rows of quoted cells that without quotes would be missing
  std::vector<std::size_t> empty_texts, na_texts;
  std::size_t there() const;
  void see(const Cell& cell, const CellValue& value, std::size_t row,
           char delimiter);
  void add(const ColumnSeen& later);
};

struct ColumnFound {
  ColumnType type = ColumnType::text;
  // of a text column: what most cells are, how many are something else, and the
  // first of these
  CellKind most = CellKind::text;
  std::size_t others = 0, odd_row = 0;
  bool marked = false;  // quotes say that it is text
  double* values = nullptr;
};

// The type of a column of which this was seen. Quotes say text: a column whose
// cells are all in quotes that none of them needs, under a name that is not.
ColumnFound settle_type(const ColumnSeen& seen, bool name_quoted);

struct TypedColumns {
  std::vector<ColumnSeen> seen;
  std::vector<ColumnFound> found;
  FaultAt fault;
};

// Looks at every cell. `as_text[k]`: column k is text, whatever it holds.
// `new_values(k)` gives room for the values of a column, doubles, or 64-bit
// integers where that is its type; it is asked on the calling thread.
TypedColumns type_columns(
    const Context& context, const Delimited& file, char decimal,
    const std::vector<bool>& as_text,
    const std::function<double*(std::size_t)>& new_values);

}  // namespace ronda::core
