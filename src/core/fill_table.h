// The two loops over rows that every match consists of: fill a table with the
// rows of one side, look the rows of the other side up in it.
//
// A table has as many parts as there are threads, and each thread goes through
// all rows but puts in only those of its own part. No place is written by two
// threads, so the first row of a key is the first in order, whatever the
// number of threads, without locks; the keys are read once a thread, but in
// order, which is little beside access at random. Rows wait in batches until
// their places are in the cache.
#pragma once
#include <vector>

#include "key_table.h"
#include "parallel.h"

namespace ronda::core {

constexpr std::size_t batch_rows = 64;

struct FillCounts {
  std::size_t missing = 0;  // rows with a missing key
  bool repeated = false;    // some key stands in several rows
  bool full = false;        // a part was too small: the table is of no use
};

// The work of one thread on its part of a table
template <class Table>
class PartFiller {
 public:
  using Word = typename Table::Word;
  PartFiller(Table& table, std::size_t part)
      : table_(table),
        begin_(table.part_begin(part)),
        places_(table.part_begin(part + 1) - begin_) {}

  // (written without a branch: which thread a row belongs to is a coin toss)
  void offer(const Word& word, Row row) {
    const std::size_t at = table_.locate(word);
    Batch& batch = batches_[filling_];
    batch.entries[batch.size] = Entry{at, word, row};
    batch.size += at - begin_ < places_;
    if (batch.size == batch_rows) turn();
  }
  void finish() {
    turn();
    turn();
  }
  bool repeated() const { return repeated_; }
  bool full() const { return full_; }

 private:
  struct Entry {
    std::size_t at;
    Word word;
    Row row;
  };
  struct Batch {
    Entry entries[batch_rows];
    std::size_t size = 0;
  };
  // asks for the places of the batch just filled, puts in the one before
  void turn() {
    const Batch& fresh = batches_[filling_];
    for (std::size_t k = 0; k < fresh.size; ++k)
      table_.prefetch(fresh.entries[k].at);
    filling_ = 1 - filling_;
    Batch& waiting = batches_[filling_];
    for (std::size_t k = 0; k < waiting.size; ++k) {
      const Entry& entry = waiting.entries[k];
      const Row first = table_.put(entry.at, entry.word, entry.row);
      repeated_ |= first != entry.row;
      full_ |= first == 0;
    }
    waiting.size = 0;
  }
  Table& table_;
  std::size_t begin_, places_;
  Batch batches_[2];
  int filling_ = 0;
  bool repeated_ = false, full_ = false;
};

template <class Table, class Reader>
FillCounts fill_table(const Context& context, Table& table,
                      const Reader& reader, std::size_t n,
                      bool match_missing) {
  std::vector<FillCounts> counts(table.parts());
  for_parts(context, table.parts(), [&](std::size_t part, Crew::Hand& hand) {
    PartFiller<Table> filler(table, part);
    std::size_t missing = 0;
    for_own_chunks(context, hand, n, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        const auto word = reader(i);
        if (reader.missing(word)) {
          ++missing;
          if (!match_missing) continue;
        }
        filler.offer(word, static_cast<Row>(i + 1));
      }
    });
    filler.finish();
    counts[part] = FillCounts{missing, filler.repeated(), filler.full()};
  });
  FillCounts all = counts[0];
  for (const FillCounts& part : counts) {
    all.repeated |= part.repeated;
    all.full |= part.full;
  }
  return all;
}

struct LookUpCounts {
  std::size_t matched = 0;  // rows whose key was found
  std::size_t missing = 0;  // rows with a missing key
};

// find(place, word) is asked for each row, whose place is in the cache by then
template <class Table, class Reader, class Find>
LookUpCounts look_up(const Context& context, const Table& table,
                     const Reader& reader, std::size_t n, bool match_missing,
                     Find&& find, Row* slot) {
  std::vector<LookUpCounts> counts(chunk_count(context, n));
  for_chunks(context, n, [&](std::size_t chunk, std::size_t begin,
                             std::size_t end) {
    LookUpCounts count;
    std::size_t places[2 * batch_rows];
    auto locate = [&](std::size_t from) {
      const std::size_t to = std::min(end, from + batch_rows);
      for (std::size_t i = from; i < to; ++i) {
        const std::size_t at = table.locate(reader(i));
        places[(i - begin) % (2 * batch_rows)] = at;
        table.prefetch(at);
      }
    };
    locate(begin);
    for (std::size_t from = begin; from < end; from += batch_rows) {
      if (from + batch_rows < end) locate(from + batch_rows);
      const std::size_t to = std::min(end, from + batch_rows);
      for (std::size_t i = from; i < to; ++i) {
        const auto word = reader(i);
        const bool missing = reader.missing(word);
        count.missing += missing;
        const Row row = missing && !match_missing
                            ? 0
                            : find(places[(i - begin) % (2 * batch_rows)], word);
        slot[i] = row;
        count.matched += row != 0;
      }
    }
    counts[chunk] = count;
  });
  LookUpCounts all;
  for (const LookUpCounts& count : counts) {
    all.matched += count.matched;
    all.missing += count.missing;
  }
  return all;
}

template <class Table>
std::size_t count_marked(const Context& context, const Table& table) {
  return count_rows(context, table.places(),
                    [&](std::size_t at) { return table.marked(at); });
}

}  // namespace ronda::core
