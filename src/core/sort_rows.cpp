// Each column is a row of words of 64 bits that sort as its values do; a number
// is one word, a text one for every eight bytes. Rows are sorted by the first
// word; runs of equal words by the next, and so on. Most runs are short soon
// and are sorted by comparing all that is left. It stands in for R's own sort
// because the user must be heard meanwhile.
#include "sort_rows.h"

#include "equal_match.h"
#include "sort_entries.h"

namespace ronda::core {
namespace {

using Entry = SortEntry<std::uint64_t>;
constexpr std::uint64_t last_word = UINT64_MAX;  // what is missing

// A place in the words of a row: piece `piece` of column `column`
struct Level {
  std::size_t column = 0, piece = 0;
};

class Words {
 public:
  Words(const std::vector<SortColumn>& columns) : columns_(columns) {}

  std::size_t columns() const { return columns_.size(); }
  bool is_text(std::size_t k) const {
    return columns_[k].column.kind == KeyKind::text;
  }
  const void* source(std::size_t k, Row row) const {
    return text_at(columns_[k], row);
  }

  std::uint64_t operator()(Level level, Row row) const {
    const SortColumn& by = columns_[level.column];
    const std::uint64_t word =
        is_text(level.column) ? piece(by, row, level.piece) : number(by, row);
    return by.descending && word != last_word ? last_word - 1 - word : word;
  }

  void prefetch(Level level, Row row) const {
    const KeyColumn& column = columns_[level.column].column;
    const std::size_t width = column.kind == KeyKind::int32 ? 4 : 8;
    __builtin_prefetch(static_cast<const char*>(column.data) +
                       width * (static_cast<std::size_t>(row) - 1));
  }

  // where rows of one word at this level may differ
  Level next(Level level, std::uint64_t word) const {
    return ends(level, word) ? Level{level.column + 1, 0}
                             : Level{level.column, level.piece + 1};
  }

  // whether no piece follows: one with a zero is the end of its text
  bool ends(Level level, std::uint64_t word) const {
    const SortColumn& by = columns_[level.column];
    if (!is_text(level.column) || word == last_word) return true;
    if (by.descending) word = last_word - 1 - word;
    return (word & 0xff) == 0;
  }

  // the rows by all that follows on `level`; equal ones as they stand
  bool before(Level level, Row a, Row b) const {
    for (; level.column < columns(); ++level.column, level.piece = 0) {
      if (is_text(level.column) &&
          source(level.column, a) == source(level.column, b))
        continue;
      for (;; ++level.piece) {
        const std::uint64_t x = (*this)(level, a), y = (*this)(level, b);
        if (x != y) return x < y;
        if (ends(level, x)) break;
      }
    }
    return a < b;
  }

 private:
  static const char* text_at(const SortColumn& by, Row row) {
    return static_cast<const char* const*>(by.column.data)[row - 1];
  }

  // eight bytes, the first one highest; a piece keeps 0 behind the text's end
  static std::uint64_t piece(const SortColumn& by, Row row, std::size_t piece) {
    const char* text = text_at(by, row);
    if (text == by.column.missing_text) return last_word;
    text = by.characters(text) + piece * 8;
    std::uint64_t word = 0;
    for (int shift = 56; shift >= 0 && *text; shift -= 8, ++text)
      word |= std::uint64_t{static_cast<unsigned char>(*text)} << shift;
    return word;
  }

  static std::uint64_t number(const SortColumn& by, Row row) {
    const auto i = static_cast<std::size_t>(row) - 1;
    switch (by.column.kind) {
      case KeyKind::int32: {
        const auto value = static_cast<const std::int32_t*>(by.column.data)[i];
        return value == INT32_MIN ? last_word
                                  : sort_bits(static_cast<std::int64_t>(value));
      }
      case KeyKind::int64: {
        const auto value = static_cast<const std::int64_t*>(by.column.data)[i];
        return value == INT64_MIN ? last_word : sort_bits(value) - 1;
      }
      default: {
        double value = static_cast<const double*>(by.column.data)[i];
        if (by.column.kind == KeyKind::day) value = std::floor(value);
        return value != value ? last_word : sort_bits(value);
      }
    }
  }

  const std::vector<SortColumn>& columns_;
};

struct Run {
  std::size_t begin, end;
  Level level;
};

class Sorter {
 public:
  Sorter(const Context& context, const std::vector<SortColumn>& columns,
         std::size_t rows)
      : context_(context),
        words_(columns),
        few_(std::min<std::size_t>(few_rows, context.chunk_rows)),
        entries_(rows),
        other_(rows) {}

