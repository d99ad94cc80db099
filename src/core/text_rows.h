// Where the rows of a text file of cells begin and end, by its bytes alone: how
// many there are is known before somebody reads their cells, and a file can be
// cut between them. A quote opens where a cell begins; inside, two of them
// stand for one, and line breaks belong to the cell.
#pragma once
#include <cstddef>
#include <string>

namespace ronda::core {

struct TextForm {
  char delimiter = ',';
  char line_end = '\n';
  char quote = '"';           // 0 where none is
  bool blank_is_row = false;  // (of a file of one column)
};

// Bytes and lines are counted from 1 on, 0 is none.
struct RowsSeen {
  std::size_t size = 0;   // bytes up to the end of the last whole row
  std::size_t rows = 0;   // up to there
  std::size_t lines = 0;  // up to there, with those that are no rows
  std::size_t blank = 0;  // how many are none
  std::size_t last = 0;   // the line on which the last row begins
  std::size_t opened =
      0;                 // the line of a quote that isn't closed behind `size`
  std::size_t zero = 0;  // the first byte that is 0
  bool ascii = true;     // no byte has its highest bit set
};

// Looks at a piece that begins with a row. `is_end`: nothing follows, so that
// the last row needs no line break. Stops behind row `most`.
RowsSeen see_rows(const char* bytes, std::size_t size, const TextForm& form,
                  bool is_end, std::size_t most);

// The rows alone, each ended by "\n"
std::string with_newlines(const char* bytes, std::size_t size,
                          const TextForm& form);

}  // namespace ronda::core
