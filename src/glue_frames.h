// What is looked at of frames in short, without R's functions.
#pragma once
#include <Rcpp.h>

#include <cstdlib>

namespace ronda::glue {

// the number of rows, negative where they have no names but numbers (R makes no
// vector of those that it keeps in short)
inline int row_count(SEXP frame) {
  Rcpp::Shield<SEXP> names(Rf_getAttrib(frame, R_RowNamesSymbol));
  const int rows = Rf_length(names);
  return TYPEOF(names) == STRSXP ? rows : -rows;
}

// neither a matrix nor a vector whose values have names
inline bool is_flat(SEXP x) {
  return Rf_getAttrib(x, R_DimSymbol) == R_NilValue &&
         Rf_getAttrib(x, R_NamesSymbol) == R_NilValue;
}

// Whether a frame of its class is made of names, row numbers and class alone
inline bool has_plain_attributes(SEXP frame) {
  if (Rf_isS4(frame)) return false;
  if (Rf_xlength(Rf_getAttrib(frame, R_ClassSymbol)) == 1) return true;
  Rcpp::Shield<SEXP> ask(Rf_lang2(Rf_install("attributes"), frame));
  Rcpp::Shield<SEXP> attributes(Rf_eval(ask, R_BaseEnv));
  return Rf_length(attributes) == 3;
}

}  // namespace ronda::glue
