// What near misses need of texts.
#include <cstring>

#include "core/key_table.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

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
