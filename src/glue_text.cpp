// Texts: one encoding for keys, and what near misses need.
#include "glue_text.h"

#include <atomic>
#include <cstring>
#include <unordered_map>

#include "core/key_table.h"
#include "core/parallel.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

bool has_high_bit(const char* bytes) {
  std::size_t n = std::strlen(bytes);
  constexpr std::uint64_t high_bits = 0x8080808080808080u;
  for (; n >= 8; n -= 8, bytes += 8) {
    std::uint64_t eight;
    std::memcpy(&eight, bytes, 8);
    if (eight & high_bits) return true;
  }
  for (; n > 0; --n, ++bytes)
    if (static_cast<unsigned char>(*bytes) > 127) return true;
  return false;
}

bool needs_translation(SEXP text) {
  return text != NA_STRING && Rf_getCharCE(text) != CE_UTF8 &&
         Rf_getCharCE(text) != CE_BYTES && has_high_bit(CHAR(text));
}

// Texts that were looked at lately, by address: repeated ones are not looked
// at again. 1e7 texts of 1e4 kinds are through in a quarter of the time.
class SeenTexts {
 public:
  explicit SeenTexts(std::size_t texts)
      : places_(texts < 5000 ? 16 : 1 << 14, nullptr) {}
  bool seen(SEXP text) {
    const auto address = reinterpret_cast<std::uintptr_t>(text);
    SEXP& place = places_[(address >> 6) % places_.size()];
    if (place == text) return true;
    place = text;
    return false;
  }

 private:
  std::vector<SEXP> places_;
};

// The texts to look at: all of a column, or those of some rows
class AskedTexts {
 public:
  explicit AskedTexts(SEXP column,
                      const core::Buffer<core::Row>* rows = nullptr)
      : text_(STRING_PTR_RO(column)),
        rows_(rows ? rows->data() : nullptr),
        size_(rows ? rows->size()
                   : static_cast<std::size_t>(Rf_xlength(column))) {}
  std::size_t size() const { return size_; }
  SEXP operator[](std::size_t k) const {
    return text_[rows_ ? static_cast<std::size_t>(rows_[k] - 1) : k];
  }

 private:
  const SEXP* text_;
  const core::Row* rows_;
  std::size_t size_;
};

// Whether all texts asked for are plain ASCII
bool all_ascii(const core::Context& context, const AskedTexts& texts) {
  const core::TextCharacters characters = glue::text_characters();
  auto bytes_of = [&](std::size_t k) { return characters(texts[k]); };
  std::atomic<bool> ascii{true};
  // large chunks, as each starts with no text seen
  core::Context wide = context;
  wide.chunk_rows *= 8;
  core::for_chunks(
      wide, texts.size(), [&](std::size_t, std::size_t begin, std::size_t end) {
        SeenTexts lately(end - begin);
        for (std::size_t k = begin; k < end && ascii; ++k) {
          if (k + core::prefetch_distance < end)
            __builtin_prefetch(bytes_of(k + core::prefetch_distance));
          if (!lately.seen(texts[k]) && has_high_bit(bytes_of(k)))
            ascii = false;
        }
      });
  return ascii;
}

// How long a look at all texts takes, in looks at texts that follow each other
// in memory, as those of the column that was read first do; one at random takes
// ten times as long.
double effort(const AskedTexts& texts) {
  constexpr std::size_t page = 4096;
  const std::size_t step = std::max<std::size_t>(1, texts.size() / 256);
  std::size_t pairs = 0, apart = 0;
  for (std::size_t k = 1; k < texts.size(); k += step, ++pairs) {
    const auto a = reinterpret_cast<std::uintptr_t>(texts[k - 1]);
    const auto b = reinterpret_cast<std::uintptr_t>(texts[k]);
    apart += (a > b ? a - b : b - a) > page;
  }
  const double share = pairs ? static_cast<double>(apart) / pairs : 0;
  return static_cast<double>(texts.size()) * (1 + 9 * share);
}

// Texts in UTF-8. Each is translated once; what that takes of R's memory is
// given back at once.
class Translator {
 public:
  SEXP operator()(SEXP text) {
    if (!needs_translation(text)) return text;
    const auto known = translated_.find(text);
    if (known != translated_.end()) return known->second;
    const void* before = vmaxget();
    SEXP out = Rf_mkCharCE(Rf_translateCharUTF8(text), CE_UTF8);
    vmaxset(before);
    return translated_[text] = out;
  }

