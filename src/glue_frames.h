// What is looked at of frames in short, without R's functions.
#pragma once
#include <Rcpp.h>

#include <cstdlib>

namespace ronda::glue {

// the number of rows, negative where they have no names but numbers, which may
// be kept in short: (NA, -n)
inline int row_count(SEXP frame) {
  for (SEXP at = ATTRIB(frame); at != R_NilValue; at = CDR(at)) {
    if (TAG(at) != R_RowNamesSymbol) continue;
    SEXP names = CAR(at);
    const bool in_short = TYPEOF(names) == INTSXP && Rf_length(names) == 2 &&
                          INTEGER(names)[0] == NA_INTEGER;
    const int rows = in_short ? std::abs(INTEGER(names)[1]) : Rf_length(names);
    return TYPEOF(names) == STRSXP ? rows : -rows;
  }
  return 0;
}

// neither a matrix nor a vector whose values have names
inline bool is_flat(SEXP x) {
  return Rf_getAttrib(x, R_DimSymbol) == R_NilValue &&
         Rf_getAttrib(x, R_NamesSymbol) == R_NilValue;
}

// Whether a frame of its class is made of names, row numbers and class alone
inline bool has_plain_attributes(SEXP frame) {
  if (IS_S4_OBJECT(frame)) return false;
  return Rf_xlength(Rf_getAttrib(frame, R_ClassSymbol)) == 1 ||
         Rf_length(ATTRIB(frame)) == 3;
}

}  // namespace ronda::glue
