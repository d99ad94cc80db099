// One cell of a text file read as a value, where the cell would not change by
// it: no plus signs, leading zeros, marks between thousands, days that don't
// exist.
#pragma once
#include <cstddef>
#include <cstdint>

namespace ronda::core {

enum class CellKind : std::uint8_t { missing, flag, number, date, time, text };
constexpr std::size_t cell_kinds = 6;

struct CellValue {
  CellKind kind = CellKind::text;
  bool whole = false;  // a number of digits alone
  bool kept = true;    // the double gives all digits back
  double value = 0;    // days for a date, seconds in UTC for a time
};

// `decimal` is the mark before decimal places. What is missing is for the
// caller to say.
CellValue read_cell(const char* at, std::size_t size, char decimal);

// The same of numbers alone; `asked`: a number was asked for, so that 12E4 is
// no code.
CellValue read_number(const char* at, std::size_t size, char decimal,
                      bool asked);

// digits alone as a 64-bit integer; false where none is that large
bool read_int64(const char* at, std::size_t size, std::int64_t& value);

}  // namespace ronda::core
