// Which rows were found by a look-up, a bit a row. Every thread has bits of its
// own: what one thread writes leaves the other's cache, and a row that half of
// the others find would be written by both all the time. Rows marked in the
// table itself took 1e7 look-ups of 1e6 keys, half of them one key, from 20 to
// 38 ms; with bits it is 24.
#pragma once
#include <bitset>
#include <cstdint>
#include <vector>

#include "memory.h"
#include "parallel.h"

namespace ronda::core {

class FoundRows {
 public:
  FoundRows(const Context& context, std::size_t rows)
      : words_(rows / word_bits + 1) {
    const int threads = std::max(1, context.threads);
    for (int k = 0; k < threads; ++k) sets_.emplace_back(words_, Start::zero);
  }
  // what a thread tells its rows to; row 0, none, may be told as well
  auto noting(const Crew::Hand& hand) {
    std::uint64_t* words = sets_[hand.number()].data();
    return [words](Row row) {
      const auto at = static_cast<std::size_t>(row);
      words[at / word_bits] |= std::uint64_t{1} << (at % word_bits);
    };
  }
  std::size_t count(const Context& context) const {
    std::atomic<std::size_t> total{0};
    for_chunks(context, words_,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 std::size_t count = 0;
                 for (std::size_t k = begin; k < end; ++k) count += in_word(k);
                 total += count;
               });
    return total;
  }

 private:
  static constexpr std::size_t word_bits = 64;
  std::size_t in_word(std::size_t k) const {
    std::uint64_t word = 0;
    for (const Buffer<std::uint64_t>& set : sets_) word |= set[k];
    if (k == 0) word &= ~std::uint64_t{1};
    return std::bitset<word_bits>(word).count();
  }
  std::size_t words_;
  std::vector<Buffer<std::uint64_t>> sets_;
};

// In its place where nobody asks
struct NotNoted {
  auto noting(const Crew::Hand&) {
    return [](Row) {};
  }
};

}  // namespace ronda::core
