// Frames looked at and columns planned, in short, for the joins that most are:
// in R it takes a function call or more for each column, longer than matching a
// small frame. Where something is out of the common these say so, and R looks
// closer.
#include "glue_plan.h"

#include <initializer_list>
#include <string_view>

#include "core/roads.h"
#include "glue.h"
#include "glue_frames.h"

using namespace Rcpp;
using namespace ronda;

namespace {

SEXP text_vector(std::initializer_list<const char*> texts) {
  Shield<SEXP> out(Rf_allocVector(STRSXP, static_cast<R_xlen_t>(texts.size())));
  R_xlen_t k = 0;
  for (const char* text : texts) SET_STRING_ELT(out, k++, Rf_mkChar(text));
  return out;
}

// list(name = , from = , ...): `fields` are the names, `columns` what follows
SEXP column_record(SEXP fields, SEXP from,
                   std::initializer_list<SEXP> columns) {
  Shield<SEXP> out(Rf_allocVector(VECSXP, Rf_xlength(fields)));
  SET_VECTOR_ELT(out, 0, Rf_ScalarString(*columns.begin()));
  SET_VECTOR_ELT(out, 1, from);
  R_xlen_t k = 2;
  for (SEXP column : columns) SET_VECTOR_ELT(out, k++, Rf_ScalarString(column));
  Rf_setAttrib(out, R_NamesSymbol, fields);
  return out;
}

// the text that a record's field holds
SEXP text_field(SEXP record, const char* name) {
  SEXP field = glue::part(record, name);
  glue::check_text(field, name);
  glue::require(Rf_xlength(field) == 1, name);
  return STRING_ELT(field, 0);
}

// the column of a frame that a record's field names
SEXP column_named(SEXP frame, SEXP record, const char* side) {
  SEXP name = text_field(record, side);
  glue::check_list(frame, side);
  SEXP names = Rf_getAttrib(frame, R_NamesSymbol);
  for (R_xlen_t k = 0; k < Rf_xlength(names); ++k)
    if (glue::is_same_text(STRING_ELT(names, k), name))
      return VECTOR_ELT(frame, k);
  return R_NilValue;
}

// how many rows a column has; NA where only R's own methods can tell
int plain_rows(SEXP x) {
  const bool plain = Rf_isVectorAtomic(x) || TYPEOF(x) == VECSXP;
  const bool shaped = Rf_getAttrib(x, R_DimSymbol) != R_NilValue ||
                      (Rf_isObject(x) && TYPEOF(x) == VECSXP);
  return plain && !shaped ? static_cast<int>(Rf_xlength(x)) : NA_INTEGER;
}

bool is_bare(SEXP x) {
  return Rf_isVectorAtomic(x) && !glue::has_attributes(x);
}

}  // namespace

// How many rows each column has; NA where only R's own methods can tell.
// [[Rcpp::export(rng = false)]]
IntegerVector column_rows_(List frame) {
  return glue::guarded([&]() -> IntegerVector {
    IntegerVector rows(no_init(frame.size()));
    for (R_xlen_t k = 0; k < frame.size(); ++k) rows[k] = plain_rows(frame[k]);
    return rows;
  });
}

// The rows of a frame whose columns have names of their own and as many values,
// negative where rows have no names. NA where it takes a closer look.
// [[Rcpp::export(rng = false)]]
int sound_rows_(SEXP frame) {
  return glue::guarded([&]() -> int {
    if (TYPEOF(frame) != VECSXP || !Rf_inherits(frame, "data.frame"))
      return NA_INTEGER;
    SEXP names = Rf_getAttrib(frame, R_NamesSymbol);
    if (TYPEOF(names) != STRSXP || Rf_xlength(names) != Rf_xlength(frame) ||
        Rf_any_duplicated(names, FALSE))
      return NA_INTEGER;
    const int rows = glue::row_count(frame);
    for (R_xlen_t k = 0; k < Rf_xlength(frame); ++k) {
      SEXP name = STRING_ELT(names, k);
      if (name == NA_STRING || name == R_BlankString ||
          plain_rows(VECTOR_ELT(frame, k)) != std::abs(rows))
        return NA_INTEGER;
    }
    return rows;
  });
}

