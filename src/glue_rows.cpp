// Row numbers of a join, as an R integer vector whose memory is not on R's
// heap. They can be as large as a column of the result and are dropped before
// the join returns; on R's heap they would call for collections, which take
// long with many texts in the session, and stay until the next one.
#include "glue_rows.h"

#include <atomic>

#include "core/list_rows.h"
#include "glue.h"
#include "glue_deferred.h"

#include <R_ext/Altrep.h>  // needs what Rcpp includes

using namespace Rcpp;
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
bool is_few(const core::Context& context, std::size_t n) {
  return n < std::min(few_rows, context.chunk_rows);
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
  if (is_few(context, n)) return new_vector(INTSXP, n);
  return own_rows(context, core::Buffer<core::Row>(n));
}

SEXP own_rows(const core::Context& context, core::Buffer<core::Row> buffer) {
  if (is_few(context, buffer.size()))
    return as_rows(buffer.data(), buffer.size());
  Rcpp::Shield<SEXP> rows(unwinding([] {
    SEXP pointer = PROTECT(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
    R_RegisterCFinalizerEx(pointer, finalize, TRUE);
    SEXP made = R_new_altrep(rows_class, pointer, R_NilValue);
    UNPROTECT(1);
    return made;
  }));
  R_SetExternalPtrAddr(R_altrep_data1(rows), new RowBuffer{std::move(buffer)});
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

// rows[left], 0 where left is 0 or beyond the end
// [[Rcpp::export(rng = false)]]
IntegerVector follow_rows_(IntegerVector rows, IntegerVector left) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const R_xlen_t known = rows.size();
    const int *from = rows.begin(), *at = left.begin();
    Shield<SEXP> out(
        glue::new_rows(context, static_cast<std::size_t>(left.size())));
    int* to = INTEGER(out);
    std::atomic<bool> sound{true};
    core::for_chunks(
        context, static_cast<std::size_t>(left.size()),
        [&](std::size_t, std::size_t begin, std::size_t end) {
          int least = 0;
          for (std::size_t i = begin; i < end; ++i) {
            least = std::min(least, at[i]);
            if (i + core::prefetch_distance < end)
              __builtin_prefetch(&from[at[i + core::prefetch_distance] - 1]);
            to[i] = at[i] > 0 && at[i] <= known ? from[at[i] - 1] : 0;
          }
          if (least < 0) sound = false;
        });
    glue::require(sound, "row numbers");
    return IntegerVector((SEXP)out);
  });
}

// The order of rows by numbers from 1 to `most`, 0 last; rows of equal numbers
// as they stand
// [[Rcpp::export(rng = false)]]
IntegerVector order_by_rows_(IntegerVector rows, double most) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const auto n = static_cast<std::size_t>(rows.size());
    glue::require(most >= 0 && most < INT_MAX, "a number of rows");
    glue::check_rows(context, rows.begin(), rows.size(), 0,
                     static_cast<R_xlen_t>(most), "row numbers");
    Shield<SEXP> order(glue::new_rows(context, n));
    int* out = INTEGER(order);
    const auto keys = static_cast<std::size_t>(most);
    core::Buffer<core::Row> starts(keys + 1);
    core::list_rows(context, rows.begin(), n, keys, starts.data(), out);
    for (std::size_t i = 0, at = static_cast<std::size_t>(starts[keys]); at < n;
         ++i)
      if (rows[static_cast<R_xlen_t>(i)] == 0)
        out[at++] = static_cast<int>(i + 1);
    return IntegerVector((SEXP)order);
  });
}

// on how many lines all of some row numbers, 0 beyond their end, are rows
// [[Rcpp::export(rng = false)]]
double held_by_all_(List lines) {
  return glue::guarded([&] {
    R_xlen_t n = lines.size() ? R_XLEN_T_MAX : 0;
    std::vector<const int*> rows;
    for (R_xlen_t k = 0; k < lines.size(); ++k) {
      glue::require(TYPEOF(lines[k]) == INTSXP, "row numbers");
      n = std::min(n, Rf_xlength(lines[k]));
      rows.push_back(INTEGER_RO(lines[k]));
    }
    return static_cast<double>(core::count_rows(
        glue::current_context(), static_cast<std::size_t>(n),
        [&](std::size_t i) {
          return std::all_of(rows.begin(), rows.end(),
                             [i](const int* of) { return of[i] > 0; });
        }));
  });
}

// Row numbers with zeros up to length n
// [[Rcpp::export(rng = false)]]
IntegerVector longer_rows_(IntegerVector rows, double n) {
  return glue::guarded([&] {
    glue::require(n >= static_cast<double>(rows.size()) && n <= INT_MAX,
                  "a number of rows");
    core::Buffer<core::Row> longer(static_cast<std::size_t>(n),
                                   core::Start::zero);
    std::copy(rows.begin(), rows.end(), longer.begin());
    Shield<SEXP> out(
        glue::own_rows(glue::current_context(), std::move(longer)));
    return IntegerVector((SEXP)out);
  });
}

// whether row numbers are 1 to n, and after these 0 or nothing
// [[Rcpp::export(rng = false)]]
bool only_adds_(IntegerVector rows, double n) {
  return glue::guarded([&]() -> bool {
    if (static_cast<double>(rows.size()) < n) return false;
    for (R_xlen_t i = 0; i < rows.size(); ++i)
      if (rows[i] != (i < n ? i + 1 : 0)) return false;
    return true;
  });
}

// Frees row numbers that new_rows() made, but for those a column still needs.
// [[Rcpp::export(rng = false)]]
void release_rows_(Rcpp::List rows) {
  glue::guarded([&] {
    for (R_xlen_t k = 0; k < rows.size(); ++k) {
      SEXP x = rows[k];
      if (is_ours(x) && R_altrep_data2(x) == R_NilValue)
        finalize(R_altrep_data1(x));
    }
  });
}

// [[Rcpp::init]]
void register_vectors(DllInfo* library) {
  glue::register_rows(library);
  glue::register_deferred(library);
}
