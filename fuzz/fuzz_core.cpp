// Any bytes as keys and options of the core, compared with plain loops.
//
//   make fuzz            # needs clang; SECONDS=1800 by default
//
// Byte 0 to 4 choose threads, chunks, path, missing keys and the kinds of up to
// three key columns; the rest are the values, row after row.
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <utility>
#include <vector>

#include "core/equal_match.h"
#include "core/list_rows.h"
#include "core/repeated_keys.h"
#include "core/gather_lines.h"
#include "core/pairs.h"
#include "core/sort_rows.h"

using namespace ronda::core;

namespace {

const char no_text = 0;
// every place begins a text; many have the next one's characters behind theirs
const char texts[64] =
    "aaaaaaaaaaaaaaaab\0aaaaaaaab\0aaaaaaa\0\0bbbbbbbb\0abababab";

class Bytes {
 public:
  Bytes(const std::uint8_t* data, std::size_t size)
      : data_(data), size_(size) {}
  bool empty() const { return at_ >= size_; }
  std::uint8_t next() { return empty() ? 0 : data_[at_++]; }
  template <class T>
  T raw() {
    T value{};
    std::uint8_t bytes[sizeof(T)];
    for (std::uint8_t& byte : bytes) byte = next();
    std::memcpy(&value, bytes, sizeof value);
    return value;
  }

 private:
  const std::uint8_t* data_;
  std::size_t size_, at_ = 0;
};

struct Column {
  KeyKind kind;
  std::vector<std::int32_t> ints;
  std::vector<double> reals;
  std::vector<std::int64_t> longs;
  std::vector<const void*> addresses;