  Buffer<Row> order() {
    const std::size_t n = entries_.size();
    for_all(0, n, [&](std::size_t k) { entries_[k].row = row_at(k); });
    if (!in_order()) {
      std::vector<Run> left;
      if (n > 1) left.push_back({0, n, Level{}});
      while (!left.empty()) {
        const Run run = left.back();
        left.pop_back();
        sort(run, left);
      }
    }
    Buffer<Row> out(n);
    for_all(0, n, [&](std::size_t k) { out[k] = entries_[k].row; });
    return out;
  }

 private:
  static constexpr std::size_t few_rows = 16384;  // one thread sorts so many
  static constexpr std::size_t comparing_pays = 256;

  static Row row_at(std::size_t k) { return static_cast<Row>(k + 1); }

  template <class Each>
  void for_all(std::size_t begin, std::size_t end, Each&& each) {
    for_rows(context_, end - begin, [&](std::size_t k) { each(begin + k); });
  }

  bool in_order() {
    std::atomic<bool> ordered{true};
    for_all(1, std::max<std::size_t>(1, entries_.size()), [&](std::size_t k) {
      if (ordered && words_.before(Level{}, row_at(k), row_at(k - 1)))
        ordered = false;
    });
    return ordered;
  }

  void sort(const Run& run, std::vector<Run>& left) {
    if (run.end - run.begin <= few_) {
      sort_few(run.begin, run.end, run.level);
      return;
    }
    if (!fill(run)) {  // one and the same text in all
      push(run.begin, run.end, {run.level.column + 1, 0}, left);
      return;
    }
    sort_together(context_, &entries_[run.begin], &other_[run.begin],
                  run.end - run.begin);
    go_on(run, left);
  }

  void load(std::size_t k, std::size_t end, Level level) {
    if (k + prefetch_distance < end)
      words_.prefetch(level, entries_[k + prefetch_distance].row);
    entries_[k].value = words_(level, entries_[k].row);
  }

  // the words of a run; false where there is no need to look at them
  bool fill(const Run& run) {
    const std::size_t column = run.level.column;
    std::atomic<bool> varies{!words_.is_text(column)};
    const void* one =
        varies ? nullptr : words_.source(column, entries_[run.begin].row);
    for_all(run.begin, run.end, [&](std::size_t k) {
      load(k, run.end, run.level);
      if (!varies && words_.source(column, entries_[k].row) != one)
        varies = true;
    });
    return varies;
  }

  // Sorts the short runs of equal words inside a sorted run, lists the others.
  // A chunk sees to the runs that begin in it; where its first one does, and
  // the next chunk's, is settled before anything is moved.
  void go_on(const Run& run, std::vector<Run>& left) {
    const std::size_t n = run.end - run.begin;
    const std::size_t chunks = chunk_count(context_, n);
    const Entry* sorted = &entries_[run.begin];
    std::vector<std::size_t> first(chunks + 1, n);
    for_chunks(context_, n,
               [&](std::size_t c, std::size_t begin, std::size_t end) {
                 while (begin < end && begin > 0 &&
                        sorted[begin].value == sorted[begin - 1].value)
                   ++begin;
                 if (begin < end) first[c] = begin;
               });
    for (std::size_t c = chunks; c-- > 0;)
      first[c] = std::min(first[c], first[c + 1]);
    std::vector<Run> large(n / few_ + 1);
    std::atomic<std::size_t> larges{0};
    for_chunks(context_, n, [&](std::size_t c, std::size_t, std::size_t) {
      for (std::size_t begin = first[c], stop; begin < first[c + 1];
           begin = stop) {
        const std::uint64_t word = sorted[begin].value;
        stop = begin + 1;
        while (stop < first[c + 1] && sorted[stop].value == word) ++stop;
        const Level next = words_.next(run.level, word);
        if (stop - begin > few_)
          large[larges++] = {run.begin + begin, run.begin + stop, next};
        else if (stop - begin > 1)
          sort_few(run.begin + begin, run.begin + stop, next);
      }
    });
    for (std::size_t k = 0; k < larges; ++k)
      push(large[k].begin, large[k].end, large[k].level, left);
  }

  void push(std::size_t begin, std::size_t end, Level level,
            std::vector<Run>& left) const {
    if (level.column < words_.columns()) left.push_back({begin, end, level});
  }

  // By this level's words, and what is equal then by all that follows
  void sort_few(std::size_t begin, std::size_t end, Level level) {
    if (level.column >= words_.columns()) return;
    bool ordered = true;
    for (std::size_t k = begin; k < end; ++k) {
      load(k, end, level);
      ordered =
          ordered && (k == begin || entries_[k - 1].value <= entries_[k].value);
    }
    if (!ordered)
      sort_alone(&entries_[begin], &other_[begin], end - begin, comparing_pays);
    while (begin < end) {
      const std::uint64_t word = entries_[begin].value;
      std::size_t stop = begin + 1;
      while (stop < end && entries_[stop].value == word) ++stop;
      sort_equal(begin, stop, words_.next(level, word));
      begin = stop;
    }
  }

