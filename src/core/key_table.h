// Tables from key to the first row that holds it. Both kinds answer the same
// calls, so that the loops over rows (fill_table.h) are written once:
//   view()              what a search needs, by value: locate(word) gives the
//                       place where it starts, find(at, word) the first row
//                       with this key, 0 if there is none
//   part_begin(part)    where a part of the table begins; parts are filled by
//                       one thread each, and no search leaves its part
//   put(view, at, word, row)
//                       the first row with this key, `row` if the key is new;
//                       0 when the part is full
// One whose places are in the order of the keys (`in_key_order`) also answers
//   number(at, last)    gives the key at a place, if there is one, the number
//                       after `last` in place of its first row
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <type_traits>

#include "key_column.h"
#include "memory.h"

namespace ronda::core {

// Murmur's finisher: a bijection in which every bit of the word moves every
// bit of the result, so keys chosen with equal low or high bits still spread.
inline std::uint64_t scramble(std::uint64_t x) {
  x ^= x >> 33;
  x *= 0xff51afd7ed558ccdu;
  x ^= x >> 33;
  x *= 0xc4ceb9fe1a85ec53u;
  return x ^ (x >> 33);
}
inline std::uint64_t scramble(const TwoWords& x) {
  return scramble(x.first + 0x9e3779b97f4a7c15u * scramble(x.second));
}

// Addresses of texts, which nobody chooses, need no more than their high bits
// moved by all others.
template <class Reader>
std::uint64_t spread(const typename Reader::Word& word) {
  if constexpr (std::is_same_v<Reader, TextReader>)
    return word * 0x9e3779b97f4a7c15u;
  else
    return scramble(word);
}

// Open addressing with linear probing, 70 in 100 full. A search starts with the
// first cell of a cache line, so that most end in the line that was asked for
// ahead; from anywhere in it many would run into the next one. A table of few
// keys is at most a sixth full and searched from any cell: it fits the caches,
// and nearly all searches end where they start.
template <class Reader>
class HashTable {
 public:
  using Word = typename Reader::Word;
  static constexpr bool in_key_order = false;

  HashTable(std::size_t keys, int part_bits)
      : few_(keys <= few_keys),
        parts_(std::size_t{1} << part_bits),
        part_cells_(cells_for(keys, parts_)),
        cells_(parts_ * part_cells_, Start::zero) {}
  std::size_t parts() const { return parts_; }
  std::size_t places() const { return cells_.size(); }
  std::size_t bytes() const { return cells_.size() * sizeof(Cell); }
  std::size_t part_begin(std::size_t part) const { return part * part_cells_; }

 private:
  struct Cell {
    Word word;
    Row row;
  };

 public:
  // What a search needs, by value: a loop that writes can keep it in registers.
  struct View {
    const Cell* cells;
    std::size_t starts;  // where a search can start
    int start_bits;      // by so many bits apart
    std::size_t part_cells;
    // Rows, and so cells, fit 32 bits.
    std::size_t locate(const Word& word) const {
      return ((spread<Reader>(word) >> 32) * starts >> 32) << start_bits;
    }
    void prefetch(std::size_t at) const { __builtin_prefetch(&cells[at]); }
    // A small part may be full to the last cell.
    Row find(std::size_t at, const Word& word) const {
      for (std::size_t steps = 0; steps < part_cells; ++steps) {
        const Cell& cell = cells[at];
        if (!cell.row) return 0;
        if (cell.word == word) return cell.row;
        at = next(at);
      }
      return 0;
    }
    // the next cell of the same part, most often in the same line
    std::size_t next(std::size_t at) const {
      ++at;
      if (at % line_cells) return at;
      return at % part_cells ? at : at - part_cells;
    }
  };
  View view() const {
    return few_ ? View{cells_.data(), cells_.size(), 0, part_cells_}
                : View{cells_.data(), cells_.size() >> line_bits, line_bits,
                       part_cells_};
  }
  Row put(const View view, std::size_t at, const Word& word, Row row) {
    for (std::size_t steps = 0; steps < view.part_cells; ++steps) {
      Cell& cell = cells_[at];
      if (!cell.row) cell = Cell{word, row};
      if (cell.word == word) return cell.row;
      at = view.next(at);
    }
    return 0;
  }

 private:
  static constexpr int line_bits = sizeof(Cell) <= 8    ? 3
                                   : sizeof(Cell) <= 16 ? 2
                                                        : 1;
  static constexpr std::size_t line_cells = std::size_t{1} << line_bits;
  static constexpr std::size_t few_keys = std::size_t{1} << 16;
  // whole cache lines in each part
  static std::size_t cells_for(std::size_t keys, std::size_t parts) {
    const std::size_t all = keys <= few_keys ? 6 * keys : keys / 16 * 23;
    return (all / parts / line_cells + 2) * line_cells;
  }
  bool few_;
  std::size_t parts_, part_cells_;
  Buffer<Cell> cells_;
};

struct WholeRange {
  bool whole = true;  // every key is a whole number
  std::int64_t low = INT64_MAX, high = INT64_MIN;
  bool empty() const { return low > high; }
  // high - low, or the largest number when that is too much to address
  std::uint64_t span() const {
    return empty() ? 0
                   : static_cast<std::uint64_t>(high) -
                         static_cast<std::uint64_t>(low);
  }
};

// Direct addressing: whole numbers that lie close together are their own
// address. The place before the last is that of the missing key; the last one
// is never filled and stands for all numbers out of range.
template <class Reader>
class DirectTable {
 public:
  using Word = typename Reader::Word;
  static constexpr bool in_key_order = true;

  DirectTable(const WholeRange& range, const Reader& reader, int part_bits)
      : low_(static_cast<std::uint64_t>(range.empty() ? 0 : range.low)),
        span_(range.span()),
        missing_(reader.missing_word()),
        parts_(std::size_t{1} << part_bits),
        rows_(span_ + 3, Start::zero) {}
  std::size_t parts() const { return parts_; }
  std::size_t places() const { return rows_.size(); }
  std::size_t bytes() const { return rows_.size() * sizeof(Row); }
  struct View {
    const Row* rows;
    std::uint64_t low, span;
    Word missing;
    std::size_t locate(const Word& word) const {
      std::int64_t value;
      const bool whole = Reader::whole(word, value);
      const std::uint64_t at = static_cast<std::uint64_t>(value) - low;
      if (whole && at <= span) return static_cast<std::size_t>(at);
      return static_cast<std::size_t>(word == missing ? span + 1 : span + 2);
    }
    void prefetch(std::size_t at) const { __builtin_prefetch(&rows[at]); }
    Row find(std::size_t at, const Word&) const { return rows[at]; }
  };
  View view() const { return View{rows_.data(), low_, span_, missing_}; }
  std::size_t part_begin(std::size_t part) const {
    return part * places() / parts_;
  }
  Row put(const View&, std::size_t at, const Word&, Row row) {
    if (!rows_[at]) rows_[at] = row;
    return rows_[at];
  }
  void number(std::size_t at, Row& last) {
    if (rows_[at]) rows_[at] = ++last;
  }

 private:
  std::uint64_t low_, span_;
  Word missing_;
  std::size_t parts_;
  Buffer<Row> rows_;
};

}  // namespace ronda::core
