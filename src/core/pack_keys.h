// Several key columns made fewer before they are matched.
#pragma once
#include <vector>

#include "key_column.h"
#include "key_table.h"
#include "made_words.h"
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

// The digit a column makes
struct Digit {
  std::size_t column;
  WholeRange range;
  int shift = 0;  // all values are this many zero bits above the lowest one
  std::uint64_t span() const { return range.span() >> shift; }
  double places() const { return static_cast<double>(span()) + 2.0; }
};

// Columns of whole numbers and of texts as one 64-bit number: its digits are
// the values, counted from the lowest.
class DigitCodes : public WordMaker<std::int64_t> {
 public:
  DigitCodes(const Keys& keys, const std::vector<Digit>& digits,
             bool match_missing)
      : columns_(keys.columns),
        digits_(digits),
        match_missing_(match_missing) {}
  void make(std::size_t begin, std::size_t end,
            std::int64_t* out) const override;

 private:
  std::vector<KeyColumn> columns_;
  const std::vector<Digit>& digits_;
  bool match_missing_;
};

// What pack_keys() made of the columns
struct PackedKeys {
  std::vector<Digit> digits;  // two or more, or none
  bool whole = false;  // all columns went into the codes, which nobody wrote
  Buffer<std::int64_t> left, right;  // the codes, where other columns are left
  WholeRange right_range;            // of the codes, as the digits tell it
};

// Finds the columns that fit into one code. Where others are left, the codes
// take their place among the columns.
PackedKeys pack_keys(const Context& context, Keys& left, Keys& right,
                     bool match_missing);

// Replaces the first two columns by the codes their matching gave.
void fold_columns(Keys& left, Keys& right, Buffer<Row> codes,
                  Buffer<Row> firsts, std::vector<Buffer<Row>>& owner);

// The words of two columns side by side
class WordPairs : public WordMaker<TwoWords> {
 public:
  explicit WordPairs(const Keys& keys) : columns_(keys.columns) {}
  void make(std::size_t begin, std::size_t end, TwoWords* out) const override;

 private:
  std::vector<KeyColumn> columns_;
};

std::uint64_t missing_word(const KeyColumn& column);

}  // namespace ronda::core
