#include "partition.h"

#include <cstring>

#include "parallel.h"

namespace ronda::core {
namespace {

constexpr std::uint64_t start_word = 0x9e3779b97f4a7c15u;

// every bit of the outcome depends on every bit of the word
std::uint64_t stirred(std::uint64_t word) {
  word = (word ^ (word >> 30)) * 0xbf58476d1ce4e5b9u;
  word = (word ^ (word >> 27)) * 0x94d049bb133111ebu;
  return word ^ (word >> 31);
}

// Not by address, which differs from process to process.
std::uint64_t text_word(const char* at) {
  std::size_t left = std::strlen(at);
  std::uint64_t all = left;
  for (; left >= 8; left -= 8, at += 8) {
    std::uint64_t eight;
    std::memcpy(&eight, at, 8);
    all = stirred(all ^ eight) + start_word;
  }
  std::uint64_t rest = 0;
  std::memcpy(&rest, at, left);
  return all ^ rest;
}

// the words of some rows of one column put into `all`; missing ones are noted
void add_column(const KeyColumn& column, const PartitionBy& by,
                std::size_t begin, std::size_t n, std::uint64_t* all,
                std::uint8_t* missing) {
  with_reader(column, [&](auto reader) {
    const bool is_text = column.kind == KeyKind::text;
    for (std::size_t i = 0; i < n; ++i) {
      const auto word = reader(begin + i);
      const bool is_missing = reader.missing(word);
      missing[i] |= is_missing;
      std::uint64_t value = static_cast<std::uint64_t>(word);
      if (is_missing) {
        value = start_word;
      } else if (is_text) {
        value = text_word(by.characters(
            reinterpret_cast<const void*>(static_cast<std::uintptr_t>(value))));
      }
      all[i] = stirred(all[i] ^ value) + start_word;
    }
  });
}

}  // namespace

Grouping part_rows(const Context& context, const Keys& keys,
                   const PartitionBy& by) {
  Grouping grouping;
  grouping.key = Buffer<Row>(keys.rows);
  grouping.most = by.parts;
  grouping.listed = keys.rows;
  for_chunks(
      context, keys.rows, [&](std::size_t, std::size_t begin, std::size_t end) {
        constexpr std::size_t most = 1024;
        for (; begin < end; begin += most) {
          const std::size_t n = std::min(most, end - begin);
          std::uint64_t all[most] = {};
          std::uint8_t missing[most] = {};
          for (const KeyColumn& column : keys.columns)
            add_column(column, by, begin, n, all, missing);
          for (std::size_t i = 0; i < n; ++i) {
            const bool spread = missing[i] && !by.match_missing;
            const std::uint64_t word =
                spread ? by.first_row + begin + i : all[i] >> 11;
            grouping.key[begin + i] = static_cast<Row>(word % by.parts) + 1;
          }
        }
      });
  return grouping;
}

}  // namespace ronda::core
