// Several key columns made fewer before they are matched.
#pragma once
#include <vector>

#include "key_column.h"
#include "key_table.h"
#include "parallel.h"

namespace ronda::core {

// the range of the whole numbers in a column, missing ones left out
template <class Reader>
WholeRange whole_range(const Context& context, const Reader& reader,
                       std::size_t n) {
  std::vector<WholeRange> parts(chunk_count(context, n));
  for_chunks(context, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               WholeRange range;
               for (std::size_t i = begin; i < end && range.whole; ++i) {
                 const auto word = reader(i);
                 std::int64_t value;
                 if (reader.missing(word)) continue;
                 range.whole = Reader::whole(word, value);
                 if (!range.whole) break;
                 range.low = std::min(range.low, value);
                 range.high = std::max(range.high, value);
               }
               parts[k] = range;
             });
  WholeRange all;
  for (const WholeRange& part : parts) {
    all.whole = all.whole && part.whole;
    all.low = std::min(all.low, part.low);
    all.high = std::max(all.high, part.high);
  }
  return all;
}

// Owns the columns that pack_keys() makes.
struct PackedKeys {
  Buffer<std::int64_t> left, right;
  WholeRange
      right_range;  // as its digits tell: the codes need not be read for it
};

// Replaces columns of whole numbers and of texts by one 64-bit column where
// their ranges fit: a mixed-radix number whose digits are the values, counted
// from the lowest.
PackedKeys pack_keys(const Context& context, Keys& left, Keys& right,
                     bool match_missing);

// Replaces the first two columns by the codes their matching gave.
void fold_columns(Keys& left, Keys& right, Buffer<Row> codes,
                  Buffer<Row> firsts, std::vector<Buffer<Row>>& owner);

Buffer<TwoWords> two_words(const Context& context, const Keys& keys);

std::uint64_t missing_word(const KeyColumn& column);

}  // namespace ronda::core
