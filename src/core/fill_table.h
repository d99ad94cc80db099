// The two loops over rows that every match consists of: fill a table with the
// rows of one side, look the rows of the other side up in it.
//
// A table has as many parts as there are threads, and each thread goes through
// all rows but puts in only those of its own part. No place is written by two
// threads, so the first row of a key is the first in order, whatever the
// number of threads, without locks; the keys are read once a thread, but in
// order, which is little beside access at random.
//
// Either loop asks for a row's place some rows before it goes there, one
// request a row: requests in bursts have to wait for each other.
#pragma once
#include <vector>

#include "found_rows.h"
#include "key_table.h"
#include "made_words.h"
#include "parallel.h"
#include "shares.h"

namespace ronda::core {

struct FillCounts {
  std::size_t missing = 0;  // rows with a missing key
  std::size_t keys = 0;     // different keys
  bool repeated = false;    // some key stands in several rows
  bool full = false;        // a part was too small: the table is of no use
};

struct Filled {
  FillCounts all;
  std::vector<FillCounts> parts;
};

template <class Table, class Reader>
Filled fill_table(const Context& context, Table& table, const Reader& reader,
                  std::size_t n, bool match_missing) {
  struct Entry {
    std::size_t at;
    typename Reader::Word word;
    Row row;
  };
  Filled filled;
  filled.parts.resize(table.parts());
  Reading<Reader> reading(context, reader);
  for_parts(context, table.parts(), [&](std::size_t part, Crew::Hand& hand) {
    const std::size_t low = table.part_begin(part);
    const std::size_t places = table.part_begin(part + 1) - low;
    const auto view = table.view();
    FillCounts count;
    auto put = [&](const Entry& entry) {
      const Row first = table.put(view, entry.at, entry.word, entry.row);
      count.repeated |= first != entry.row;
      count.keys += first == entry.row;
      count.full |= first == 0;
    };
    auto put_all = [&](std::size_t begin, std::size_t end) {
      const auto words = reading.piece(hand, begin, end);
      Ring<Entry, decltype(put)> ring(put);
      for (std::size_t i = begin; i < end; ++i) {
        const auto word = words(i);
        if (words.missing(word)) {
          ++count.missing;
          if (!match_missing) continue;
        }
        const std::size_t at = view.locate(word);
        const bool own = at - low < places;
        view.prefetch(own ? at : low);
        ring.offer(Entry{at, word, static_cast<Row>(i + 1)}, own);
      }
      ring.finish();
    };
    for_own_chunks(reading.context(), hand, n, put_all);
    filled.parts[part] = count;
  });
  // Each thread has seen all rows and counted all missing keys.
  filled.all.missing = filled.parts[0].missing;
  for (const FillCounts& part : filled.parts) {
    filled.all.keys += part.keys;
    filled.all.repeated |= part.repeated;
    filled.all.full |= part.full;
  }
  return filled;
}

// Numbers from 1 on in place of the first rows, in the order of the keys. What
// is kept by key then takes as many places as there are keys and not as there
// are rows, which the cache is more likely to hold. (Numbers in the order of a
// hash table would scatter the ranges of sorted rows.)
template <class Table>
void number_keys(const Context& context, Table& table, const Filled& filled) {
  std::vector<Row> before(table.parts(), 0);
  for (std::size_t part = 1; part < before.size(); ++part)
    before[part] =
        before[part - 1] + static_cast<Row>(filled.parts[part - 1].keys);
  for_parts(context, table.parts(), [&](std::size_t part, Crew::Hand& hand) {
    const std::size_t low = table.part_begin(part);
    Row last = before[part];
    for_own_chunks(context, hand, table.part_begin(part + 1) - low,
                   [&](std::size_t begin, std::size_t end) {
                     for (std::size_t at = low + begin; at < low + end; ++at)
                       table.number(at, last);
                   });
  });
}

struct LookUpCounts {
  std::size_t matched = 0;  // rows whose key was found
  std::size_t missing = 0;  // rows with a missing key
};

// Rows `begin` to `end` looked up in a table that fits the inner cache: nothing
// is asked for ahead. (All is given by value, here and below: what is written
// could else be any of it, which would be read again for each row.)
template <class View, class Reader, class Notes>
LookUpCounts look_up_near(const View table, const Reader reader,
                          std::size_t begin, std::size_t end, const Notes notes,
                          Row* key_of) {
  LookUpCounts count;
  for (std::size_t i = begin; i < end; ++i) {
    const auto word = reader(i);
    const Row row = table.find(table.locate(word), word);
    key_of[i] = row;
    notes.set(row);
    count.matched += row != 0;
    count.missing += reader.missing(word);
  }
  return count;
}

// What is found is noted some rows later, when the place for the note is at
// hand.
constexpr std::size_t note_distance = 16;

template <class View, class Reader, class Notes>
LookUpCounts look_up_far(const View table, const Reader reader,
                         std::size_t begin, std::size_t end, const Notes notes,
                         Row* key_of) {
  constexpr std::size_t ring_size = 32;
  static_assert(prefetch_distance < ring_size);
  std::size_t places[ring_size];
  LookUpCounts count;
  auto ask = [&](std::size_t i) {
    const auto word = reader(i);
    const std::size_t at = table.locate(word);
    places[i % ring_size] = at;
    table.prefetch(at);
    count.missing += reader.missing(word);
  };
  // Missing keys that equal nothing were never put in.
  auto answer = [&](std::size_t i) {
    const Row row = table.find(places[i % ring_size], reader(i));
    key_of[i] = row;
    notes.prefetch(row);
    count.matched += row != 0;
  };
  const std::size_t ahead = std::min(prefetch_distance, end - begin);
  const std::size_t behind = std::min(note_distance, end - begin);
  for (std::size_t i = begin; i < begin + ahead; ++i) ask(i);
  for (std::size_t i = begin; i < end; ++i) {
    if (i + ahead < end) ask(i + ahead);
    answer(i);
    if (i >= begin + behind) notes.set(key_of[i - behind]);
  }
  for (std::size_t i = end - behind; i < end; ++i) notes.set(key_of[i]);
  return count;
}

constexpr std::size_t near_bytes = std::size_t{1} << 17;

// key_of[i]: the first row with the key of row i, or the key's number, as the
// table has it, 0 if it has none; what is found is told to `found`
template <class Table, class Reader, class Found>
LookUpCounts look_up(const Context& context, const Table& table,
                     const Reader& reader, std::size_t n, Found&& found,
                     Row* key_of) {
  Reading<Reader> reading(context, reader);
  std::vector<LookUpCounts> counts(chunk_count(reading.context(), n));
  const bool near = table.bytes() <= near_bytes;
  for_chunks_by_hand(
      reading.context(), n,
      [&](std::size_t chunk, std::size_t begin, std::size_t end,
          const Crew::Hand& hand) {
        const auto words = reading.piece(hand, begin, end);
        const auto notes = found.noting(hand);
        counts[chunk] =
            near ? look_up_near(table.view(), words, begin, end, notes, key_of)
                 : look_up_far(table.view(), words, begin, end, notes, key_of);
      });
  LookUpCounts all;
  for (const LookUpCounts& count : counts) {
    all.matched += count.matched;
    all.missing += count.missing;
  }
  return all;
}

}  // namespace ronda::core
