// Whether what was asked, and the names and types of columns, are as they were.
#include "glue_kept_plan.h"

#include <algorithm>
#include <cstdlib>

#include "glue.h"
#include "glue_frames.h"

using namespace Rcpp;
using namespace ronda;

namespace ronda::kept {
namespace {

using glue::part;

bool same_value(SEXP x, SEXP y) {
  constexpr int as_identical_does = 16;
  return x == y || (TYPEOF(x) == TYPEOF(y) &&
                    R_compute_identical(x, y, as_identical_does));
}

bool is_formula(SEXP x) {
  return TYPEOF(x) == LANGSXP && Rf_inherits(x, "formula") && Rf_length(x) == 2;
}

// (formulas are the same where their code is: each call has a place of its own)
bool same_choice(SEXP x, SEXP y) {
  if (x == y) return true;
  if (is_formula(x) && is_formula(y)) return same_value(CADR(x), CADR(y));
  if (TYPEOF(x) != VECSXP || TYPEOF(y) != VECSXP || OBJECT(x) || OBJECT(y))
    return same_value(x, y);
  if (Rf_xlength(x) != Rf_xlength(y) ||
      !same_value(Rf_getAttrib(x, R_NamesSymbol),
                  Rf_getAttrib(y, R_NamesSymbol)))
    return false;
  for (R_xlen_t k = 0; k < Rf_xlength(x); ++k)
    if (!same_choice(VECTOR_ELT(x, k), VECTOR_ELT(y, k))) return false;
  return true;
}

// `strict`: all its attributes matter, as values are compared or put together
bool like_column(SEXP x, SEXP like, bool strict) {
  if (TYPEOF(x) != TYPEOF(like)) return false;
  if (ATTRIB(x) == R_NilValue || ATTRIB(like) == R_NilValue)
    return ATTRIB(x) == ATTRIB(like);
  if (strict) return same_value(ATTRIB(x), ATTRIB(like));
  return !IS_S4_OBJECT(x) && glue::is_flat(x) &&
         same_value(Rf_getAttrib(x, R_ClassSymbol),
                    Rf_getAttrib(like, R_ClassSymbol));
}

bool like_frame(SEXP frame, SEXP like, SEXP strict) {
  glue::check_list(like, "columns of a plan");
  if (TYPEOF(frame) != VECSXP || Rf_xlength(frame) != Rf_xlength(like) ||
      !same_value(Rf_getAttrib(frame, R_ClassSymbol),
                  Rf_getAttrib(like, R_ClassSymbol)) ||
      !same_value(Rf_getAttrib(frame, R_NamesSymbol),
                  Rf_getAttrib(like, R_NamesSymbol)) ||
      !glue::has_plain_attributes(frame))
    return false;
  const int rows = std::abs(glue::row_count(frame));
  for (R_xlen_t k = 0; k < Rf_xlength(frame); ++k) {
    SEXP x = VECTOR_ELT(frame, k);
    if (!like_column(x, VECTOR_ELT(like, k), flag_at(strict, k)) ||
        Rf_xlength(x) != rows)
      return false;
  }
  return true;
}

// whether what the code of a formula calls is still R's own
bool calls_base(SEXP formula, SEXP functions) {
  SEXP place = Rf_getAttrib(formula, Rf_install(".Environment"));
  if (TYPEOF(place) != ENVSXP) return false;
  for (R_xlen_t k = 0; k < Rf_xlength(functions); ++k) {
    SEXP name = Rf_installTrChar(STRING_ELT(functions, k));
    if (Rcpp_fast_eval(name, place) != Rcpp_fast_eval(name, R_BaseEnv))
      return false;
  }
  return true;
}

bool calls_base_functions(const List& record, const List& choices) {
  SEXP functions = part(record, "functions");
  glue::check_text(functions, "functions of a plan");
  if (Rf_xlength(functions) == 0) return true;
  SEXP where = part(choices, "where");
  if (where != R_NilValue && !calls_base(where, functions)) return false;
  SEXP folds = part(choices, "fold");
  for (R_xlen_t k = 0; k < Rf_xlength(folds); ++k)
    if (!calls_base(VECTOR_ELT(folds, k), functions)) return false;
  return true;
}

}  // namespace

bool flag_at(SEXP flags, R_xlen_t k) {
  const int* values = glue::flags(flags, -1, "flags of a plan");
  glue::require(k < Rf_xlength(flags), "flags of a plan");
  return values[k] == TRUE;
}
bool flag_of(const List& record, const char* name) {
  return flag_at(part(record, name), 0);
}

bool is_plan_of(const List& record, SEXP left, SEXP right, SEXP on, SEXP rows,
                const List& choices) {
  return same_value(rows, part(record, "rows")) &&
         same_choice(on, part(record, "on")) &&
         same_choice(choices, part(record, "choices")) &&
         like_frame(left, part(record, "left"), part(record, "strict_left")) &&
         like_frame(right, part(record, "right"),
                    part(record, "strict_right")) &&
         calls_base_functions(record, choices);
}

}  // namespace ronda::kept

// A frame without rows that tells what its columns are; NULL where some column
// is not plain values, or the frame's class may keep more than them.
// [[Rcpp::export(rng = false)]]
SEXP columns_like_(List frame, CharacterVector classes) {
  return glue::guarded([&]() -> SEXP {
    if (!glue::has_plain_attributes(frame)) return R_NilValue;
    auto is_known = [&](SEXP name) {
      return std::any_of(classes.begin(), classes.end(), [&](SEXP one) {
        return Rf_NonNullStringMatch(one, name);
      });
    };
    List out(frame.size());
    for (R_xlen_t k = 0; k < frame.size(); ++k) {
      SEXP x = frame[k];
      if (!(Rf_isVectorAtomic(x) || TYPEOF(x) == VECSXP) || IS_S4_OBJECT(x) ||
          !glue::is_flat(x))
        return R_NilValue;
      SEXP own = OBJECT(x) ? Rf_getAttrib(x, R_ClassSymbol) : R_NilValue;
      for (R_xlen_t c = 0; c < Rf_xlength(own); ++c)
        if (!is_known(STRING_ELT(own, c))) return R_NilValue;
      const Shield<SEXP> none(Rf_allocVector(TYPEOF(x), 0));
      if (ATTRIB(x) != R_NilValue) SHALLOW_DUPLICATE_ATTRIB(none, x);
      out[k] = none;
    }
    out.attr("names") = frame.attr("names");
    out.attr("class") = frame.attr("class");
    out.attr("row.names") = IntegerVector(0);
    return out;
  });
}
