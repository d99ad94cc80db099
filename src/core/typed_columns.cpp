#include "typed_columns.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <new>

#include "missing.h"
#include "parallel.h"

namespace ronda::core {
namespace {

constexpr double integer_limit = 2147483647.0;
constexpr double double_limit = 9007199254740992.0;
constexpr std::size_t text_kind = static_cast<std::size_t>(CellKind::text);

std::size_t place(CellKind kind) { return static_cast<std::size_t>(kind); }

bool is_na(const Cell& cell) {
  return cell.size() == 2 && cell.at[0] == 'N' && cell.at[1] == 'A';
}

bool has_high_bytes(const char* at, const char* end) {
  unsigned char all = 0;
  for (; at != end; ++at) all |= static_cast<unsigned char>(*at);
  return all >= 0x80;
}

// what a thread sees of one block
struct BlockSeen {
  std::vector<ColumnSeen> columns;
  FaultAt fault;
};

class BlockTyper {
 public:
  BlockTyper(const Delimited& file, char decimal,
             const std::vector<bool>& as_text,
             const std::vector<double*>& values)
      : file_(file), decimal_(decimal), as_text_(as_text), values_(values) {}

  BlockSeen look_at(const Block& block) const {
    BlockSeen seen;
    seen.columns.resize(file_.names.size());
    const bool check_bytes = has_high_bytes(block.begin, block.end);
    CellReader reader(file_, block);
    Cell cell;
    std::size_t row = block.row;
    for (; reader.next_row(); ++row) {
      std::size_t k = 0;
      for (; reader.next_cell(cell); ++k) {
        if (k >= seen.columns.size()) continue;
        if (check_bytes && !is_utf8(cell.at, cell.size())) {
          seen.fault = {Fault::encoding, 0, reader.line(), row, k + 1, 0};
          return seen;
        }
        look_at_cell(cell, k, row, seen.columns[k]);
      }
      if (k == seen.columns.size()) continue;
      seen.fault = {Fault::ragged, 0, reader.line(), row, 0, k};
      return seen;
    }
    return seen;
  }

 private:
  void look_at_cell(const Cell& cell, std::size_t k, std::size_t row,
                    ColumnSeen& seen) const {
    CellValue value;
    if (cell.size() == 0 || (!cell.quoted && is_na(cell))) {
      value.kind = CellKind::missing;
    } else if (!as_text_[k] && cell.as_is) {
      value = read_cell(cell.at, cell.size(), decimal_);
    }
    seen.see(cell, value, row, file_.delimiter);
    if (!values_[k]) return;
    values_[k][row - 1] =
        value.kind == CellKind::missing ? missing_ : value.value;
  }

