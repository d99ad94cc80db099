#include "pack_keys.h"

namespace ronda::core {
namespace {

constexpr std::int64_t missing_code = INT64_MIN;
constexpr std::int64_t outside_code = -1;  // a value the right side lacks
constexpr double largest_code = 4e18;

// Texts count by their addresses, which lie apart by some power of two: the
// bits in which any of them differs from the first one tell which, in the same
// pass.
Digit digit_of_texts(const Context& context, const TextReader& reader,
                     std::size_t n, std::size_t column) {
  struct Part {
    WholeRange range;
    std::uint64_t differing = 0;
  };
  std::vector<Part> parts(chunk_count(context, n));
  const auto first = n ? static_cast<std::int64_t>(reader(0)) : 0;
  for_chunks(context, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               Part part;
               for (std::size_t i = begin; i < end; ++i) {
                 const auto word = reader(i);
                 if (reader.missing(word)) continue;
                 const auto address = static_cast<std::int64_t>(word);
                 part.range.low = std::min(part.range.low, address);
                 part.range.high = std::max(part.range.high, address);
                 part.differing |= static_cast<std::uint64_t>(address ^ first);
               }
               parts[k] = part;
             });
  Digit digit{column, {}};
  std::uint64_t differing = 0;
  for (const Part& part : parts) {
    digit.range.low = std::min(digit.range.low, part.range.low);
    digit.range.high = std::max(digit.range.high, part.range.high);
    differing |= part.differing;
  }
  if (differing) digit.shift = __builtin_ctzll(differing);
  return digit;
}

// the digit a column makes
Digit digit_of(const Context& context, const Keys& keys, std::size_t column) {
  const KeyColumn& values = keys.columns[column];
  return with_reader(values, [&](auto reader) {
    if constexpr (std::is_same_v<decltype(reader), TextReader>)
      return digit_of_texts(context, reader, keys.rows, column);
    else
      return Digit{column, whole_range(context, reader, keys.rows)};
  });
}

// the columns, in order, whose digits still fit into one code
std::vector<Digit> choose_digits(const Context& context, const Keys& right) {
  std::vector<Digit> digits;
  double places = 1;
  for (std::size_t k = 0; k < right.columns.size(); ++k) {
    const Digit digit = digit_of(context, right, k);
    if (!digit.range.whole || places * digit.places() > largest_code) continue;
    places *= digit.places();
    digits.push_back(digit);
  }
  return digits;
}

// one more digit at the end of the codes of some rows, from `begin` on; the
// first one starts them
template <class Reader>
void append_digit(const Reader& reader, const Digit& digit, bool first,
                  bool match_missing, std::size_t begin, std::size_t end,
                  std::int64_t* codes) {
  const std::uint64_t span = digit.span();
  const std::int64_t places = static_cast<std::int64_t>(span) + 2;
  const std::uint64_t low =
      static_cast<std::uint64_t>(digit.range.empty() ? 0 : digit.range.low);
  const std::uint64_t odd = (std::uint64_t{1} << digit.shift) - 1;
  auto code = [&](std::int64_t before, const typename Reader::Word& word) {
    // Also after a value that the right side lacks, as such rows are counted.
    if (reader.missing(word) && !match_missing) return missing_code;
    if (before < 0) return before;
    if (reader.missing(word))
      return before * places + static_cast<std::int64_t>(span) + 1;
    std::int64_t value;
    const bool whole = Reader::whole(word, value);
    const std::uint64_t above = static_cast<std::uint64_t>(value) - low;
    if (!whole || (above & odd) || above >> digit.shift > span)
      return outside_code;
    return before * places + static_cast<std::int64_t>(above >> digit.shift);
  };
  for (std::size_t i = begin; i < end; ++i)
    codes[i - begin] = code(first ? 0 : codes[i - begin], reader(i));
}

// All digits of a chunk before the next chunk: its codes stay in the cache.
// Rows that lack a key are counted on the way, see Match::missing_told.
Buffer<std::int64_t> pack_side(const Context& context, const Keys& keys,
                               const DigitCodes& maker) {
  Buffer<std::int64_t> codes(keys.rows);
  for_chunks(context, keys.rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               maker.make(begin, end, codes.data() + begin);
             });
  return codes;
}

WholeRange range_of(const std::vector<Digit>& digits) {
  WholeRange range{true, 0, 1};
  for (const Digit& digit : digits)
    range.high *= static_cast<std::int64_t>(digit.span()) + 2;
  --range.high;
  return range;
}

void replace_columns(Keys& keys, const std::vector<Digit>& digits,
                     const Buffer<std::int64_t>& codes) {
  for (std::size_t k = digits.size(); k-- > 0;)
    keys.columns.erase(keys.columns.begin() +
                       static_cast<std::ptrdiff_t>(digits[k].column));
  keys.columns.insert(keys.columns.begin(),
                      KeyColumn{KeyKind::int64, codes.data(), nullptr});
}

}  // namespace

void DigitCodes::make(std::size_t begin, std::size_t end,
                      std::int64_t* out) const {
  for (const Digit& digit : digits_)
    with_reader(columns_[digit.column], [&](auto reader) {
      append_digit(reader, digit, &digit == &digits_[0], match_missing_, begin,
                   end, out);
    });
}

PackedKeys pack_keys(const Context& context, Keys& left, Keys& right,
                     bool match_missing) {
  PackedKeys packed;
  if (right.columns.size() < 2) return packed;
  packed.digits = choose_digits(context, right);
  if (packed.digits.size() < 2) return PackedKeys();
  packed.right_range = range_of(packed.digits);
  packed.whole = packed.digits.size() == right.columns.size();
  if (packed.whole) return packed;
  auto pack = [&](Keys& keys, Buffer<std::int64_t>& codes) {
    codes = pack_side(context, keys,
                      DigitCodes(keys, packed.digits, match_missing));
    replace_columns(keys, packed.digits, codes);
  };
  pack(left, packed.left);
  pack(right, packed.right);
  return packed;
}

void fold_columns(Keys& left, Keys& right, Buffer<Row> codes,
                  Buffer<Row> firsts, std::vector<Buffer<Row>>& owner) {
  for (Row& code : codes)
    if (!code) code = -1;  // not there, and not missing either
  if (firsts.empty()) {
    firsts = Buffer<Row>(right.rows);
    for (std::size_t i = 0; i < firsts.size(); ++i)
      firsts[i] = static_cast<Row>(i + 1);
  }
  for (Row& first : firsts)
    if (!first) first = INT32_MIN;
  auto replace = [&](Keys& keys, Buffer<Row> values) {
    owner.push_back(std::move(values));
    keys.columns.erase(keys.columns.begin());
    keys.columns[0] = KeyColumn{KeyKind::int32, owner.back().data(), nullptr};
  };
  replace(left, std::move(codes));
  replace(right, std::move(firsts));
}

void WordPairs::make(std::size_t begin, std::size_t end, TwoWords* out) const {
  auto copy = [&](const KeyColumn& column, std::uint64_t TwoWords::*place) {
    with_reader(column, [&](auto reader) {
      for (std::size_t i = begin; i < end; ++i)
        out[i - begin].*place = reader(i);
    });
  };
  copy(columns_[0], &TwoWords::first);
  copy(columns_[1], &TwoWords::second);
}

std::uint64_t missing_word(const KeyColumn& column) {
  return with_reader(column, [](auto reader) -> std::uint64_t {
    return reader.missing_word();
  });
}

}  // namespace ronda::core
