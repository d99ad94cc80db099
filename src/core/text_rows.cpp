#include "text_rows.h"

#include <cstring>

namespace ronda::core {
namespace {

const char* find(const char* at, const char* end, char sign) {
  if (at == end) return end;
  const void* found = std::memchr(at, sign, static_cast<std::size_t>(end - at));
  return found ? static_cast<const char*>(found) : end;
}

bool is_blank(const char* at, const char* end, char delimiter) {
  while (at != end && *at != delimiter &&
         (*at == ' ' || *at == '\t' || *at == '\r'))
    ++at;
  return at == end;
}

struct RowEnd {
  const char* at;          // its line break, or where the bytes end
  std::size_t lines = 1;   // it takes so many
  std::size_t opened = 0;  // the one of them with a quote that is never closed
};

RowEnd row_end(const char* at, const char* end, const TextForm& form) {
  RowEnd row{find(at, end, form.line_end)};
  if (!form.quote || find(at, row.at, form.quote) == row.at) return row;
  bool inside = false, closed = false;
  std::size_t opened = 0;
  char last = form.delimiter;
  for (; at != end; ++at) {
    const char sign = *at;
    const bool was_closed = closed;
    closed = false;
    if (sign == form.quote) {
      if (inside) {
        inside = false;
        closed = true;
      } else if (was_closed || last == form.delimiter) {
        inside = true;  // (after a closing quote: it was one of a pair)
        if (!was_closed) opened = row.lines;
      }
    } else if (sign == form.line_end) {
      if (!inside) break;
      ++row.lines;
    }
    last = sign;
  }
  row.at = at;
  if (inside) row.opened = opened;
  return row;
}

bool is_ascii(const char* at, const char* end) {
  unsigned char all = 0;
  for (; at != end; ++at) all |= static_cast<unsigned char>(*at);
  return all < 0x80;
}

}  // namespace

RowsSeen see_rows(const char* bytes, std::size_t size, const TextForm& form,
                  bool is_end, std::size_t most) {
  RowsSeen seen;
  const char* at = bytes;
  const char* end = bytes + size;
  while (at != end && seen.rows < most) {
    const RowEnd row = row_end(at, end, form);
    if (row.opened) seen.opened = seen.lines + row.opened;
    if (row.opened || (row.at == end && !is_end)) break;
    if (form.blank_is_row || !is_blank(at, row.at, form.delimiter)) {
      ++seen.rows;
      seen.last = seen.lines + 1;
    } else {
      ++seen.blank;
    }
    seen.lines += row.lines;
    at = row.at == end ? end : row.at + 1;
  }
  seen.size = static_cast<std::size_t>(at - bytes);
  const char* zero = find(bytes, end, '\0');
  if (zero != end) seen.zero = static_cast<std::size_t>(zero - bytes) + 1;
  seen.ascii = is_ascii(bytes, end);
  return seen;
}

std::string with_newlines(const char* bytes, std::size_t size,
                          const TextForm& form) {
  std::string rows;
  rows.reserve(size + 1);
  const char* end = bytes + size;
  for (const char* at = bytes; at != end;) {
    const RowEnd row = row_end(at, end, form);
    if (form.blank_is_row || !is_blank(at, row.at, form.delimiter)) {
      rows.append(at, row.at);
      rows += '\n';
    }
    at = row.at == end ? end : row.at + 1;
  }
  return rows;
}

}  // namespace ronda::core
