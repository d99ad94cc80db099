#include "equal_match.h"

#include "key_table.h"
#include "pack_keys.h"
#include "parallel.h"

namespace ronda::core {
namespace {

// Direct addressing pays up to about the memory that hashing would take.
bool is_dense(const Context& context, const WholeRange& range,
              std::size_t rows) {
  if (context.path == Path::hashed || !range.whole) return false;
  const std::uint64_t most = context.path == Path::direct
                                 ? std::uint64_t{1} << 26
                                 : std::uint64_t{1} << 16;
  return range.span() <= std::max<std::uint64_t>(most, 8 * rows);
}

// calls action(table) with the table that suits the keys of `n` rows
template <class Reader, class Action>
auto with_table(const Context& context, const Reader& reader, std::size_t n,
                Action&& action) {
  if constexpr (Reader::countable) {
    const WholeRange range = whole_range(context, reader, n);
    if (is_dense(context, range, n)) {
      DirectTable<Reader> table(range, reader);
      return action(table);
    }
  }
  HashTable<Reader> table(n);
  return action(table);
}

// `first` is written from the first row on that is not its own first
class GroupWriter {
 public:
  explicit GroupWriter(std::size_t rows) : rows_(rows) {}
  void write(std::size_t i, Row first) {
    const Row self = static_cast<Row>(i + 1);
    if (first == self && grouping_.first.empty()) return;
    if (grouping_.first.empty()) start(i);
    grouping_.first[i] = first;
    grouping_.repeated |= first != 0 && first != self;
  }
  Grouping take() { return std::move(grouping_); }

 private:
  void start(std::size_t i) {
    grouping_.first.resize(rows_);
    for (std::size_t k = 0; k < i; ++k)
      grouping_.first[k] = static_cast<Row>(k + 1);
  }
  std::size_t rows_;
  Grouping grouping_;
};

template <class Table, class Reader>
Grouping fill_table(const Context& context, Table& table, const Reader& reader,
                    std::size_t n, bool match_missing) {
  GroupWriter writer(n);
  for_chunks_in_order(context, n, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + prefetch_distance < n)
        table.prefetch(table.locate(reader(i + prefetch_distance)));
      const auto word = reader(i);
      const bool skip = !match_missing && reader.missing(word);
      writer.write(i, skip ? 0 : table.put(table.locate(word), word,
                                           static_cast<Row>(i + 1)));
    }
  });
  return writer.take();
}

template <class Table, class Reader>
void look_up(const Context& context, const Table& table, const Reader& reader,
             std::size_t n, bool match_missing, Row* slot) {
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      if (i + prefetch_distance < end)
        table.prefetch(table.locate(reader(i + prefetch_distance)));
      const auto word = reader(i);
      const bool skip = !match_missing && reader.missing(word);
      slot[i] = skip ? 0 : table.find(table.locate(word), word);
    }
  });
}

template <class Reader>
Grouping match_words(const Context& context, const Reader& left,
                     std::size_t left_rows, const Reader& right,
                     std::size_t right_rows, bool match_missing, Row* slot) {
  return with_table(context, right, right_rows, [&](auto& table) {
    Grouping grouping =
        fill_table(context, table, right, right_rows, match_missing);
    look_up(context, table, left, left_rows, match_missing, slot);
    return grouping;
  });
}

// Matches one or two columns; more are first folded to two.
Grouping match_columns(const Context& context, Keys left, Keys right,
                       bool match_missing, Row* slot) {
  PackedKeys packed = pack_keys(context, left, right, match_missing);
  std::vector<std::vector<Row>> folded;  // keeps the folded columns alive
  while (left.columns.size() > 2) {
    std::vector<Row> codes(left.rows);
    Keys first_left{{left.columns[0], left.columns[1]}, left.rows};
    Keys first_right{{right.columns[0], right.columns[1]}, right.rows};
    Grouping grouping = match_columns(context, first_left, first_right,
                                      match_missing, codes.data());
    fold_columns(left, right, std::move(codes), std::move(grouping), folded);
  }
  if (left.columns.size() == 2) {
    const std::vector<TwoWords> left_words = two_words(context, left);
    const std::vector<TwoWords> right_words = two_words(context, right);
    const TwoWords missing{missing_word(right.columns[0]),
                           missing_word(right.columns[1])};
    return match_words(context, TwoReader{left_words.data(), missing},
                       left.rows, TwoReader{right_words.data(), missing},
                       right.rows, match_missing, slot);
  }
  return with_reader(left.columns[0], [&](auto reader) {
    using Reader = decltype(reader);
    Reader other = reader;
    other.values = static_cast<decltype(other.values)>(right.columns[0].data);
    return match_words(context, reader, left.rows, other, right.rows,
                       match_missing, slot);
  });
}

Ranges list_rows(const Grouping& grouping, std::size_t rows) {
  Ranges ranges;
  if (!grouping.repeated) return ranges;
  ranges.starts.assign(rows + 1, 0);
  for (std::size_t i = 0; i < rows; ++i)
    if (grouping.first[i]) ++ranges.starts[grouping.first[i]];
  for (std::size_t i = 0; i < rows; ++i)
    ranges.starts[i + 1] += ranges.starts[i];
  ranges.rows.resize(ranges.starts[rows]);
  std::vector<Row> next(ranges.starts);
  for (std::size_t i = 0; i < rows; ++i)
    if (grouping.first[i])
      ranges.rows[next[grouping.first[i] - 1]++] = static_cast<Row>(i + 1);
  return ranges;
}

}  // namespace

Ranges match_equal(const Context& context, const Keys& left, const Keys& right,
                   bool match_missing, Row* slot) {
  const Grouping grouping =
      match_columns(context, left, right, match_missing, slot);
  return list_rows(grouping, right.rows);
}

Grouping group_rows(const Context& context, const Keys& keys,
                    bool match_missing) {
  std::vector<Row> slot(keys.rows);
  return match_columns(context, keys, keys, match_missing, slot.data());
}

std::size_t count_missing(const Context& context, const Keys& keys) {
  if (keys.columns.size() == 1) {
    std::atomic<std::size_t> total{0};
    with_reader(keys.columns[0], [&](auto reader) {
      for_chunks(context, keys.rows,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   std::size_t count = 0;
                   for (std::size_t i = begin; i < end; ++i)
                     count += reader.missing(reader(i));
                   total += count;
                 });
    });
    return total;
  }
  std::vector<std::uint8_t> missing(keys.rows, 0);
  for (const KeyColumn& column : keys.columns)
    with_reader(column, [&](auto reader) {
      for_chunks(context, keys.rows,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   for (std::size_t i = begin; i < end; ++i)
                     missing[i] |= reader.missing(reader(i));
                 });
    });
  std::size_t total = 0;
  for (std::uint8_t flag : missing) total += flag;
  return total;
}

}  // namespace ronda::core