 private:
  std::unordered_map<SEXP, SEXP> translated_;
};

// x itself when equal texts share one address, else a copy in UTF-8
SEXP in_utf8(SEXP x, const AskedTexts& texts) {
  std::size_t same = 0;
  while (same < texts.size() && !needs_translation(texts[same])) ++same;
  if (same == texts.size()) return x;
  Shield<SEXP> out(Rf_allocVector(STRSXP, Rf_xlength(x)));
  Translator utf8;
  for (R_xlen_t i = 0; i < Rf_xlength(x); ++i) {
    if (i % 100000 == 0) glue::check_user();
    // Translated texts are kept alive by `out`.
    SET_STRING_ELT(out, i, utf8(STRING_ELT(x, i)));
  }
  return out;
}

SEXP at_one_address(const core::Context& context, SEXP x,
                    const core::Buffer<core::Row>* rows = nullptr) {
  const AskedTexts texts(x, rows);
  return all_ascii(context, texts) ? x : in_utf8(x, texts);
}

// The characters of a UTF-8 text, each as its bytes in one number
void read_characters(SEXP text, std::vector<std::uint64_t>& out) {
  out.clear();
  for (const char* c = Rf_translateCharUTF8(text); *c;) {
    std::uint64_t one = 0;
    do {
      one = one << 8 | static_cast<unsigned char>(*c++);
    } while ((static_cast<unsigned char>(*c) & 0xc0) == 0x80);
    out.push_back(one);
  }
}

constexpr std::uint64_t missing_code = 0x8000000000000000u;

double code_bits(std::uint64_t code) {
  double bits;
  std::memcpy(&bits, &code, sizeof bits);
  return bits;
}

// What is left of a character when letter case, signs and blanks are passed
// over, and signs that look alike are one; 0 for nothing. Beyond ASCII all
// stays.
unsigned char bare_character(unsigned char c) {
  if (c > 127 || (c >= '0' && c <= '9')) return c;
  if (c >= 'a' && c <= 'z') c = static_cast<unsigned char>(c - 'a' + 'A');
  switch (c) {
    case 'O':
      return '0';
    case 'I':
    case 'L':
      return '1';
    case 'S':
      return '5';
    case 'B':
      return '8';
    case 'Z':
      return '2';
    default:
      return c >= 'A' && c <= 'Z' ? c : 0;
  }
}

std::uint64_t bare_code(const char* text) {
  constexpr std::uint64_t nothing = 1;
  std::uint64_t code = nothing;
  for (; *text; ++text) {
    const unsigned char c = bare_character(static_cast<unsigned char>(*text));
    if (c == 0 || (c == '0' && code == nothing)) continue;  // (a leading zero)
    code = core::scramble(code * 31 + c + 1);
  }
  return code;
}

std::uint64_t code_without(const std::vector<std::uint64_t>& text,
                           std::size_t left_out) {
  std::uint64_t code = 0;
  for (std::size_t k = 0; k < text.size(); ++k)
    if (k != left_out) code = core::scramble(code * 31 + text[k] + 1);
  return code;
}

}  // namespace

List glue::texts_at_one_address(const core::Context& context,
                                const List& columns, const IntegerVector& kinds,
                                const core::Buffer<core::Row>* rows) {
  require(columns.size() == kinds.size(), "key columns");
  List out(columns.size());
  for (R_xlen_t k = 0; k < columns.size(); ++k)
    out[k] = kinds[k] == static_cast<int>(core::KeyKind::text)
                 ? at_one_address(context, columns[k], rows)
                 : (SEXP)columns[k];
  return out;
}

// x itself when equal texts share one address, else a copy in UTF-8
// [[Rcpp::export(rng = false)]]
SEXP utf8_text_(SEXP x) {
  glue::check_text(x, "texts");
  return glue::guarded(
      [&] { return at_one_address(glue::current_context(), x); });
}

// Two columns in which a left and a right text that are equal share one
// address. Where one side is plain ASCII, a text of the other side that is not
// can't equal any of it, and that side needs no look: the one that is looked at
// faster is looked at first. Two texts of the other may then be equal at
// different addresses: it is not `one_address`.
// [[Rcpp::export(rng = false)]]
List comparable_texts_(SEXP left, SEXP right) {
  glue::check_text(left, "texts");
  glue::check_text(right, "texts");
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const AskedTexts lefts(left), rights(right);
    const bool left_first = effort(lefts) < effort(rights);
    const bool plain = all_ascii(context, left_first ? lefts : rights);
    auto utf8 = [&](SEXP column, const AskedTexts& texts, bool looked_at) {
      if (plain) return column;
      return looked_at ? in_utf8(column, texts)
                       : at_one_address(context, column);
    };
    const Shield<SEXP> x(utf8(left, lefts, left_first));
    const Shield<SEXP> y(utf8(right, rights, !left_first));
    return List::create(_["left"] = (SEXP)x, _["right"] = (SEXP)y,
                        _["one_address"] = LogicalVector::create(
                            !plain || left_first, !plain || !left_first));
  });
}

