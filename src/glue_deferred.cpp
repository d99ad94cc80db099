// Columns that are gathered when they are first looked at: a frame of fifty
// columns is there at once when three of them are used. A deferred column keeps
// its source and the rows to take; both are let go when it is filled. The
// source is held by a reference like any other, so R copies it before it
// changes it; saving, sending and attributes are R's own ways with a vector.
#include "glue_deferred.h"

#include "core/roads.h"
#include "gather_values.h"
#include "glue.h"

#include <R_ext/Altrep.h>  // needs what Rcpp includes

using namespace ronda;

namespace {

R_altrep_class_t real_class, integer_class, logical_class, text_class;

bool class_for(SEXPTYPE type, R_altrep_class_t& cls) {
  switch (type) {
    case REALSXP:
      cls = real_class;
      return true;
    case INTSXP:
      cls = integer_class;
      return true;
    case LGLSXP:
      cls = logical_class;
      return true;
    case STRSXP:
      cls = text_class;
      return true;
    default:
      return false;
  }
}

SEXP filled(SEXP x) { return R_altrep_data2(x); }
SEXP source_of(SEXP x) { return VECTOR_ELT(R_altrep_data1(x), 0); }
SEXP rows_of(SEXP x) { return VECTOR_ELT(R_altrep_data1(x), 1); }
bool is_filled(SEXP x) { return filled(x) != R_NilValue; }

// Called by R from anywhere, so it is not interrupted half-way.
SEXP fill(SEXP x) {
  if (is_filled(x)) return filled(x);
  SEXP source = PROTECT(source_of(x)), rows = PROTECT(rows_of(x));
  SEXP out = PROTECT(glue::plain_vector(
      TYPEOF(x), static_cast<std::size_t>(Rf_xlength(rows))));
  bool memory = true;
  try {
    core::Context context = glue::current_context();
    context.interrupted = nullptr;
    glue::gather_values(context, source, INTEGER_RO(rows), out);
  } catch (const std::bad_alloc&) {
    memory = false;
  }
  if (!memory) glue::stop_no_memory();
  R_set_altrep_data2(x, out);
  R_set_altrep_data1(x, R_NilValue);
  UNPROTECT(3);
  return out;
}

R_xlen_t deferred_length(SEXP x) {
  return Rf_xlength(is_filled(x) ? filled(x) : rows_of(x));
}
void* deferred_pointer(SEXP x, Rboolean) {
  return const_cast<void*>(DATAPTR_RO(fill(x)));
}
const void* deferred_pointer_or_null(SEXP x) {
  return is_filled(x) ? DATAPTR_RO(filled(x)) : nullptr;
}
SEXP deferred_copy(SEXP x, Rboolean) {
  if (is_filled(x)) return Rf_shallow_duplicate(filled(x));
  R_altrep_class_t cls;
  class_for(TYPEOF(x), cls);
  return R_new_altrep(cls, R_altrep_data1(x), R_NilValue);
}
Rboolean deferred_inspect(SEXP x, int, int, int,
                          void (*)(SEXP, int, int, int)) {
  Rprintf(" ronda column, %s\n", is_filled(x) ? "filled" : "deferred");
  return TRUE;
}

// One value, without filling the column
template <class T>
T element(SEXP x, R_xlen_t i, T (*get)(SEXP, R_xlen_t), T missing) {
  if (is_filled(x)) return get(filled(x), i);
  const int row = INTEGER_ELT(rows_of(x), i);
  return row == 0 ? missing : get(source_of(x), row - 1);
}
double real_element(SEXP x, R_xlen_t i) {
  if (is_filled(x)) return REAL_ELT(filled(x), i);
  return element(x, i, REAL_ELT, glue::missing_real(source_of(x)));
}
int integer_element(SEXP x, R_xlen_t i) {
  return element(x, i, INTEGER_ELT, NA_INTEGER);
}
int logical_element(SEXP x, R_xlen_t i) {
  return element(x, i, LOGICAL_ELT, NA_LOGICAL);
}
// A loop over texts asks for them one by one: after some it pays to fill.
SEXP text_element(SEXP x, R_xlen_t i) {
  if (!is_filled(x) && ++INTEGER(VECTOR_ELT(R_altrep_data1(x), 2))[0] > 1000)
    fill(x);
  return element(x, i, STRING_ELT, NA_STRING);
}
void set_text_element(SEXP x, R_xlen_t i, SEXP value) {
  SET_STRING_ELT(fill(x), i, value);
}

// What goes through all values, block by block, fills the column first.
template <class T>
R_xlen_t region(SEXP x, R_xlen_t from, R_xlen_t n, T* to) {
  const T* values = static_cast<const T*>(DATAPTR_RO(fill(x)));
  const R_xlen_t size = std::min(n, deferred_length(x) - from);
  std::copy(values + from, values + from + size, to);
  return size;
}

// A large part is taken from the filled column, a small one value by value:
// either is done by R, which NULL asks for.
SEXP deferred_subset(SEXP x, SEXP places, SEXP) {
  if (Rf_xlength(places) > deferred_length(x) / 16) fill(x);
  return nullptr;
}

void set_common_methods(R_altrep_class_t cls) {
  R_set_altrep_Length_method(cls, deferred_length);
  R_set_altrep_Duplicate_method(cls, deferred_copy);
  R_set_altrep_Inspect_method(cls, deferred_inspect);
  R_set_altvec_Dataptr_method(cls, deferred_pointer);
  R_set_altvec_Dataptr_or_null_method(cls, deferred_pointer_or_null);
  R_set_altvec_Extract_subset_method(cls, deferred_subset);
}

bool is_deferred(SEXP x) {
  R_altrep_class_t cls;
  return ALTREP(x) && class_for(TYPEOF(x), cls) && R_altrep_inherits(x, cls) &&
         !is_filled(x);
}

}  // namespace

