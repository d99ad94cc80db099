// Tables from key to the first row that holds it. Both kinds answer the same
// three calls, so that the loops over rows are written once:
//   locate(word)       where the search starts (to prefetch)
//   put(at, word, row) the first row with this key, which is `row` if it is new
//   find(at, word)     the first row with this key, 0 if there is none
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

#include "key_column.h"

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

// Open addressing with linear probing, at most two thirds full.
template <class Reader>
class HashTable {
 public:
  using Word = typename Reader::Word;

  explicit HashTable(std::size_t keys) {
    int bits = 4;
    while ((std::size_t{1} << bits) < keys + keys / 2) ++bits;
    shift_ = 64 - bits;
    cells_.resize(std::size_t{1} << bits);
    mask_ = cells_.size() - 1;
  }
  std::size_t locate(const Word& word) const {
    return static_cast<std::size_t>(scramble(word) >> shift_);
  }
  void prefetch(std::size_t at) const { __builtin_prefetch(&cells_[at]); }
  Row put(std::size_t at, const Word& word, Row row) {
    while (cells_[at].row && !(cells_[at].word == word)) at = (at + 1) & mask_;
    if (!cells_[at].row) cells_[at] = Cell{word, row};
    return cells_[at].row;
  }
  Row find(std::size_t at, const Word& word) const {
    while (cells_[at].row && !(cells_[at].word == word)) at = (at + 1) & mask_;
    return cells_[at].row;
  }

 private:
  struct Cell {
    Word word;
    Row row;
  };
  std::vector<Cell> cells_;
  std::size_t mask_;
  int shift_;
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
// address. The last place is that of the missing key.
template <class Reader>
class DirectTable {
 public:
  using Word = typename Reader::Word;

  DirectTable(const WholeRange& range, const Reader& reader)
      : low_(static_cast<std::uint64_t>(range.empty() ? 0 : range.low)),
        span_(range.span()),
        missing_(reader.missing_word()),
        rows_(span_ + 2, 0) {}
  std::size_t locate(const Word& word) const {
    if (word == missing_) return span_ + 1;
    std::int64_t value;
    if (!Reader::whole(word, value)) return nowhere;
    const std::uint64_t at = static_cast<std::uint64_t>(value) - low_;
    return at <= span_ ? static_cast<std::size_t>(at) : nowhere;
  }
  void prefetch(std::size_t at) const {
    if (at != nowhere) __builtin_prefetch(&rows_[at]);
  }
  Row put(std::size_t at, const Word&, Row row) {
    if (!rows_[at]) rows_[at] = row;
    return rows_[at];
  }
  Row find(std::size_t at, const Word&) const {
    return at == nowhere ? 0 : rows_[at];
  }

 private:
  static constexpr std::size_t nowhere = SIZE_MAX;
  std::uint64_t low_, span_;
  Word missing_;
  std::vector<Row> rows_;
};

}  // namespace ronda::core