// A code of each text, and of each text with one character left out; texts of
// equal codes are equal but for chance. `of` says which text it is.
// [[Rcpp::export(rng = false)]]
List shortened_codes_(CharacterVector x) {
  return glue::guarded([&] {
    std::vector<double> codes;
    std::vector<int> of;
    auto add = [&](std::uint64_t code, R_xlen_t i) {
      codes.push_back(code_bits(code == missing_code ? 1 : code));
      of.push_back(static_cast<int>(i + 1));
    };
    // A text has at most as many characters as bytes.
    std::size_t most = 0;
    for (R_xlen_t i = 0; i < x.size(); ++i)
      most += LENGTH(STRING_ELT(x, i)) + 1;
    codes.reserve(most);
    of.reserve(most);
    std::vector<std::uint64_t> text;
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      if (i % 10000 == 0) glue::check_user();
      read_characters(STRING_ELT(x, i), text);
      for (std::size_t k = 0; k <= text.size(); ++k)
        add(code_without(text, k), i);
    }
    return List::create(_["codes"] = NumericVector(codes.begin(), codes.end()),
                        _["of"] = IntegerVector(of.begin(), of.end()));
  });
}

namespace {

// What `value` makes of the bytes of each text, on all threads; of a missing
// one it is given nullptr.
template <class Vector, class Value>
Vector of_each_text(CharacterVector x, Value value) {
  Vector out(x.size());
  const SEXP* texts = STRING_PTR_RO(x);
  const auto n = static_cast<std::size_t>(x.size());
  const core::TextCharacters characters = glue::text_characters();
  core::for_rows(glue::current_context(), n, [&](std::size_t i) {
    if (i + core::prefetch_distance < n)
      __builtin_prefetch(characters(texts[i + core::prefetch_distance]));
    out[i] = value(texts[i] == NA_STRING ? nullptr : characters(texts[i]));
  });
  return out;
}

// A whole number made of what a text has, each letter being any letter and each
// digit any digit: texts of equal codes have one shape_of()
double shape_code(const char* text) {
  std::uint64_t code = 1;
  for (; *text; ++text) {
    auto c = static_cast<unsigned char>(*text);
    if (c >= '0' && c <= '9')
      c = '9';
    else if ((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'))
      c = 'a';
    code = core::scramble(code * 31 + c + 1);
  }
  return static_cast<double>(code >> 11);  // (so that it is exact)
}

}  // namespace

// A code of what is left of each text when letter case, signs, blanks and
// leading zeros are passed over and signs that look alike are one: texts that
// such a cleaning makes equal have equal codes. They are 64-bit integers; a
// missing text's is missing.
// [[Rcpp::export(rng = false)]]
NumericVector bare_codes_(CharacterVector x) {
  return glue::guarded([&] {
    auto codes = of_each_text<NumericVector>(x, [](const char* text) {
      return code_bits(text ? bare_code(text) : missing_code);
    });
    codes.attr("class") = "integer64";
    return codes;
  });
}

// A code of each text's shape, see shapes_of(); a missing text's is missing.
// [[Rcpp::export(rng = false)]]
NumericVector shape_codes_(CharacterVector x) {
  return glue::guarded([&] {
    return of_each_text<NumericVector>(
        x, [](const char* text) { return text ? shape_code(text) : NA_REAL; });
  });
}

// The positions of texts that have characters beyond ASCII, or bytes that are
// none; a missing one has none.
// [[Rcpp::export(rng = false)]]
IntegerVector beyond_ascii_(CharacterVector x) {
  return glue::guarded([&] {
    const auto beyond = of_each_text<std::vector<char>>(
        x, [](const char* text) { return text && has_high_bit(text); });
    std::vector<int> at;
    for (std::size_t i = 0; i < beyond.size(); ++i)
      if (beyond[i]) at.push_back(static_cast<int>(i + 1));
    return IntegerVector(at.begin(), at.end());
  });
}