namespace ronda::glue {

void register_deferred(DllInfo* library) {
  real_class = R_make_altreal_class("ronda_real", "ronda", library);
  integer_class = R_make_altinteger_class("ronda_integer", "ronda", library);
  logical_class = R_make_altlogical_class("ronda_logical", "ronda", library);
  text_class = R_make_altstring_class("ronda_text", "ronda", library);
  for (R_altrep_class_t cls :
       {real_class, integer_class, logical_class, text_class})
    set_common_methods(cls);
  R_set_altreal_Elt_method(real_class, real_element);
  R_set_altinteger_Elt_method(integer_class, integer_element);
  R_set_altlogical_Elt_method(logical_class, logical_element);
  R_set_altreal_Get_region_method(real_class, region<double>);
  R_set_altinteger_Get_region_method(integer_class, region<int>);
  R_set_altlogical_Get_region_method(logical_class, region<int>);
  R_set_altstring_Elt_method(text_class, text_element);
  R_set_altstring_Set_elt_method(text_class, set_text_element);
}

// Until it is filled the column keeps its source and the rows: at most twice
// the memory that filling takes. Nothing is deferred twice.
bool can_wait(SEXP x, std::size_t lines) {
  R_altrep_class_t cls;
  if (!class_for(TYPEOF(x), cls) || is_deferred(x)) return false;
  const std::size_t width = value_width(TYPEOF(x));
  const auto rows = static_cast<std::size_t>(Rf_xlength(x));
  return rows * width + lines * sizeof(core::Row) <= 2 * lines * width;
}

SEXP new_deferred(SEXP x, SEXP rows) {
  core::take_road(core::Road::column_deferred);
  R_altrep_class_t cls;
  class_for(TYPEOF(x), cls);
  Rcpp::Shield<SEXP> kept(Rf_allocVector(VECSXP, 3));
  SET_VECTOR_ELT(kept, 0, x);
  SET_VECTOR_ELT(kept, 1, rows);
  SET_VECTOR_ELT(kept, 2, Rf_ScalarInteger(0));
  MARK_NOT_MUTABLE(x);
  keep_rows(rows);
  Rcpp::Shield<SEXP> out(R_new_altrep(cls, kept, R_NilValue));
  if (has_attributes(x)) SHALLOW_DUPLICATE_ATTRIB(out, x);
  return out;
}

}  // namespace ronda::glue

// x[rows], gathered when something looks at it; NULL where x can't wait
// [[Rcpp::export(rng = false)]]
SEXP deferred_(SEXP x, SEXP rows) {
  return glue::guarded([&]() -> SEXP {
    glue::check_rows(glue::current_context(),
                     glue::integers(rows, -1, "row numbers"), Rf_xlength(rows),
                     0, Rf_xlength(x), "row numbers");
    R_altrep_class_t cls;
    if (!class_for(TYPEOF(x), cls) ||
        Rf_getAttrib(x, R_NamesSymbol) != R_NilValue)
      return R_NilValue;
    return glue::new_deferred(x, rows);
  });
}

// How many columns of a frame are deferred and not yet filled
// [[Rcpp::export(rng = false)]]
int count_deferred_(Rcpp::List frame) {
  return glue::guarded([&]() -> int {
    int count = 0;
    for (R_xlen_t k = 0; k < frame.size(); ++k) count += is_deferred(frame[k]);
    return count;
  });
}
