#include "pack_keys.h"

namespace ronda::core {
namespace {

constexpr std::int64_t missing_code = INT64_MIN;
constexpr std::int64_t outside_code = -1;  // a value the right side lacks
constexpr double largest_code = 4e18;

struct Digit {
  std::size_t column;
  WholeRange range;
  double places() const { return static_cast<double>(range.span()) + 2.0; }
};

WholeRange range_of(const Context& context, const Keys& keys,
                    std::size_t column) {
  return with_reader(keys.columns[column], [&](auto reader) {
    if constexpr (decltype(reader)::countable)
      return whole_range(context, reader, keys.rows);
    WholeRange none;
    none.whole = false;
    return none;
  });
}

// the columns, in order, whose digits still fit into one code
std::vector<Digit> choose_digits(const Context& context, const Keys& right) {
  std::vector<Digit> digits;
  double places = 1;
  for (std::size_t k = 0; k < right.columns.size(); ++k) {
    const Digit digit{k, range_of(context, right, k)};
    if (!digit.range.whole || places * digit.places() > largest_code) continue;
    places *= digit.places();
    digits.push_back(digit);
  }
  return digits;
}

// one more digit at the end of every code
template <class Reader>
void append_digit(const Context& context, const Reader& reader,
                  const WholeRange& range, bool match_missing,
                  std::vector<std::int64_t>& codes) {
  const std::uint64_t span = range.span();
  const std::int64_t places = static_cast<std::int64_t>(span) + 2;
  const std::uint64_t low =
      static_cast<std::uint64_t>(range.empty() ? 0 : range.low);
  for_chunks(
      context, codes.size(), [&](std::size_t, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          const auto word = reader(i);
          std::int64_t value;
          std::uint64_t digit = span + 1;  // that of a missing value
          if (reader.missing(word)) {
            if (!match_missing) codes[i] = missing_code;
          } else if (!Reader::whole(word, value) ||
                     (digit = static_cast<std::uint64_t>(value) - low) > span) {
            if (codes[i] != missing_code) codes[i] = outside_code;
          }
          if (codes[i] >= 0)
            codes[i] = codes[i] * places + static_cast<std::int64_t>(digit);
        }
      });
}

std::vector<std::int64_t> pack_side(const Context& context, const Keys& keys,
                                    const std::vector<Digit>& digits,
                                    bool match_missing) {
  std::vector<std::int64_t> codes(keys.rows, 0);
  for (const Digit& digit : digits)
    with_reader(keys.columns[digit.column], [&](auto reader) {
      if constexpr (decltype(reader)::countable)
        append_digit(context, reader, digit.range, match_missing, codes);
    });
  return codes;
}

void replace_columns(Keys& keys, const std::vector<Digit>& digits,
                     const std::vector<std::int64_t>& codes) {
  for (std::size_t k = digits.size(); k-- > 0;)
    keys.columns.erase(keys.columns.begin() +
                       static_cast<std::ptrdiff_t>(digits[k].column));
  keys.columns.insert(keys.columns.begin(),
                      KeyColumn{KeyKind::int64, codes.data(), nullptr});
}

}  // namespace

PackedKeys pack_keys(const Context& context, Keys& left, Keys& right,
                     bool match_missing) {
  PackedKeys packed;
  if (right.columns.size() < 2) return packed;
  const std::vector<Digit> digits = choose_digits(context, right);
  if (digits.size() < 2) return packed;
  packed.left = pack_side(context, left, digits, match_missing);
  packed.right = pack_side(context, right, digits, match_missing);
  replace_columns(left, digits, packed.left);
  replace_columns(right, digits, packed.right);
  return packed;
}

void fold_columns(Keys& left, Keys& right, std::vector<Row> codes,
                  Grouping grouping, std::vector<std::vector<Row>>& owner) {
  for (Row& code : codes)
    if (!code) code = -1;  // not there, and not missing either
  std::vector<Row> firsts = std::move(grouping.first);
  if (firsts.empty()) {
    firsts.resize(right.rows);
    for (std::size_t i = 0; i < firsts.size(); ++i)
      firsts[i] = static_cast<Row>(i + 1);
  }
  for (Row& first : firsts)
    if (!first) first = INT32_MIN;
  auto replace = [&](Keys& keys, std::vector<Row> values) {
    owner.push_back(std::move(values));
    keys.columns.erase(keys.columns.begin());
    keys.columns[0] = KeyColumn{KeyKind::int32, owner.back().data(), nullptr};
  };
  replace(left, std::move(codes));
  replace(right, std::move(firsts));
}

std::vector<TwoWords> two_words(const Context& context, const Keys& keys) {
  std::vector<TwoWords> words(keys.rows);
  auto copy = [&](const KeyColumn& column, std::uint64_t TwoWords::*place) {
    with_reader(column, [&](auto reader) {
      for_chunks(context, keys.rows,
                 [&](std::size_t, std::size_t begin, std::size_t end) {
                   for (std::size_t i = begin; i < end; ++i)
                     words[i].*place = reader(i);
                 });
    });
  };
  copy(keys.columns[0], &TwoWords::first);
  copy(keys.columns[1], &TwoWords::second);
  return words;
}

std::uint64_t missing_word(const KeyColumn& column) {
  return with_reader(column,
                     [](auto reader) { return reader.missing_word(); });
}

}  // namespace ronda::core