  const double missing_ = missing_double();
  const Delimited& file_;
  char decimal_;
  const std::vector<bool>& as_text_;
  const std::vector<double*>& values_;
};

// The values of a column as 64-bit integers; the row of the first that is none,
// or 0
std::size_t read_int64s(const Context& context, const Delimited& file,
                        std::size_t column, double* values) {
  std::vector<std::size_t> wrong(file.blocks.size());
  for_parts(context, file.blocks.size(), [&](std::size_t at, Crew::Hand&) {
    const Block& block = file.blocks[at];
    CellReader reader(file, block);
    Cell cell;
    for (std::size_t row = block.row; reader.next_row(); ++row) {
      for (std::size_t k = 0; reader.next_cell(cell); ++k) {
        if (k != column) continue;
        std::int64_t value = INT64_MIN;
        const bool missing = !cell.quoted && (cell.size() == 0 || is_na(cell));
        if (!missing && !read_int64(cell.at, cell.size(), value) && !wrong[at])
          wrong[at] = row;
        std::memcpy(values + row - 1, &value, sizeof value);
      }
    }
  });
  for (const std::size_t row : wrong)
    if (row) return row;
  return 0;
}

ColumnType number_type(const ColumnSeen& seen) {
  if (!seen.whole) return seen.rounded ? ColumnType::text : ColumnType::number;
  if (seen.largest <= integer_limit) return ColumnType::integer;
  return seen.largest < double_limit ? ColumnType::number : ColumnType::int64;
}

}  // namespace

std::size_t ColumnSeen::there() const {
  std::size_t sum = 0;
  for (std::size_t k = 1; k < cell_kinds; ++k) sum += count[k];
  return sum;
}

void ColumnSeen::see(const Cell& cell, const CellValue& value, std::size_t row,
                     char delimiter) {
  const std::size_t kind = place(value.kind);
  if (count[kind]++ == 0) first[kind] = row;
  if (cell.quoted && cell.size() == 0) empty_texts.push_back(row);
  if (value.kind == CellKind::missing) return;
  if (!cell.quoted) {
    all_quoted = false;
  } else if (value.kind == CellKind::text) {
    if (is_na(cell)) na_texts.push_back(row);
  } else if (!needs_quotes) {
    needs_quotes = std::memchr(cell.at, delimiter, cell.size()) != nullptr;
  }
  if (value.kind != CellKind::number) return;
  if (value.whole) {
    largest = std::max(largest, std::fabs(value.value));
  } else {
    whole = false;
  }
  if (!value.kept && !rounded) rounded = row;
}

void ColumnSeen::add(const ColumnSeen& later) {
  for (std::size_t k = 0; k < cell_kinds; ++k) {
    if (!count[k]) first[k] = later.first[k];
    count[k] += later.count[k];
  }
  whole = whole && later.whole;
  all_quoted = all_quoted && later.all_quoted;
  needs_quotes = needs_quotes || later.needs_quotes;
  if (!rounded) rounded = later.rounded;
  largest = std::max(largest, later.largest);
  auto append = [](std::vector<std::size_t>& to,
                   const std::vector<std::size_t>& from) {
    to.insert(to.end(), from.begin(), from.end());
  };
  append(empty_texts, later.empty_texts);
  append(na_texts, later.na_texts);
}

ColumnFound settle_type(const ColumnSeen& seen, bool name_quoted) {
  ColumnFound found;
  const std::size_t there = seen.there();
  if (there == 0) {
    if (seen.empty_texts.empty() || name_quoted) found.type = ColumnType::empty;
    return found;
  }
  std::size_t most = 1;
  for (std::size_t k = 2; k < text_kind; ++k)
    if (seen.count[k] > seen.count[most]) most = k;
  found.most = seen.count[most] ? static_cast<CellKind>(most) : CellKind::text;
  found.marked = !name_quoted && seen.all_quoted && !seen.needs_quotes;
  found.others = there - seen.count[most];
  if (found.marked || found.others > 0) {
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
      found.odd_row = seen.rounded;
  }
  return found;
}

TypedColumns type_columns(
    const Context& context, const Delimited& file, char decimal,
    const std::vector<bool>& as_text,
    const std::function<double*(std::size_t)>& new_values) {
  const std::size_t columns = file.names.size();
  TypedColumns out;
  out.seen.resize(columns);
  std::vector<double*> values(columns, nullptr);
  // a column that is text in the first block needs no room for its values
  if (!file.blocks.empty()) {
    const BlockTyper typer(file, decimal, as_text, values);
    const BlockSeen first = typer.look_at(file.blocks[0]);
    for (std::size_t k = 0; k < columns; ++k)
      if (!first.columns[k].count[text_kind]) values[k] = new_values(k);
  }
  std::vector<BlockSeen> seen(file.blocks.size());
  const BlockTyper typer(file, decimal, as_text, values);
  std::atomic<bool> no_memory{false};
  for_parts(context, file.blocks.size(), [&](std::size_t at, Crew::Hand&) {
    try {
      seen[at] = typer.look_at(file.blocks[at]);
    } catch (const std::bad_alloc&) {
      no_memory = true;
    }
  });
  if (no_memory) throw std::bad_alloc();
  for (const BlockSeen& block : seen) {
    for (std::size_t k = 0; k < columns; ++k) out.seen[k].add(block.columns[k]);
    if (block.fault.fault == Fault::none) continue;
    out.fault = block.fault;
    return out;
  }
  for (std::size_t k = 0; k < columns; ++k) {
    out.found.push_back(settle_type(out.seen[k], file.quoted_names[k]));
    ColumnFound& found = out.found[k];
    if (as_text[k]) found.type = ColumnType::text;
    found.values = values[k];
    if (found.type != ColumnType::int64) continue;
    const std::size_t wrong = read_int64s(context, file, k, values[k]);
    if (!wrong) continue;
    found.type = ColumnType::text;
    found.others = 1;
    found.odd_row = wrong;
  }
  return out;
}

}  // namespace ronda::core
