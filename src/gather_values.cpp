#include "gather_values.h"

#include <cstring>

#include "core/gather.h"

using namespace ronda;

namespace {

// Lists hold R objects, so one thread alone may write them.
void gather_list(SEXP from, const int* rows, SEXP out) {
  for (R_xlen_t i = 0; i < Rf_xlength(out); ++i)
    if (rows[i]) SET_VECTOR_ELT(out, i, VECTOR_ELT(from, rows[i] - 1));
}

template <class T>
glue::MissingValue bytes_of(const T& value) {
  glue::MissingValue missing{};
  std::memcpy(missing.bytes, &value, sizeof value);
  return missing;
}

template <class T>
void gather_as(const core::Context& context, SEXP x, const int* rows,
               SEXP out) {
  T missing;
  const glue::MissingValue value = glue::missing_value(x);
  std::memcpy(&missing, value.bytes, sizeof missing);
  core::gather(context, static_cast<const T*>(DATAPTR_RO(x)), rows,
               static_cast<std::size_t>(Rf_xlength(out)), missing,
               static_cast<T*>(glue::writable_values(out)));
}

}  // namespace

namespace ronda::glue {

std::size_t value_width(SEXPTYPE type) {
  switch (type) {
    case LGLSXP:
    case INTSXP:
      return sizeof(int);
    case RAWSXP:
      return sizeof(Rbyte);
    case CPLXSXP:
      return sizeof(Rcomplex);
    default:
      return 8;
  }
}

double missing_real(SEXP x) {
  if (!Rf_inherits(x, "integer64")) return NA_REAL;
  const std::int64_t missing = INT64_MIN;
  double bits;
  std::memcpy(&bits, &missing, sizeof bits);
  return bits;
}

MissingValue missing_value(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP:
    case INTSXP:
      return bytes_of(NA_INTEGER);
    case REALSXP:
      return bytes_of(missing_real(x));
    case CPLXSXP: {
      Rcomplex missing;
      missing.r = NA_REAL;
      missing.i = NA_REAL;
      return bytes_of(missing);
    }
    case STRSXP:
      return bytes_of(NA_STRING);
    default:
      return MissingValue{};
  }
}

// A text vector holds addresses of R's shared strings. Those are copied as they
// are, by all threads: nothing looks at a string.
void gather_values(const core::Context& context, SEXP x, const int* rows,
                   SEXP out) {
  switch (TYPEOF(x)) {
    case LGLSXP:
    case INTSXP:
      return gather_as<std::int32_t>(context, x, rows, out);
    case REALSXP:
      return gather_as<std::uint64_t>(context, x, rows, out);
    case CPLXSXP:
      return gather_as<Rcomplex>(context, x, rows, out);
    case RAWSXP:
      return gather_as<Rbyte>(context, x, rows, out);
    case STRSXP:
      return gather_as<SEXP>(context, x, rows, out);
    case VECSXP:
      return gather_list(x, rows, out);
    default:
      Rcpp::stop("no column type '%s'", Rf_type2char(TYPEOF(x)));
  }
}

}  // namespace ronda::glue
