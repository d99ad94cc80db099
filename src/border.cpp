#include "border.h"

#include <atomic>
#include <string_view>

#include "core/parallel.h"

namespace ronda::glue {

void stop_unsound(const char* what) {
  Rcpp::stop("What the engine was given is unsound: %s", what);
}

void check_rows(const core::Context& context, const int* rows, R_xlen_t n,
                int least, R_xlen_t most, const char* what) {
  const int highest = static_cast<int>(std::min<R_xlen_t>(most, INT_MAX));
  std::atomic<bool> sound{true};
  core::for_chunks(context, static_cast<std::size_t>(n),
                   [&](std::size_t, std::size_t begin, std::size_t end) {
                     int wrong = 0;
                     for (std::size_t i = begin; i < end; ++i)
                       wrong |= (rows[i] < least) | (rows[i] > highest);
                     if (wrong) sound = false;
                   });
  require(sound, what);
}

void check_starts(const core::Context& context, SEXP starts, R_xlen_t most) {
  const int* at = integers(starts, -1, "starts");
  const R_xlen_t n = Rf_xlength(starts);
  require(n > 0 && at[0] == 0 && at[n - 1] == most, "where ranges start");
  std::atomic<bool> sound{true};
  core::for_chunks(context, static_cast<std::size_t>(n - 1),
                   [&](std::size_t, std::size_t begin, std::size_t end) {
                     int wrong = 0;
                     for (std::size_t i = begin; i < end; ++i)
                       wrong |= at[i + 1] < at[i];
                     if (wrong) sound = false;
                   });
  require(sound, "where ranges start");
}

namespace {

void check_vector(SEXP x, SEXPTYPE type, R_xlen_t n, const char* what) {
  require(
      static_cast<SEXPTYPE>(TYPEOF(x)) == type && (n < 0 || Rf_xlength(x) == n),
      what);
}

}  // namespace

const double* doubles(SEXP x, R_xlen_t n, const char* what) {
  check_vector(x, REALSXP, n, what);
  return REAL_RO(x);
}

const int* integers(SEXP x, R_xlen_t n, const char* what) {
  check_vector(x, INTSXP, n, what);
  return INTEGER_RO(x);
}

const int* flags(SEXP x, R_xlen_t n, const char* what) {
  check_vector(x, LGLSXP, n, what);
  return LOGICAL_RO(x);
}

const Rbyte* bytes(SEXP x, R_xlen_t n, const char* what) {
  check_vector(x, RAWSXP, n, what);
  return RAW_RO(x);
}

void check_text(SEXP x, const char* what) { check_vector(x, STRSXP, -1, what); }
void check_list(SEXP x, const char* what) { check_vector(x, VECSXP, -1, what); }

SEXP part(SEXP list, const char* name) {
  check_list(list, name);
  SEXP names = Rf_getAttrib(list, R_NamesSymbol);
  require(names != R_NilValue, name);
  for (R_xlen_t k = 0; k < Rf_xlength(names); ++k)
    if (std::string_view(CHAR(STRING_ELT(names, k))) == name)
      return VECTOR_ELT(list, k);
  stop_unsound(name);
}

}  // namespace ronda::glue
