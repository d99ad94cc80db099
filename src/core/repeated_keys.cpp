// Whether a key is repeated among the rows that found no partner. (That two
// matched left rows share a key shows in the counts: more of them than
// partners.)
//
// Only those rows are grouped, and first a few of them: where keys are repeated
// at all, some thousand rows mostly show it.
#include "repeated_keys.h"
#include "gather.h"
#include "pairs.h"

namespace ronda::core {
namespace {

// A column of the rows picked, as 64-bit or 32-bit values of the same kind
class PickedColumn {
 public:
  PickedColumn(const Context& context, const KeyColumn& column, const Row* rows,
               std::size_t n)
      : column_(column) {
    if (column.kind == KeyKind::int32)
      pick(context, static_cast<const std::int32_t*>(column.data), rows, n,
           narrow_);
    else
      pick(context, static_cast<const std::uint64_t*>(column.data), rows, n,
           wide_);
  }
  const KeyColumn& view() const { return column_; }

 private:
  template <class T>
  void pick(const Context& context, const T* values, const Row* rows,
            std::size_t n, Buffer<T>& out) {
    out = Buffer<T>(n);
    gather(context, values, rows, n, T{}, out.data());
    column_.data = out.data();
  }
  KeyColumn column_;
  Buffer<std::int32_t> narrow_;
  Buffer<std::uint64_t> wide_;
};

bool repeats_in(const Context& context, const Keys& keys, const Row* rows,
                std::size_t n, bool match_missing) {
  std::vector<PickedColumn> picked;
  picked.reserve(keys.columns.size());
  Keys some;
  some.rows = n;
  for (const KeyColumn& column : keys.columns) {
    picked.emplace_back(context, column, rows, n);
    some.columns.push_back(picked.back().view());
  }
  return has_repeats(context, some, match_missing);
}

}  // namespace

Buffer<Row> unmatched_rows(const Context& context, const Row* range,
                           std::size_t n) {
  return rows_where(context, n, [&](std::size_t i) { return range[i] == 0; });
}

Buffer<Row> unmatched_rows(const Context& context, const FoundRows& found,
                           std::size_t n) {
  return rows_where(context, n, [&](std::size_t i) {
    return !found.has(static_cast<Row>(i + 1));
  });
}

bool repeats_among(const Context& context, const Keys& keys,
                   const Buffer<Row>& rows, bool match_missing) {
  constexpr std::size_t few = 1 << 14;
  auto repeats_in_first = [&](std::size_t n) {
    return repeats_in(context, keys, rows.data(), n, match_missing);
  };
  if (rows.size() < 2) return false;
  if (repeats_in_first(std::min(few, rows.size()))) return true;
  return rows.size() > few && repeats_in_first(rows.size());
}

}  // namespace ronda::core