  void sort_equal(std::size_t begin, std::size_t end, Level level) {
    if (end - begin < 2 || level.column >= words_.columns()) return;
    auto before = [&](const Entry& a, const Entry& b) {
      return words_.before(level, a.row, b.row);
    };
    Entry *from = &entries_[begin], *to = from + (end - begin);
    if (!std::is_sorted(from, to, before)) std::sort(from, to, before);
  }

  const Context& context_;
  Words words_;
  std::size_t few_;
  Buffer<Entry> entries_, other_;
};

// Of texts spread over the column, are more than half met twice?
bool repeats_texts(const KeyColumn& column, std::size_t rows) {
  constexpr std::size_t sample = 1024;
  if (rows < 4 * sample) return false;
  const auto* text = static_cast<const void* const*>(column.data);
  std::vector<const void*> seen(sample);
  for (std::size_t k = 0; k < sample; ++k) seen[k] = text[k * (rows / sample)];
  std::sort(seen.begin(), seen.end());
  return std::unique(seen.begin(), seen.end()) - seen.begin() <
         static_cast<std::ptrdiff_t>(sample / 2);
}

// Numbers that sort as the texts of a column do. Only the different texts are
// sorted.
Buffer<std::int32_t> ranks(const Context& context, const SortColumn& by,
                           std::size_t rows) {
  const Grouping grouping = group_rows(context, {{by.column}, rows}, false);
  const auto* text = static_cast<const void* const*>(by.column.data);
  std::vector<const void*> kinds;
  Buffer<std::int32_t> out(rows);
  // until they are sorted, a kind is known by its number in order of rows
  for_chunks_in_order(context, rows, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const auto first = static_cast<std::size_t>(grouping.key[i]);
      if (first == i + 1) kinds.push_back(text[i]);
      out[i] = first == 0       ? INT32_MIN
               : first == i + 1 ? static_cast<std::int32_t>(kinds.size())
                                : out[first - 1];
    }
  });
  SortColumn one = by;
  one.column.data = kinds.data();
  one.descending = false;
  const Buffer<Row> order = Sorter(context, {one}, kinds.size()).order();
  std::vector<std::int32_t> rank(kinds.size());
  for (std::size_t k = 0; k < order.size(); ++k)
    rank[order[k] - 1] = static_cast<std::int32_t>(k);
  for_rows(context, rows, [&](std::size_t i) {
    if (out[i] != INT32_MIN) out[i] = rank[out[i] - 1];
  });
  return out;
}

}  // namespace

Buffer<Row> sort_rows(const Context& context, std::vector<SortColumn> columns,
                      std::size_t rows) {
  std::vector<Buffer<std::int32_t>> ranked(columns.size());
  for (std::size_t k = 0; k < columns.size(); ++k) {
    KeyColumn& column = columns[k].column;
    if (column.kind != KeyKind::text || !repeats_texts(column, rows)) continue;
    ranked[k] = ranks(context, columns[k], rows);
    column = {KeyKind::int32, ranked[k].data(), nullptr};
  }
  return Sorter(context, columns, rows).order();
}

void best_partner(const Context& context, const PairsView& pairs,
                  const SortColumn& by, Row* chosen) {
  if (!pairs.starts) {
    std::copy_n(pairs.range, pairs.left_rows, chosen);
    return;
  }
  const std::vector<SortColumn> columns{by};
  const Words words(columns);
  Buffer<Row> best(pairs.ranges);
  Context few = context;  // (ranges may be long)
  few.chunk_rows = std::min<std::size_t>(context.chunk_rows, 16);
  for_rows(few, pairs.ranges, [&](std::size_t s) {
    const Row* partner = pairs.partners + pairs.starts[s];
    const Row* end = pairs.partners + pairs.starts[s + 1];
    best[s] = partner == end ? 0 : *partner;
    for (; partner < end; ++partner) {
      if (partner + prefetch_distance < end)
        words.prefetch(Level{}, partner[prefetch_distance]);
      if (words.before(Level{}, *partner, best[s])) best[s] = *partner;
    }
  });
  for_rows(context, pairs.left_rows, [&](std::size_t i) {
    chosen[i] = pairs.range[i] ? best[pairs.range[i] - 1] : 0;
  });
}

}  // namespace ronda::core
