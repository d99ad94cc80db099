#include "r_internals.h"

#include <cstring>
#include <string>

namespace ronda::glue {
namespace {

const char* ask_r(const void* text) {
  return CHAR(static_cast<SEXP>(const_cast<void*>(text)));
}

std::ptrdiff_t distance(SEXP text) {
  return CHAR(text) - reinterpret_cast<const char*>(text);
}

// texts of every length that R has a class of memory for, and of each encoding
bool all_at_one_distance() {
  const std::ptrdiff_t behind = distance(NA_STRING);
  for (const cetype_t encoding : {CE_NATIVE, CE_UTF8, CE_LATIN1, CE_BYTES}) {
    for (const int length : {0, 1, 7, 8, 15, 31, 63, 127, 255, 1000, 100000}) {
      const std::string bytes(static_cast<std::size_t>(length), '\xe9');
      Rcpp::Shield<SEXP> text(Rf_mkCharLenCE(bytes.data(), length, encoding));
      if (distance(text) != behind) return false;
    }
  }
  return behind > 0;
}

bool asked_for() {
  SEXP value = Rf_GetOption1(Rf_install("ronda.characters"));
  return TYPEOF(value) == STRSXP && Rf_xlength(value) == 1 &&
         std::strcmp(CHAR(STRING_ELT(value, 0)), "asked") == 0;
}

}  // namespace

bool is_same_text(SEXP a, SEXP b) {
  if (a == b || a == NA_STRING || b == NA_STRING) return a == b;
  return std::strcmp(Rf_translateCharUTF8(a), Rf_translateCharUTF8(b)) == 0;
}

void* writable_values(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP:
      return LOGICAL(x);
    case INTSXP:
      return INTEGER(x);
    case REALSXP:
      return REAL(x);
    case CPLXSXP:
      return COMPLEX(x);
    case RAWSXP:
      return RAW(x);
    case STRSXP:
      return const_cast<SEXP*>(STRING_PTR_RO(x));
    default:
      Rcpp::stop("writable_values(): no values of type %d", TYPEOF(x));
  }
}

core::TextCharacters text_characters() {
  static const bool holds = all_at_one_distance();
  core::TextCharacters characters;
  if (!holds || asked_for()) {
    characters.ask = ask_r;
  } else {
    characters.behind = distance(NA_STRING);
  }
  return characters;
}

}  // namespace ronda::glue
