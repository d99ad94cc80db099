// Key columns as the engine sees them: arrays of plain numbers or addresses.
// Every value of every kind becomes one word, mostly of 64 bits, such that two
// values are equal exactly when their words are; each kind has one word for
// "missing".
#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>

#include "context.h"

namespace ronda::core {

enum class KeyKind { int32, real, day, int64, text };

struct KeyColumn {
  KeyKind kind = KeyKind::int32;
  const void* data = nullptr;
  const void* missing_text = nullptr;  // the address that stands for missing
};

struct Keys {
  std::vector<KeyColumn> columns;
  std::size_t rows = 0;
};

inline std::uint64_t real_word(double value) {
  if (value != value) return 0x7ff8000000000000u;  // every NaN is one missing
  value += 0.0;                                    // -0 becomes 0
  std::uint64_t word;
  std::memcpy(&word, &value, sizeof word);
  return word;
}

inline double word_real(std::uint64_t word) {
  double value;
  std::memcpy(&value, &word, sizeof value);
  return value;
}

// A reader turns row numbers into words. `whole()` tells the whole number a
// word stands for, false when it is none; where it is `countable` such words
// can be addressed directly.
struct Int32Reader {
  using Word = std::uint32_t;  // (a table of these is half as large)
  static constexpr bool countable = true;
  const std::int32_t* values;
  Word missing_word() const { return 0x80000000u; }
  Word operator()(std::size_t i) const { return static_cast<Word>(values[i]); }
  bool missing(Word word) const { return word == missing_word(); }
  static bool whole(Word word, std::int64_t& value) {
    value = static_cast<std::int32_t>(word);
    return true;
  }
};

struct RealReader {
  using Word = std::uint64_t;
  static constexpr bool countable = true;
  const double* values;
  Word missing_word() const { return 0x7ff8000000000000u; }
  Word operator()(std::size_t i) const { return real_word(values[i]); }
  bool missing(Word word) const { return word == missing_word(); }
  static bool whole(Word word, std::int64_t& value) {
    const double real = word_real(word);
    value = 0;
    if (!(real > -9e15 && real < 9e15)) return false;
    value = static_cast<std::int64_t>(real);
    return static_cast<double>(value) == real;
  }
};

struct DayReader : RealReader {
  Word operator()(std::size_t i) const {
    return real_word(std::floor(values[i]));
  }
};

struct Int64Reader {
  using Word = std::uint64_t;
  static constexpr bool countable = true;
  const std::int64_t* values;
  Word missing_word() const { return 0x8000000000000000u; }
  Word operator()(std::size_t i) const {
    return static_cast<std::uint64_t>(values[i]);
  }
  bool missing(Word word) const { return word == missing_word(); }
  static bool whole(Word word, std::int64_t& value) {
    value = static_cast<std::int64_t>(word);
    return true;
  }
};

struct TextReader {
  using Word = std::uint64_t;
  static constexpr bool countable = false;
  const void* const* values;
  const void* missing_text;
  Word missing_word() const {
    return static_cast<Word>(reinterpret_cast<std::uintptr_t>(missing_text));
  }
  Word operator()(std::size_t i) const {
    return static_cast<Word>(reinterpret_cast<std::uintptr_t>(values[i]));
  }
  bool missing(Word word) const { return word == missing_word(); }
  static bool whole(Word word, std::int64_t& value) {
    value = static_cast<std::int64_t>(word);
    return true;
  }
};

// Two columns at once: their words side by side.
struct TwoWords {
  std::uint64_t first, second;
  bool operator==(const TwoWords& other) const {
    return first == other.first && second == other.second;
  }
};

struct TwoReader {
  using Word = TwoWords;
  static constexpr bool countable = false;
  const TwoWords* values;
  TwoWords missing_words;
  Word operator()(std::size_t i) const { return values[i]; }
  bool missing(const Word& word) const {
    return word.first == missing_words.first ||
           word.second == missing_words.second;
  }
};

// calls action(reader) with the reader of the column's kind
template <class Action>
auto with_reader(const KeyColumn& column, Action&& action) {
  switch (column.kind) {
    case KeyKind::int32:
      return action(Int32Reader{static_cast<const std::int32_t*>(column.data)});
    case KeyKind::real:
      return action(RealReader{static_cast<const double*>(column.data)});
    case KeyKind::day:
      return action(DayReader{{static_cast<const double*>(column.data)}});
    case KeyKind::int64:
      return action(Int64Reader{static_cast<const std::int64_t*>(column.data)});
    case KeyKind::text:
      return action(TextReader{static_cast<const void* const*>(column.data),
                               column.missing_text});
  }
  throw std::logic_error("with_reader(): unknown kind of key");
}

}  // namespace ronda::core
