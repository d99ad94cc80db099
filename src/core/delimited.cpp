#include "delimited.h"

#include <algorithm>
#include <cstdint>

namespace ronda::core {
namespace {

constexpr std::size_t block_bytes = std::size_t{1} << 20;

const char* find(const char* at, const char* end, char sign) {
  if (at == end) return end;
  const void* found = std::memchr(at, sign, static_cast<std::size_t>(end - at));
  return found ? static_cast<const char*>(found) : end;
}

// whether a line has nothing in it but blanks
bool is_blank(const char* at, const char* end) {
  while (at != end && (*at == ' ' || *at == '\r')) ++at;
  return at == end;
}

// Where the line that begins at `at` ends (at its line break), line breaks in
// quotes left out; `lines` is how many it takes. Where a quote is never closed
// it ends at `end`, and `opened` is the line of its own in which it opens.
const char* row_end(const Delimited& file, const char* at, std::size_t& lines,
                    std::size_t& opened) {
  opened = 0;
  lines = 1;
  const char* line_end = find(at, file.end, file.line_end);
  if (find(at, line_end, '"') == line_end) return line_end;
  bool inside = false, closed = false;
  char last = file.delimiter;
  for (; at != file.end; ++at) {
    const char sign = *at;
    const bool was_closed = closed;
    closed = false;
    if (sign == '"') {
      if (inside) {
        inside = false;
        closed = true;
      } else if (was_closed || last == file.delimiter) {
        inside = true;  // (after a closing quote: it was one of a pair)
        if (!was_closed) opened = lines;
      }
    } else if (sign == file.line_end) {
      if (!inside) break;
      ++lines;
    }
    last = sign;
  }
  if (!inside) opened = 0;
  return at;
}

// Cuts what is below the names into blocks of whole rows.
void cut_into_blocks(const Context& context, Delimited& file, const char* at,
                     std::size_t line) {
  const bool one_column = file.names.size() == 1;
  const char* begin = at;
  std::size_t row = 1, begin_row = 1, begin_line = line, lines, opened;
  auto close_block = [&] {
    if (at != begin) file.blocks.push_back({begin, at, begin_row, begin_line});
    begin = at;
    begin_row = row;
    begin_line = line;
  };
  while (at != file.end) {
    const char* end = row_end(file, at, lines, opened);
    if (opened) {
      file.fault.fault = Fault::unclosed;
      file.fault.line = line + opened - 1;
      return;
    }
    if (!one_column && is_blank(at, end)) {
      file.blank_lines = true;
    } else {
      ++row;
    }
    line += lines;
    at = end == file.end ? end : end + 1;
    if (static_cast<std::size_t>(at - begin) < block_bytes) continue;
    close_block();
    if (context.interrupted && context.interrupted()) throw Interrupted();
  }
  close_block();
  file.rows = row - 1;
}

bool starts_with(const char* bytes, std::size_t size, const char* mark,
                 std::size_t length) {
  return size >= length && !std::memcmp(bytes, mark, length);
}

}  // namespace

std::size_t whole_rows(const char* bytes, std::size_t size, char delimiter,
                       char line_end, std::size_t& lines) {
  Delimited piece;
  piece.begin = bytes;
  piece.end = bytes + size;
  piece.delimiter = delimiter;
  piece.line_end = line_end;
  const char* at = bytes;
  std::size_t opened, more;
  for (lines = 0; at != piece.end; lines += more) {
    const char* end = row_end(piece, at, more, opened);
    if (opened || end == piece.end) break;
    at = end + 1;
  }
  return static_cast<std::size_t>(at - bytes);
}

Delimited lay_out(const Context& context, const char* bytes, std::size_t size,
                  char delimiter) {
  Delimited file;
  file.begin = bytes;
  file.end = bytes + size;
  file.delimiter = delimiter;
  if (starts_with(bytes, size, "\xff\xfe", 2) ||
      starts_with(bytes, size, "\xfe\xff", 2)) {
    file.fault.fault = Fault::utf16;
    return file;
  }
  const char* zero = find(bytes, file.end, '\0');
  if (zero != file.end) {
    file.fault.fault = Fault::zero;
    file.fault.byte = static_cast<std::size_t>(zero - bytes) + 1;
    return file;
  }
  if (starts_with(bytes, size, "\xef\xbb\xbf", 3)) file.begin += 3;
  if (find(file.begin, file.end, '\n') == file.end) file.line_end = '\r';
  // the names: the first line that isn't blank
  const char* at = file.begin;
  std::size_t line = 1, lines = 1, opened = 0;
  const char* end = at;
  for (;; at = end + 1, line += lines) {
    if (at == file.end) return file;
    end = row_end(file, at, lines, opened);
    if (opened) {
      file.fault.fault = Fault::unclosed;
      file.fault.line = line + opened - 1;
      return file;
    }
    if (!is_blank(at, end)) break;
    file.blank_lines = true;
    if (end == file.end) return file;
  }
  file.names.resize(2);  // (no line is blank for now)
  CellReader reader(file, {at, end, 0, line});
  std::vector<std::string> names;
  Cell cell;
  reader.next_row();
  while (reader.next_cell(cell)) {
    names.push_back(cell_text(cell));
    const std::string& name = names.back();
    const bool needed = name.find_first_of(std::string("\"\r\n") + delimiter) !=
                        std::string::npos;
    file.quoted_names.push_back(cell.quoted && !needed);
  }
  file.names = std::move(names);
  cut_into_blocks(context, file, end == file.end ? end : end + 1, line + lines);
  return file;
}

bool CellReader::next_row() {
  while (at_ != end_) {
    const char* end = at_;
    while (end != end_ && (*end == ' ' || *end == '\r') &&
           *end != file_.line_end)
      ++end;
    if (file_.names.size() == 1 || (end != end_ && *end != file_.line_end)) {
      row_begin_ = at_;
      row_line_ = line_;
      more_ = true;
      return true;
    }
    at_ = end == end_ ? end : end + 1;
    ++line_;
  }
  return false;
}

bool CellReader::next_cell(Cell& cell) {
  if (!more_) return false;
  cell.quoted = at_ != end_ && *at_ == '"';
  cell.as_is = true;
  if (cell.quoted) {
    read_quoted(cell);
  } else {
    read_plain(cell);
  }
  return true;
}

void CellReader::read_plain(Cell& cell) {
  const char delimiter = file_.delimiter, line_end = file_.line_end;
  const char* at = at_;
  while (at != end_ && *at != delimiter && *at != line_end) ++at;
  cell.at = at_;
  cell.end = at;
  at_ = at;
  const bool last = at == end_ || *at == line_end;
  if (last && cell.end != cell.at && cell.end[-1] == '\r') --cell.end;
  cell.behind = cell.end;
  behind_cell();
}

void CellReader::read_quoted(Cell& cell) {
  const char delimiter = file_.delimiter, line_end = file_.line_end;
  cell.at = ++at_;
  for (;; ++at_) {
    while (at_ != end_ && *at_ != '"') line_ += *at_++ == line_end;
    cell.end = at_;
    if (at_ == end_) break;
    ++at_;
    if (at_ == end_ || *at_ != '"') break;
    cell.as_is = false;
  }
  // what stands between the closing quote and the next cell
  const char* at = at_;
  while (at != end_ && *at != delimiter && *at != line_end) ++at;
  const char* behind = at;
  if ((at == end_ || *at == line_end) && behind != at_ && behind[-1] == '\r')
    --behind;
  cell.behind = behind;
  if (behind != at_) {
    cell.as_is = false;
    cell.end = behind;
  }
  at_ = at;
  behind_cell();
}

void CellReader::behind_cell() {
  more_ = at_ != end_ && *at_ == file_.delimiter;
  if (at_ == end_) return;
  if (!more_) ++line_;
  ++at_;
}

std::string cell_text(const Cell& cell) {
  std::string text(cell.at, cell.size());
  if (cell.as_is) return text;
  std::string out;
  bool inside = true;
  for (std::size_t k = 0; k < text.size(); ++k) {
    const bool doubled =
        inside && text[k] == '"' && k + 1 < text.size() && text[k + 1] == '"';
    if (inside && text[k] == '"') {
      if (!doubled) {
        inside = false;
        continue;
      }
      ++k;
    }
    out += text[k];
  }
  return out;
}

std::size_t line_of(const Delimited& file, std::size_t row) {
  const auto& blocks = file.blocks;
  auto next = std::upper_bound(
      blocks.begin(), blocks.end(), row,
      [](std::size_t value, const Block& block) { return value < block.row; });
  if (next == blocks.begin()) return 0;
  const Block& block = *--next;
  CellReader reader(file, block);
  Cell cell;
  for (std::size_t at = block.row; reader.next_row(); ++at) {
    if (at == row) return reader.line();
    while (reader.next_cell(cell)) {
    }
  }
  return 0;
}

bool is_utf8(const char* text, std::size_t size) {
  const auto* at = reinterpret_cast<const unsigned char*>(text);
  const auto* end = at + size;
  while (at != end) {
    if (*at < 0x80) {
      ++at;
      continue;
    }
    const int more = *at >= 0xf0 ? 3 : *at >= 0xe0 ? 2 : 1;
    if (*at < 0xc2 || *at > 0xf4 || end - at <= more) return false;
    const unsigned second = at[1];
    const bool low =
        (*at == 0xe0 && second < 0xa0) || (*at == 0xf0 && second < 0x90);
    const bool high =
        (*at == 0xed && second > 0x9f) || (*at == 0xf4 && second > 0x8f);
    if (low || high) return false;
    for (int k = 1; k <= more; ++k)
      if ((at[k] & 0xc0) != 0x80) return false;
    at += more + 1;
  }
  return true;
}

}  // namespace ronda::core