  // a small value, or any bytes at all
  void read(Bytes& in) {
    const std::uint8_t form = in.next();
    const bool small = form & 1;
    switch (kind) {
      case KeyKind::int32:
        ints.push_back(small ? form >> 4 : in.raw<std::int32_t>());
        break;
      case KeyKind::real:
      case KeyKind::day:
        reals.push_back(small ? (form >> 4) / 2.0 : in.raw<double>());
        break;
      case KeyKind::int64:
        longs.push_back(small ? form >> 4 : in.raw<std::int64_t>());
        break;
      case KeyKind::text:
        addresses.push_back(form == 0 ? &no_text : &texts[form >> 2]);
        break;
    }
  }
  KeyColumn view() const {
    switch (kind) {
      case KeyKind::int32:
        return {kind, ints.data(), nullptr};
      case KeyKind::int64:
        return {kind, longs.data(), nullptr};
      case KeyKind::text:
        return {kind, addresses.data(), &no_text};
      default:
        return {kind, reals.data(), nullptr};
    }
  }
  bool missing(std::size_t i) const {
    switch (kind) {
      case KeyKind::int32:
        return ints[i] == INT32_MIN;
      case KeyKind::int64:
        return longs[i] == INT64_MIN;
      case KeyKind::text:
        return addresses[i] == &no_text;
      default:
        return std::isnan(reals[i]);
    }
  }
  bool equals(std::size_t i, const Column& other, std::size_t j) const {
    switch (kind) {
      case KeyKind::int32:
        return ints[i] == other.ints[j];
      case KeyKind::int64:
        return longs[i] == other.longs[j];
      case KeyKind::text:
        return addresses[i] == other.addresses[j];
      case KeyKind::day:
        return std::floor(reals[i]) == std::floor(other.reals[j]);
      default:
        return reals[i] == other.reals[j];
    }
  }
};

// -1, 0 or 1 as value i comes before, beside or after value j; missing ones
// last
int compare(const Column& column, std::size_t i, std::size_t j, bool down) {
  const bool a = column.missing(i), b = column.missing(j);
  if (a || b) return int{a} - int{b};
  auto sign = [&](auto x, auto y) {
    return (x < y ? -1 : y < x ? 1 : 0) * (down ? -1 : 1);
  };
  switch (column.kind) {
    case KeyKind::int32:
      return sign(column.ints[i], column.ints[j]);
    case KeyKind::int64:
      return sign(column.longs[i], column.longs[j]);
    case KeyKind::text:
      return sign(std::strcmp(static_cast<const char*>(column.addresses[i]),
                              static_cast<const char*>(column.addresses[j])),
                  0);
    default:
      return sign(column.reals[i], column.reals[j]);
  }
}

struct Side {
  std::vector<Column> columns;
  Keys keys;
  void read(Bytes& in, std::size_t rows) {
    for (std::size_t i = 0; i < rows; ++i)
      for (Column& column : columns) column.read(in);
    keys.rows = rows;
    for (const Column& column : columns) keys.columns.push_back(column.view());
  }
};

bool rows_equal(const Side& left, std::size_t i, const Side& right,
                std::size_t j, bool match_missing) {
  for (std::size_t k = 0; k < left.columns.size(); ++k) {
    const bool a = left.columns[k].missing(i), b = right.columns[k].missing(j);
    if (a || b) {
      if (!(a && b && match_missing)) return false;
    } else if (!left.columns[k].equals(i, right.columns[k], j)) {
      return false;
    }
  }
  return true;
}

void must(bool holds, const char* what) {
  if (holds) return;
  std::fprintf(stderr, "wrong: %s\n", what);
  std::abort();
}

void check_order(const Context& context, const Side& side, bool down) {
  const std::size_t n = side.keys.rows;
  std::vector<SortColumn> by;
  for (const KeyColumn& column : side.keys.columns)
    by.push_back({column, down, 0});
  const Buffer<Row> order = sort_rows(context, by, n);
  std::vector<bool> seen(n, false);
  for (std::size_t k = 0; k < n; ++k) {
    const auto row = static_cast<std::size_t>(order[k]) - 1;
    must(row < n && !seen[row], "each row once in order");
    seen[row] = true;
    if (k == 0) continue;
    const auto last = static_cast<std::size_t>(order[k - 1]) - 1;
    int sign = 0;
    for (const Column& column : side.columns)
      if (sign == 0) sign = compare(column, last, row, down);
    must(sign < 0 || (sign == 0 && last < row), "rows in order");
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data,
                                      std::size_t size) {
  Bytes in(data, size);
  Context context;
  const std::uint8_t first = in.next();
  context.threads = 1 + (first & 3);
  context.chunk_rows = 1 + (first >> 2);
  const std::uint8_t second = in.next();
  context.path = static_cast<Path>(second % 3);
  const bool match_missing = second & 64, keep = second & 128;
  Side left, right;
  const std::size_t columns = 1 + in.next() % 3;
  for (std::size_t k = 0; k < columns; ++k) {
    Column column{static_cast<KeyKind>(in.next() % 5), {}, {}, {}, {}};
    left.columns.push_back(column);
    right.columns.push_back(column);
  }
  const std::size_t left_rows = in.next() % 48, right_rows = in.next() % 48;
  left.read(in, left_rows);
  right.read(in, right_rows);

  check_order(context, right, match_missing);
  std::vector<Row> range(left_rows + 1), starts, rows;
  const Match match = match_equal(context, left.keys, right.keys, match_missing,
                                  KeyNames::numbers, range.data());
  PairsView view;
  view.range = range.data();
  view.left_rows = left_rows;
  view.right_rows = right_rows;
  if (match.right.repeated) {
    starts.resize(match.right.most + 1);
    rows.resize(match.right.listed);
    list_rows(context, match.right, starts.data(), rows.data());
    view.starts = starts.data();
    view.partners = rows.data();
    view.ranges = match.right.most;
  }
  const Expansion lines(context, view, keep);
  std::vector<Row> lefts(lines.size() + 1), rights(lines.size() + 1);
  lines.write(lefts.data(), rights.data());

  std::size_t at = 0, pairs = 0, matched = 0;
  bool alone_twice = false;
  for (std::size_t i = 0; i < left_rows; ++i) {
    std::size_t partners = 0;
    for (std::size_t j = 0; j < right_rows; ++j) {
      if (!rows_equal(left, i, right, j, match_missing)) continue;
      ++partners;
      must(at < lines.size() && lefts[at] == static_cast<Row>(i + 1) &&
               rights[at] == static_cast<Row>(j + 1),
           "a pair");
      ++at;
    }
    pairs += partners;
    matched += partners > 0;
    if (partners == 0 && keep) {
      must(at < lines.size() && lefts[at] == static_cast<Row>(i + 1) &&
               rights[at] == 0,
           "an unmatched row");
      ++at;
    }
    for (std::size_t k = 0; k < i && partners == 0; ++k)
      alone_twice |=
          range[k] == 0 && rows_equal(left, i, left, k, match_missing);
  }
  must(at == lines.size(), "the number of lines");
  must(matched == match.matched_left, "matched left rows");
  const PairCounts counts = count_disjoint(context, view);
  const PairCounts plain = count_pairs(context, view);
  must(counts.pairs == static_cast<double>(pairs), "pairs");
  must(plain.pairs == counts.pairs && plain.on_both == counts.on_both &&
           plain.matched_right == counts.matched_right &&
           plain.most_left == counts.most_left,
       "the two ways to count");
  const auto alone = unmatched_rows(context, range.data(), left.keys.rows);
  must(repeats_among(context, left.keys, alone, match_missing) == alone_twice,
       "repeats");
  if (!match.right.repeated) {
    const auto marks = mark_right(context, view);
    std::size_t unmarked = 0;
    for (const Row row : unmatched_rows(context, match.found, right_rows)) {
      must(!marks[static_cast<std::size_t>(row) - 1], "an unmatched right row");
      ++unmarked;
    }
    must(unmarked + match.matched_right == right_rows, "unmatched right rows");
  }
  // row numbers and two right columns, which may be laid side by side
  std::vector<Row> gathered(lines.size() + 1);
  std::vector<std::uint64_t> values(right_rows + 1), wide(lines.size() + 1);
  std::vector<std::int32_t> codes(right_rows + 1), narrow(lines.size() + 1);
  for (std::size_t j = 0; j < right_rows; ++j) {
    values[j] = j + 1;
    codes[j] = -static_cast<std::int32_t>(j + 1);
  }
  ColumnJob numbers, wide_job, narrow_job;
  numbers.to = gathered.data();
  wide_job.from = values.data();
  wide_job.to = wide.data();
  wide_job.width = 8;
  narrow_job.from = codes.data();
  narrow_job.to = narrow.data();
  narrow_job.width = 4;
  numbers.right = wide_job.right = narrow_job.right = true;
  if (lines.size())
    gather_lines(context, lines, {numbers, wide_job, narrow_job});
  for (std::size_t k = 0; k < lines.size(); ++k)
    must(gathered[k] == rights[k] && narrow[k] == -rights[k] &&
             wide[k] == static_cast<std::uint64_t>(rights[k]),
         "lines in blocks");
  return 0;
}
