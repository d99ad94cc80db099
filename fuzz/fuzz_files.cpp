// Any bytes as a csv or tsv file: its rows found in one piece, and in pieces
// cut between them, must be the same; and its lines as texts, typed on one
// thread and on some, too.
//
// Byte 0 chooses delimiter, decimal sign, threads and the size of pieces; the
// rest is the file.
#include <algorithm>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <string>
#include <vector>

#include "core/text_rows.h"
#include "core/text_values.h"

using namespace ronda::core;

namespace {

void require(bool holds) {
  if (!holds) std::abort();
}

// the rows of all pieces of so many bytes, longer where a row is
RowsSeen see_in_pieces(const std::vector<char>& bytes, const TextForm& form,
                       std::size_t piece) {
  RowsSeen all;
  std::size_t want = piece;
  while (all.size < bytes.size()) {
    const std::size_t size = std::min(want, bytes.size() - all.size);
    const bool is_end = all.size + size == bytes.size();
    // (a copy of its own, so that a step behind its end is seen)
    const std::vector<char> part(bytes.data() + all.size,
                                 bytes.data() + all.size + size);
    const RowsSeen seen = see_rows(part.data(), size, form, is_end, size);
    require(seen.size <= size);
    want = seen.size ? piece : want * 2;
    if (is_end && seen.opened) all.opened = all.lines + seen.opened;
    all.size += seen.size;
    all.rows += seen.rows;
    all.lines += seen.lines;
    all.blank += seen.blank;
    if (is_end) break;
  }
  return all;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data,
                                      std::size_t size) {
  if (size < 2) return 0;
  const std::uint8_t first = data[0];
  const char decimal = first & 2 ? ',' : '.';
  const TextForm form{first & 1 ? '\t' : ',', '\n', first & 2 ? '"' : '\'',
                      (first & 128) != 0};
  const std::vector<char> bytes(data + 1, data + size);
  const RowsSeen one =
      see_rows(bytes.data(), bytes.size(), form, true, bytes.size());
  const RowsSeen parts = see_in_pieces(bytes, form, 1 + (first >> 4));
  require(one.size == parts.size && one.rows == parts.rows &&
          one.lines == parts.lines && one.blank == parts.blank &&
          one.opened == parts.opened);

  std::vector<std::string> lines(1);
  for (const char sign : bytes) {
    if (sign == '\n') {
      lines.emplace_back();
    } else if (sign) {
      lines.back() += sign;
    }
  }
  std::vector<const void*> texts;
  for (const std::string& line : lines)
    texts.push_back(line.empty() ? nullptr : line.c_str());
  const TextColumn column{texts.data(), texts.size(), nullptr, {}};
  Context whole, pieces;
  pieces.threads = 1 + ((first >> 2) & 3);
  pieces.chunk_rows = 1 + ((first >> 4) & 15);
  std::vector<double> values(texts.size()), other(texts.size());
  const TypeFound a = settle_type(see_texts(whole, column, decimal));
  const TypeFound b = settle_type(see_texts(pieces, column, decimal));
  require(a.type == b.type && a.others == b.others && a.odd_row == b.odd_row);
  put_values(pieces, column, decimal,
             [&](std::size_t i, const CellValue& v) { other[i] = v.value; });
  for (std::size_t i = 0; i < texts.size(); ++i)
    values[i] = value_at(column, i, decimal).value;
  require(!std::memcmp(values.data(), other.data(),
                       values.size() * sizeof(double)));
  return 0;
}
