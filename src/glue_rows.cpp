// Row numbers of a join, as an R integer vector whose memory is not on R's
// heap. They can be as large as a column of the result and are dropped before
// the join returns; on R's heap they would call for collections (0.1 s each
// with 1e7 texts in the session) and stay until the next one.
#include "glue.h"
#include "glue_deferred.h"

#include <R_ext/Altrep.h>  // needs what Rcpp includes

using namespace ronda;

namespace {

struct RowBuffer {
  core::Buffer<core::Row> rows;
  // all are from 0 to this number, as the engine made them; -1 once somebody
  // may have written into them
  R_xlen_t most = -1;
};
constexpr std::size_t few_rows = 1 << 16;  // these may well be R's

R_altrep_class_t rows_class;

RowBuffer& buffer_of(SEXP x) {
  auto* buffer = static_cast<RowBuffer*>(R_ExternalPtrAddr(R_altrep_data1(x)));
  if (!buffer) Rf_error("row numbers of a join were used after it");
  return *buffer;
}

void finalize(SEXP pointer) {
  delete static_cast<RowBuffer*>(R_ExternalPtrAddr(pointer));
  R_ClearExternalPtr(pointer);
}

R_xlen_t rows_length(SEXP x) {
  return static_cast<R_xlen_t>(buffer_of(x).rows.size());
}
void* rows_pointer(SEXP x, Rboolean writable) {
  RowBuffer& buffer = buffer_of(x);
  if (writable) buffer.most = -1;
  return buffer.rows.data();
}
const void* rows_pointer_or_null(SEXP x) { return buffer_of(x).rows.data(); }
int rows_element(SEXP x, R_xlen_t i) {
  return buffer_of(x).rows[static_cast<std::size_t>(i)];
}
bool is_ours(SEXP x) { return ALTREP(x) && R_altrep_inherits(x, rows_class); }

}  // namespace

namespace ronda::glue {

void register_rows(DllInfo* library) {
  rows_class = R_make_altinteger_class("ronda_rows", "ronda", library);
  R_set_altrep_Length_method(rows_class, rows_length);
  R_set_altvec_Dataptr_method(rows_class, rows_pointer);
  R_set_altvec_Dataptr_or_null_method(rows_class, rows_pointer_or_null);
  R_set_altinteger_Elt_method(rows_class, rows_element);
}

SEXP new_rows(const core::Context& context, std::size_t n) {
  if (n < std::min(few_rows, context.chunk_rows)) return new_vector(INTSXP, n);
  Rcpp::Shield<SEXP> rows(unwinding([] {
    SEXP pointer = PROTECT(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
    R_RegisterCFinalizerEx(pointer, finalize, TRUE);
    SEXP made = R_new_altrep(rows_class, pointer, R_NilValue);
    UNPROTECT(1);
    return made;
  }));
  R_SetExternalPtrAddr(R_altrep_data1(rows),
                       new RowBuffer{core::Buffer<core::Row>(n)});
  return rows;
}

void vouch_for_rows(SEXP rows, R_xlen_t most) {
  if (is_ours(rows)) buffer_of(rows).most = most;
}

bool are_vouched_for(SEXP rows, R_xlen_t most) {
  return is_ours(rows) && buffer_of(rows).most >= 0 &&
         buffer_of(rows).most <= most;
}

void keep_rows(SEXP rows) {
  if (is_ours(rows)) R_set_altrep_data2(rows, R_BlankString);
}

}  // namespace ronda::glue

// Frees row numbers that new_rows() made, but for those a column still needs.
// [[Rcpp::export(rng = false)]]
void release_rows_(Rcpp::List rows) {
  for (R_xlen_t k = 0; k < rows.size(); ++k) {
    SEXP x = rows[k];
    if (is_ours(x) && R_altrep_data2(x) == R_NilValue)
      finalize(R_altrep_data1(x));
  }
}

// [[Rcpp::init]]
void register_vectors(DllInfo* library) {
  glue::register_rows(library);
  glue::register_deferred(library);
}
