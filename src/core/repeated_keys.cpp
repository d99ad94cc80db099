// Whether a key is repeated among the left rows that found no partner. (That
// two matched rows share a key shows in the counts: more of them than partners.)
//
// Only those rows are grouped, and first a few of them: where keys are repeated
// at all, some thousand rows mostly show it.
#include "equal_match.h"
#include "parallel.h"

namespace ronda::core {
namespace {

// A column of the rows picked, as 64-bit or 32-bit values of the same kind
class PickedColumn {
 public:
  PickedColumn(const Context& context, const KeyColumn& column,
               const Buffer<Row>& rows)
      : column_(column) {
    if (column.kind == KeyKind::int32)
      pick(context, static_cast<const std::int32_t*>(column.data), rows,
           narrow_);
    else
      pick(context, static_cast<const std::uint64_t*>(column.data), rows,
           wide_);
  }
  const KeyColumn& view() const { return column_; }

 private:
  template <class T>
  void pick(const Context& context, const T* values, const Buffer<Row>& rows,
            Buffer<T>& out) {
    out = Buffer<T>(rows.size());
    for_chunks(context, rows.size(),
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t i = begin; i < end; ++i)
                   out[i] = values[rows[i] - 1];
               });
    column_.data = out.data();
  }
  KeyColumn column_;
  Buffer<std::int32_t> narrow_;
  Buffer<std::uint64_t> wide_;
};

bool repeats_in(const Context& context, const Keys& keys,
                const Buffer<Row>& rows, bool match_missing) {
  std::vector<PickedColumn> picked;
  picked.reserve(keys.columns.size());
  Keys some;
  some.rows = rows.size();
  for (const KeyColumn& column : keys.columns) {
    picked.emplace_back(context, column, rows);
    some.columns.push_back(picked.back().view());
  }
  return group_rows(context, some, match_missing).repeated;
}

Buffer<Row> unmatched_rows(const Context& context, std::size_t n,
                           const Row* slot) {
  std::vector<std::size_t> starts(chunk_count(context, n) + 1, 0);
  for_chunks(context, n, [&](std::size_t k, std::size_t begin,
                             std::size_t end) {
    std::size_t count = 0;
    for (std::size_t i = begin; i < end; ++i) count += slot[i] == 0;
    starts[k + 1] = count;
  });
  for (std::size_t k = 1; k < starts.size(); ++k) starts[k] += starts[k - 1];
  // (a place to spare: the last row of a chunk may be written and not kept)
  Buffer<Row> rows(starts.back() + 1);
  for_chunks(context, n, [&](std::size_t k, std::size_t begin,
                             std::size_t end) {
    std::size_t at = starts[k];
    const std::size_t stop = starts[k + 1];
    for (std::size_t i = begin; i < end && at < stop; ++i)
      if (slot[i] == 0) rows[at++] = static_cast<Row>(i + 1);
  });
  Buffer<Row> exact(starts.back());
  std::copy(rows.begin(), rows.begin() + exact.size(), exact.begin());
  return exact;
}

Buffer<Row> leading(const Buffer<Row>& rows, std::size_t most) {
  Buffer<Row> some(std::min(most, rows.size()));
  std::copy(rows.begin(), rows.begin() + some.size(), some.begin());
  return some;
}

}  // namespace

bool repeats_unmatched(const Context& context, const Keys& keys,
                       const Row* slot, bool match_missing) {
  const Buffer<Row> rows = unmatched_rows(context, keys.rows, slot);
  constexpr std::size_t few = 1 << 14;
  if (rows.size() < 2) return false;
  if (repeats_in(context, keys, leading(rows, few), match_missing)) return true;
  return rows.size() > few && repeats_in(context, keys, rows, match_missing);
}

}  // namespace ronda::core
