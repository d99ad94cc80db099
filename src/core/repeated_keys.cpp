// Whether a key is repeated among the left rows that found no partner. (That
// two matched rows share a key shows in the counts: more of them than partners.)
//
// Nearly always the answer is no, and nearly always it can be had without a
// table of the keys: a row whose scrambled key is alone in a field of bits,
// eight and more to a key, shares it with no other. Only the rest, some 6 of
// 100, is grouped. 1e6 unmatched text keys took 60 ms grouped, 12 ms this way.
#include "equal_match.h"
#include "key_table.h"
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

// the rows whose bit is shared with another row
template <class Reader>
Buffer<Row> sharing_a_bit(const Context& context, const Reader& reader,
                          const Buffer<Row>& rows, bool match_missing) {
  int bits = 9;
  while ((std::size_t{1} << bits) < 8 * rows.size()) ++bits;
  const std::size_t words = std::size_t{1} << (bits - 6);
  Buffer<std::uint64_t> once(words, Start::zero), again(words, Start::zero);
  auto place = [&](std::size_t k) {
    return scramble(reader(rows[k] - 1)) >> (64 - bits);
  };
  auto for_places = [&](auto&& action) {
    std::uint64_t ahead[prefetch_distance] = {};
    const std::size_t n = rows.size();
    for_chunks_in_order(context, n + prefetch_distance, [&](std::size_t begin,
                                                            std::size_t end) {
      for (std::size_t k = begin; k < end; ++k) {
        std::uint64_t& at = ahead[k % prefetch_distance];
        if (k >= prefetch_distance) action(k - prefetch_distance, at);
        if (k >= n) continue;
        at = place(k);
        __builtin_prefetch(&once[at >> 6], 1);
      }
    });
  };
  for_places([&](std::size_t, std::uint64_t at) {
    const std::uint64_t bit = std::uint64_t{1} << (at & 63);
    again[at >> 6] |= once[at >> 6] & bit;
    once[at >> 6] |= bit;
  });
  std::vector<Row> sharing;
  for_places([&](std::size_t k, std::uint64_t at) {
    const bool counts =
        match_missing || !reader.missing(reader(rows[k] - 1));
    if (counts && (again[at >> 6] >> (at & 63) & 1)) sharing.push_back(rows[k]);
  });
  Buffer<Row> exact(sharing.size());
  std::copy(sharing.begin(), sharing.end(), exact.begin());
  return exact;
}

}  // namespace

bool repeats_unmatched(const Context& context, const Keys& keys,
                       const Row* slot, bool match_missing) {
  const Buffer<Row> rows = unmatched_rows(context, keys.rows, slot);
  constexpr std::size_t few = 1 << 14;
  if (rows.size() < 2) return false;
  // where keys are repeated at all, the first rows mostly show it
  if (repeats_in(context, keys, leading(rows, few), match_missing)) return true;
  if (rows.size() <= few) return false;
  if (keys.columns.size() > 1)
    return repeats_in(context, keys, rows, match_missing);
  return with_reader(keys.columns[0], [&](auto reader) {
    return repeats_in(context, keys,
                      sharing_a_bit(context, reader, rows, match_missing),
                      match_missing);
  });
}

}  // namespace ronda::core
