// Which rows were found by a look-up, a bit a row. Every thread has bits of its
// own: what one thread writes leaves the other's cache, and a row that half of
// the others find would be written by both all the time. The bits of many rows
// are larger than the inner cache, so they are asked for some rows before they
// are set.
#pragma once
#include <bitset>
#include <cstdint>
#include <vector>

#include "memory.h"
#include "parallel.h"

namespace ronda::core {

class FoundRows {
 public:
  FoundRows() = default;
  FoundRows(const Context& context, std::size_t rows) {
    const int threads = std::max(1, context.threads);
    for (int k = 0; k < threads; ++k)
      sets_.emplace_back(rows / word_bits + 1, Start::zero);
  }
  // What a thread tells its rows to; row 0, none, may be told as well.
  class Notes {
   public:
    explicit Notes(std::uint64_t* words) : words_(words) {}
    void prefetch(Row row) const {
      __builtin_prefetch(&words_[static_cast<std::size_t>(row) / word_bits], 1);
    }
    void set(Row row) const {
      const auto at = static_cast<std::size_t>(row);
      words_[at / word_bits] |= std::uint64_t{1} << (at % word_bits);
    }

   private:
    std::uint64_t* words_;
  };
  Notes noting(const Crew::Hand& hand) {
    return Notes(sets_[hand.number()].data());
  }
  void set(Row row) { Notes(sets_[0].data()).set(row); }
  // Puts the threads' bits together, once, and counts them.
  std::size_t unite(const Context& context) {
    std::atomic<std::size_t> total{0};
    for_chunks(context, sets_[0].size(),
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 std::size_t count = 0;
                 for (std::size_t k = begin; k < end; ++k)
                   count += unite_word(k);
                 total += count;
               });
    sets_.resize(1);
    return total;
  }
  // Afterwards:
  bool has(Row row) const {
    const auto at = static_cast<std::size_t>(row);
    return sets_[0][at / word_bits] >> (at % word_bits) & 1;
  }

 private:
  static constexpr std::size_t word_bits = 64;
  std::size_t unite_word(std::size_t k) {
    std::uint64_t& word = sets_[0][k];
    for (std::size_t set = 1; set < sets_.size(); ++set) word |= sets_[set][k];
    if (k == 0) word &= ~std::uint64_t{1};
    return std::bitset<word_bits>(word).count();
  }
  std::vector<Buffer<std::uint64_t>> sets_;
};

// The same of few rows: a byte a row, so that a row that is found all the time
// doesn't wait for the last time it was.
class FoundFew {
 public:
  static constexpr std::size_t most = std::size_t{1} << 16;
  FoundFew(const Context& context, std::size_t rows) {
    const int threads = std::max(1, context.threads);
    for (int k = 0; k < threads; ++k) sets_.emplace_back(rows + 1, Start::zero);
  }
  class Notes {
   public:
    explicit Notes(std::uint8_t* marks) : marks_(marks) {}
    void prefetch(Row) const {}
    void set(Row row) const { marks_[row] = 1; }

   private:
    std::uint8_t* marks_;
  };
  Notes noting(const Crew::Hand& hand) {
    return Notes(sets_[hand.number()].data());
  }
  // tells them to `found`
  void tell(FoundRows& found) const {
    for (const Buffer<std::uint8_t>& marks : sets_)
      for (std::size_t row = 0; row < marks.size(); ++row)
        if (marks[row]) found.set(static_cast<Row>(row));
  }

 private:
  std::vector<Buffer<std::uint8_t>> sets_;
};

// In its place where nobody asks
struct NotNoted {
  void prefetch(Row) const {}
  void set(Row) const {}
  NotNoted noting(const Crew::Hand&) const { return {}; }
};

}  // namespace ronda::core
