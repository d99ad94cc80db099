// Texts: one encoding for keys, and what near misses need.
#include <atomic>
#include <cstring>

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

// Whether all texts are plain ASCII
bool all_ascii(const core::Context& context, const SEXP* text, std::size_t n) {
  const std::ptrdiff_t characters = glue::characters_behind_address();
  std::atomic<bool> ascii{true};
  // large chunks, as each starts with no text seen
  core::Context wide = context;
  wide.chunk_rows *= 8;
  core::for_chunks(
      wide, n, [&](std::size_t, std::size_t begin, std::size_t end) {
        SeenTexts lately(end - begin);
        for (std::size_t i = begin; i < end && ascii; ++i) {
          if (i + core::prefetch_distance < end)
            __builtin_prefetch(reinterpret_cast<const char*>(
                                   text[i + core::prefetch_distance]) +
                               characters);
          if (!lately.seen(text[i]) &&
              has_high_bit(reinterpret_cast<const char*>(text[i]) +
                           characters))
            ascii = false;
        }
      });
  return ascii;
}

// The characters of a UTF-8 text, each as its bytes in one number
std::vector<std::uint64_t> characters(SEXP text) {
  std::vector<std::uint64_t> out;
  for (const char* c = Rf_translateCharUTF8(text); *c;) {
    std::uint64_t one = 0;
    do {
      one = one << 8 | static_cast<unsigned char>(*c++);
    } while ((static_cast<unsigned char>(*c) & 0xc0) == 0x80);
    out.push_back(one);
  }
  return out;
}

std::uint64_t code_without(const std::vector<std::uint64_t>& text,
                           std::size_t left_out) {
  std::uint64_t code = 0;
  for (std::size_t k = 0; k < text.size(); ++k)
    if (k != left_out) code = core::scramble(code * 31 + text[k] + 1);
  return code;
}

}  // namespace

// x itself when equal texts share one address, else a copy in UTF-8
// [[Rcpp::export(rng = false)]]
SEXP utf8_text_(SEXP x) {
  return glue::guarded([&]() -> SEXP {
    const SEXP* text = STRING_PTR_RO(x);
    const auto n = static_cast<std::size_t>(Rf_xlength(x));
    if (all_ascii(glue::current_context(), text, n)) return x;
    std::size_t same = 0;
    while (same < n && !needs_translation(text[same])) ++same;
    if (same == n) return x;
    Shield<SEXP> out(Rf_allocVector(STRSXP, static_cast<R_xlen_t>(n)));
    for (R_xlen_t i = 0; i < static_cast<R_xlen_t>(n); ++i) {
      if (i % 100000 == 0) checkUserInterrupt();
      SEXP one = STRING_ELT(x, i);
      SET_STRING_ELT(out, i, needs_translation(one)
                                 ? Rf_mkCharCE(Rf_translateCharUTF8(one),
                                               CE_UTF8)
                                 : one);
    }
    return static_cast<SEXP>(out);
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
      if (code == 0x8000000000000000u) code = 1;  // means missing
      double bits;
      std::memcpy(&bits, &code, sizeof bits);
      codes.push_back(bits);
      of.push_back(static_cast<int>(i + 1));
    };
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      if (i % 10000 == 0) checkUserInterrupt();
      const std::vector<std::uint64_t> text = characters(STRING_ELT(x, i));
      for (std::size_t k = 0; k <= text.size(); ++k)
        add(code_without(text, k), i);
    }
    return List::create(_["codes"] = NumericVector(codes.begin(), codes.end()),
                        _["of"] = IntegerVector(of.begin(), of.end()));
  });
}
