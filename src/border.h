// What comes from R is looked at once, where it enters: types, lengths and row
// numbers. A pairing is a list that anybody may write into, so nothing behind
// this border reads or writes outside of a vector whatever it was given.
#pragma once
#include <Rcpp.h>

#include "core/context.h"

namespace ronda::glue {

[[noreturn]] void stop_unsound(const char* what);
inline void require(bool sound, const char* what) {
  if (!sound) stop_unsound(what);
}

// all numbers from `least` to `most`; a missing one is below them
void check_rows(const core::Context& context, const int* rows, R_xlen_t n,
                int least, R_xlen_t most, const char* what);
// 0 at first, never falling, and `most` at the end
void check_starts(const core::Context& context, SEXP starts, R_xlen_t most);

// the values of a vector of one type and length (-1: any)
const double* doubles(SEXP x, R_xlen_t n, const char* what);
const int* integers(SEXP x, R_xlen_t n, const char* what);
const int* flags(SEXP x, R_xlen_t n, const char* what);
const Rbyte* bytes(SEXP x, R_xlen_t n, const char* what);
void check_text(SEXP x, const char* what);
void check_list(SEXP x, const char* what);
// a part of a list by its name
SEXP part(SEXP list, const char* name);

}  // namespace ronda::glue
