// Text files of cells: csv and tsv. A quote opens where a cell begins; inside,
// two of them stand for one, and line breaks belong to the cell.
#pragma once
#include <cstddef>
#include <cstring>
#include <string>
#include <vector>

#include "context.h"

namespace ronda::core {

struct Cell {
  const char* at;  // without its quotes
  const char* end;
  bool quoted;
  bool as_is;  // (of a quoted one) no doubled quote in it, nothing behind it
  const char* behind;  // all that belongs to it, its quotes, too
  std::size_t size() const { return static_cast<std::size_t>(end - at); }
};

// what is wrong with a file
enum class Fault { none, utf16, zero, unclosed, ragged, encoding };

struct FaultAt {
  Fault fault = Fault::none;
  std::size_t byte = 0, line = 0, row = 0, column = 0, cells = 0;
};

// whole lines of a file, from a row on; rows and lines are counted from 1 on
struct Block {
  const char* begin;
  const char* end;
  std::size_t row, line;
};

struct Delimited {
  const char* begin = nullptr;
  const char* end = nullptr;
  char delimiter = ',';
  char line_end = '\n';
  std::vector<std::string> names;
  std::vector<bool> quoted_names;  // in quotes that they don't need
  std::vector<Block> blocks;       // of what is below the names
  std::size_t rows = 0;
  bool blank_lines = false;  // some line is no row, since it is blank
  FaultAt fault;
};

// Finds the names, and where rows begin, or what is wrong.
Delimited lay_out(const Context& context, const char* bytes, std::size_t size,
                  char delimiter);

// the cells of a block, one by one
class CellReader {
 public:
  CellReader(const Delimited& file, const Block& block)
      : file_(file), at_(block.begin), end_(block.end), line_(block.line) {}
  // Goes to the next line that is a row; false if there is none.
  bool next_row();
  // the next cell of the row; false behind its last
  bool next_cell(Cell& cell);
  std::size_t line() const { return row_line_; }
  const char* row_begin() const { return row_begin_; }
  const char* position() const { return at_; }

 private:
  void read_plain(Cell& cell);
  void read_quoted(Cell& cell);
  void behind_cell();
  const Delimited& file_;
  const char* at_;
  const char* end_;
  const char* row_begin_ = nullptr;
  std::size_t line_, row_line_ = 0;
  bool more_ = false;
};

// Where the last whole row of a piece ends that begins with a row, behind its
// line break; 0 where none does. `lines`: how many there are before.
std::size_t whole_rows(const char* bytes, std::size_t size, char delimiter,
                       char line_end, std::size_t& lines);

// the text of a cell, with single quotes where they are doubled
std::string cell_text(const Cell& cell);

// the line that a row begins on
std::size_t line_of(const Delimited& file, std::size_t row);

bool is_utf8(const char* at, std::size_t size);

}  // namespace ronda::core
