#include "text_values.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <vector>

#include "parallel.h"

namespace ronda::core {
namespace {

constexpr double integer_limit = 2147483647.0;
constexpr double double_limit = 9007199254740992.0;
constexpr std::size_t text_kind = static_cast<std::size_t>(CellKind::text);

struct Text {
  const char* at;
  std::size_t size;
};

Text text_at(const TextColumn& column, std::size_t row) {
  const char* at = column.characters(column.texts[row]);
  return {at, std::strlen(at)};
}

void see_number(const TextColumn& column, std::size_t i, const CellValue& value,
                TextsSeen& seen) {
  if (!value.kept && !seen.rounded) seen.rounded = i + 1;
  if (!value.whole) {
    seen.whole = false;
    return;
  }
  const double size = std::fabs(value.value);
  seen.largest = std::max(seen.largest, size);
  if (size < double_limit || seen.beyond) return;
  const Text text = text_at(column, i);
  std::int64_t number;
  if (!read_int64(text.at, text.size, number)) seen.beyond = i + 1;
}

void see_text(const TextColumn& column, std::size_t i, char decimal,
              TextsSeen& seen) {
  const CellValue value = value_at(column, i, decimal);
  if (value.kind == CellKind::number) see_number(column, i, value, seen);
  const auto kind = static_cast<std::size_t>(value.kind);
  if (seen.count[kind]++ == 0) seen.first[kind] = i + 1;
}

ColumnType number_type(const TextsSeen& seen) {
  if (!seen.whole) return seen.rounded ? ColumnType::text : ColumnType::number;
  if (seen.largest <= integer_limit) return ColumnType::integer;
  if (seen.largest < double_limit) return ColumnType::number;
  return seen.beyond ? ColumnType::text : ColumnType::int64;
}

}  // namespace

std::size_t TextsSeen::there() const {
  std::size_t sum = 0;
  for (std::size_t k = 1; k < cell_kinds; ++k) sum += count[k];
  return sum;
}

void TextsSeen::add(const TextsSeen& later) {
  for (std::size_t k = 0; k < cell_kinds; ++k) {
    if (!count[k]) first[k] = later.first[k];
    count[k] += later.count[k];
  }
  whole = whole && later.whole;
  if (!rounded) rounded = later.rounded;
  if (!beyond) beyond = later.beyond;
  largest = std::max(largest, later.largest);
}

CellValue value_at(const TextColumn& column, std::size_t row, char decimal) {
  CellValue value;
  value.kind = CellKind::missing;
  if (column.texts[row] == column.missing) return value;
  const Text text = text_at(column, row);
  return read_cell(text.at, text.size, decimal);
}

TextsSeen see_texts(const Context& context, const TextColumn& column,
                    char decimal) {
  std::vector<TextsSeen> parts(chunk_count(context, column.size));
  for_chunks(context, column.size,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               TextsSeen seen;
               for (std::size_t i = begin; i < end; ++i)
                 see_text(column, i, decimal, seen);
               parts[chunk] = seen;
             });
  TextsSeen all;
  for (const TextsSeen& part : parts) all.add(part);
  return all;
}

void read_int64s(const Context& context, const TextColumn& column,
                 std::int64_t* values) {
  for_rows(context, column.size, [&](std::size_t i) {
    values[i] = INT64_MIN;
    if (column.texts[i] == column.missing) return;
    const Text text = text_at(column, i);
    read_int64(text.at, text.size, values[i]);
  });
}

TypeFound settle_type(const TextsSeen& seen) {
  TypeFound found;
  const std::size_t there = seen.there();
  if (there == 0) {
    found.type = ColumnType::empty;
    return found;
  }
  std::size_t most = 1;
  for (std::size_t k = 2; k < text_kind; ++k)
    if (seen.count[k] > seen.count[most]) most = k;
  found.most = seen.count[most] ? static_cast<CellKind>(most) : CellKind::text;
  found.others = there - seen.count[most];
  if (found.others > 0) {
    for (std::size_t k = 1; k < cell_kinds; ++k)
      if (k != most && seen.count[k] &&
          (!found.odd_row || seen.first[k] < found.odd_row))
        found.odd_row = seen.first[k];
    return found;
  }
  switch (found.most) {
    case CellKind::flag:
      found.type = ColumnType::flag;
      break;
    case CellKind::date:
      found.type = ColumnType::date;
      break;
    case CellKind::time:
      found.type = ColumnType::time;
      break;
    default:
      found.type = number_type(seen);
      if (found.type != ColumnType::text) break;
      found.others = 1;
      found.odd_row = seen.whole ? seen.beyond : seen.rounded;
  }
  return found;
}

}  // namespace ronda::core