// The engine's kind of two key columns that are plain vectors of one type,
// which it takes as they are; NULL for others.
// [[Rcpp::export(rng = false)]]
SEXP plain_kind_(SEXP x, SEXP y) {
  return glue::guarded([&]() -> SEXP {
    if (!is_bare(x) || !is_bare(y) || TYPEOF(x) != TYPEOF(y)) return R_NilValue;
    switch (TYPEOF(x)) {
      case INTSXP:
      case LGLSXP:
        return Rf_ScalarInteger(static_cast<int>(core::KeyKind::int32));
      case REALSXP:
        return Rf_ScalarInteger(static_cast<int>(core::KeyKind::real));
      default:
        return R_NilValue;
    }
  });
}

// The records of a result's columns (see R/frame_columns.R) where all columns
// come under their own names: left ones, `keys` among them with their
// `partners` of the right frame, then the other right ones; by name. NULL when
// two would be called alike.
// [[Rcpp::export(rng = false)]]
SEXP distinct_columns_(SEXP left, SEXP right, SEXP keys, SEXP partners) {
  return glue::guarded([&]() -> SEXP {
    for (SEXP names : {left, right, keys, partners})
      glue::check_text(names, "column names");
    glue::require(Rf_xlength(keys) == Rf_xlength(partners), "column names");
    Shield<SEXP> key_of(Rf_match(keys, left, 0));
    Shield<SEXP> used(Rf_match(partners, right, 0));
    const R_xlen_t n = Rf_xlength(left);
    R_xlen_t all = n;
    for (R_xlen_t k = 0; k < Rf_xlength(right); ++k) all += !INTEGER(used)[k];
    Shield<SEXP> names(Rf_allocVector(STRSXP, all));
    Shield<SEXP> columns(Rf_allocVector(VECSXP, all));
    Shield<SEXP> of_key(text_vector({"name", "from", "left", "right"}));
    Shield<SEXP> of_left(text_vector({"name", "from", "left"}));
    Shield<SEXP> of_right(text_vector({"name", "from", "right"}));
    Shield<SEXP> from_key(Rf_mkString("key"));
    Shield<SEXP> from_left(Rf_mkString("left"));
    Shield<SEXP> from_right(Rf_mkString("right"));
    for (R_xlen_t k = 0; k < n; ++k) {
      SEXP name = STRING_ELT(left, k);
      SET_STRING_ELT(names, k, name);
      const int key = INTEGER(key_of)[k];
      SET_VECTOR_ELT(columns, k,
                     key ? column_record(of_key, from_key,
                                         {name, STRING_ELT(partners, key - 1)})
                         : column_record(of_left, from_left, {name}));
    }
    for (R_xlen_t k = 0, at = n; k < Rf_xlength(right); ++k) {
      if (INTEGER(used)[k]) continue;
      SEXP name = STRING_ELT(right, k);
      SET_STRING_ELT(names, at, name);
      SET_VECTOR_ELT(columns, at++,
                     column_record(of_right, from_right, {name}));
    }
    if (Rf_any_duplicated(names, FALSE)) return R_NilValue;
    Rf_setAttrib(columns, R_NamesSymbol, names);
    core::take_road(core::Road::columns_distinct);
    return columns;
  });
}

// What the columns of a plan are taken from, where that is a plain vector
// without attributes, for a key one of the same type on both sides; NULL where
// it takes a closer look.
// [[Rcpp::export(rng = false)]]
SEXP plain_sources_(SEXP columns, SEXP left, SEXP right) {
  return glue::guarded([&]() -> SEXP {
    glue::check_list(columns, "the plan of columns");
    Shield<SEXP> sources(Rf_allocVector(VECSXP, Rf_xlength(columns)));
    for (R_xlen_t k = 0; k < Rf_xlength(columns); ++k) {
      SEXP record = VECTOR_ELT(columns, k);
      const std::string_view from(CHAR(text_field(record, "from")));
      SEXP x = R_NilValue;
      if (from == "left" || from == "key")
        x = column_named(left, record, "left");
      else if (from == "right")
        x = column_named(right, record, "right");
      if (is_bare(x)) SET_VECTOR_ELT(sources, k, x);
    }
    return sources;
  });
}
