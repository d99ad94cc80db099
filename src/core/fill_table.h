// The two loops over rows that every match consists of: fill a table with the
// rows of one side, look the rows of the other side up in it.
//
// A table has as many parts as there are threads, and each thread goes through
// all rows but puts in only those of its own part. No place is written by two
// threads, so the first row of a key is the first in order, whatever the
// number of threads, without locks; the keys are read once a thread, but in
// order, which is little beside access at random.
//
// Either loop asks for a row's place some rows before it goes there, one request
// a row: requests in bursts of 64 had to wait for each other, 14 ns a row to look
// up 1e6 keys by hash where it now takes 10, and 19 for 1e7 keys where it takes 14.
#pragma once
#include <vector>

#include "found_rows.h"
#include "key_table.h"
#include "parallel.h"
#include "shares.h"

namespace ronda::core {

struct FillCounts {
  std::size_t missing = 0;  // rows with a missing key
  bool repeated = false;    // some key stands in several rows
  bool full = false;        // a part was too small: the table is of no use
};

template <class Table, class Reader>
FillCounts fill_table(const Context& context, Table& table,
                      const Reader& reader, std::size_t n,
                      bool match_missing) {
  struct Entry {
    std::size_t at;
    typename Reader::Word word;
    Row row;
  };
  std::vector<FillCounts> counts(table.parts());
  for_parts(context, table.parts(), [&](std::size_t part, Crew::Hand& hand) {
    const std::size_t low = table.part_begin(part);
    const std::size_t places = table.part_begin(part + 1) - low;
    FillCounts count;
    auto put = [&](const Entry& entry) {
      const Row first = table.put(entry.at, entry.word, entry.row);
      count.repeated |= first != entry.row;
      count.full |= first == 0;
    };
    for_own_chunks(context, hand, n, [&](std::size_t begin, std::size_t end) {
      Ring<Entry, decltype(put)> ring(put);
      for (std::size_t i = begin; i < end; ++i) {
        const auto word = reader(i);
        if (reader.missing(word)) {
          ++count.missing;
          if (!match_missing) continue;
        }
        const std::size_t at = table.locate(word);
        const bool own = at - low < places;
        table.prefetch(own ? at : low);
        ring.offer(Entry{at, word, static_cast<Row>(i + 1)}, own);
      }
      ring.finish();
    });
    counts[part] = count;
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

// slot[i]: the first row of the table with the key of row i, 0 if there is none;
// the rows found are told to `found`
template <class Table, class Reader, class Found>
LookUpCounts look_up(const Context& context, const Table& table,
                     const Reader& reader, std::size_t n, bool match_missing,
                     Found&& found, Row* slot) {
  std::vector<LookUpCounts> counts(chunk_count(context, n));
  for_chunks_by_hand(context, n, [&](std::size_t chunk, std::size_t begin,
                                     std::size_t end, const Crew::Hand& hand) {
    constexpr std::size_t ring_size = 32;
    static_assert(prefetch_distance < ring_size);
    std::size_t places[ring_size];
    auto ask = [&](std::size_t i) {
      const std::size_t at = table.locate(reader(i));
      places[i % ring_size] = at;
      table.prefetch(at);
    };
    LookUpCounts count;
    auto note = found.noting(hand);
    auto answer = [&](std::size_t i) {
      const auto word = reader(i);
      const bool missing = reader.missing(word);
      const Row row = missing && !match_missing
                          ? 0
                          : table.find(places[i % ring_size], word);
      slot[i] = row;
      note(row);
      count.missing += missing;
      count.matched += row != 0;
    };
    const std::size_t ahead = std::min(prefetch_distance, end - begin);
    for (std::size_t i = begin; i < begin + ahead; ++i) ask(i);
    for (std::size_t i = begin; i < end; ++i) {
      if (i + ahead < end) ask(i + ahead);
      answer(i);
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

}  // namespace ronda::core
