// Columns picked by row number, and what R's own column types need.
#include <cmath>
#include <cstring>
#include <vector>

#include "core/gather.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

// A text vector holds addresses of R's shared strings. Those are copied as they
// are, by all threads: nothing looks at a string. R need not be told of what
// goes into a vector that is younger than all its values: its collector
// never promotes it before them.
void gather_text(const core::Context& context, SEXP from, const int* rows,
                 SEXP out, SEXP missing) {
  core::gather(context, STRING_PTR_RO(from), rows,
               static_cast<std::size_t>(Rf_xlength(out)), missing,
               const_cast<SEXP*>(STRING_PTR_RO(out)));
}

void gather_list(SEXP from, const int* rows, SEXP out) {
  for (R_xlen_t i = 0; i < Rf_xlength(out); ++i)
    if (rows[i]) SET_VECTOR_ELT(out, i, VECTOR_ELT(from, rows[i] - 1));
}

bool is_int64(SEXP x) { return Rf_inherits(x, "integer64"); }

double missing_int64() {
  const std::int64_t missing = INT64_MIN;
  double bits;
  std::memcpy(&bits, &missing, sizeof bits);
  return bits;
}

Rcomplex missing_complex() {
  Rcomplex missing;
  missing.r = NA_REAL;
  missing.i = NA_REAL;
  return missing;
}

void gather_values(const core::Context& context, SEXP x, const int* rows,
                   SEXP out) {
  const auto n = static_cast<std::size_t>(Rf_xlength(out));
  switch (TYPEOF(x)) {
    case LGLSXP:
    case INTSXP:
      return core::gather(context, static_cast<const int*>(DATAPTR_RO(x)),
                          rows, n, NA_INTEGER,
                          static_cast<int*>(DATAPTR(out)));
    case REALSXP:
      return core::gather(context, REAL_RO(x), rows, n,
                          is_int64(x) ? missing_int64() : NA_REAL, REAL(out));
    case CPLXSXP:
      return core::gather(context, COMPLEX_RO(x), rows, n,
                          missing_complex(), COMPLEX(out));
    case RAWSXP:
      return core::gather(context, RAW_RO(x), rows, n, Rbyte{0}, RAW(out));
    case STRSXP:
      return gather_text(context, x, rows, out, NA_STRING);
    case VECSXP:
      return gather_list(x, rows, out);
    default:
      stop("gather_(): no column type '%s'", Rf_type2char(TYPEOF(x)));
  }
}

// all attributes but the names, which are picked like the values
void copy_attributes(const core::Context& context, SEXP x, const int* rows,
                     SEXP out) {
  if (ATTRIB(x) == R_NilValue) return;
  SHALLOW_DUPLICATE_ATTRIB(out, x);
  Shield<SEXP> names(Rf_getAttrib(x, R_NamesSymbol));
  if (names == R_NilValue) return;
  Shield<SEXP> picked(Rf_allocVector(STRSXP, Rf_xlength(out)));
  gather_text(context, names, rows, picked, R_BlankString);
  Rf_setAttrib(out, R_NamesSymbol, picked);
}

bool needs_translation(SEXP text) {
  if (text == NA_STRING || Rf_getCharCE(text) == CE_UTF8 ||
      Rf_getCharCE(text) == CE_BYTES)
    return false;
  const char* bytes = CHAR(text);
  std::size_t n = static_cast<std::size_t>(LENGTH(text));
  constexpr std::uint64_t high_bits = 0x8080808080808080u;
  for (; n >= 8; n -= 8, bytes += 8) {
    std::uint64_t eight;
    std::memcpy(&eight, bytes, 8);
    if (eight & high_bits) return true;
  }
  for (; n > 0; --n, ++bytes)
    if (static_cast<unsigned char>(*bytes) > 127) return true;
  return false;
}

// Texts that were looked at lately, by address: repeated ones are not looked
// at again. 1e7 texts of 1e4 kinds are through in a quarter of the time.
class SeenTexts {
 public:
  explicit SeenTexts(std::size_t texts)
      : places_(texts < 5000 ? 16 : 1 << 15, nullptr) {}
  bool seen(SEXP text) {
    const auto address = reinterpret_cast<std::uintptr_t>(text);
    SEXP& place = places_[(address >> 6) % places_.size()];
    if (place == text) return true;
    place = text;
    return false;
  }

 private:
  std::vector<SEXP> places_;
};

// the 64-bit integer a double stands for; false when it stands for none
bool as_int64(double value, std::int64_t& out) {
  if (!(value >= -9223372036854775808.0 && value < 9223372036854775808.0))
    return false;
  out = static_cast<std::int64_t>(value);
  return static_cast<double>(out) == value && out != INT64_MIN;
}

std::int64_t* int64_data(SEXP x) {
  return reinterpret_cast<std::int64_t*>(REAL(x));
}

}  // namespace

// x[rows], missing where rows is 0; attributes are kept
// [[Rcpp::export(rng = false)]]
SEXP gather_(SEXP x, IntegerVector rows) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    Shield<SEXP> out(glue::new_vector(TYPEOF(x), rows.size()));
    gather_values(context, x, rows.begin(), out);
    copy_attributes(context, x, rows.begin(), out);
    return static_cast<SEXP>(out);
  });
}

// A copy of x with from[rows] wherever `instead_of` is 0; same type.
// [[Rcpp::export(rng = false)]]
SEXP patch_(SEXP x, IntegerVector instead_of, SEXP from, IntegerVector rows) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    Shield<SEXP> out(Rf_shallow_duplicate(x));
    const auto n = static_cast<std::size_t>(Rf_xlength(out));
    const int* blank = instead_of.begin();
    switch (TYPEOF(x)) {
      case LGLSXP:
      case INTSXP:
        core::patch(context, blank, static_cast<const int*>(DATAPTR_RO(from)),
                    rows.begin(), n, static_cast<int*>(DATAPTR(out)));
        break;
      case REALSXP:
        core::patch(context, blank, REAL_RO(from), rows.begin(), n, REAL(out));
        break;
      case STRSXP:
        for (std::size_t i = 0; i < n; ++i)
          if (!blank[i] && rows[i])
            SET_STRING_ELT(out, i, STRING_ELT(from, rows[i] - 1));
        break;
      case VECSXP:
        for (std::size_t i = 0; i < n; ++i)
          if (!blank[i] && rows[i])
            SET_VECTOR_ELT(out, i, VECTOR_ELT(from, rows[i] - 1));
        break;
      default:
        stop("patch_(): no column type '%s'", Rf_type2char(TYPEOF(x)));
    }
    return static_cast<SEXP>(out);
  });
}

// x itself when equal texts share one address, else a copy in UTF-8
// [[Rcpp::export(rng = false)]]
SEXP utf8_text_(SEXP x) {
  return glue::guarded([&] {
    const SEXP* text = STRING_PTR_RO(x);
    const auto n = static_cast<std::size_t>(Rf_xlength(x));
    bool same = true;
    SeenTexts lately(n);
    core::for_chunks_in_order(
        glue::current_context(), n, [&](std::size_t begin, std::size_t end) {
          for (std::size_t i = begin; i < end && same; ++i) {
            if (i + core::prefetch_distance < end)
              __builtin_prefetch(text[i + core::prefetch_distance]);
            same = lately.seen(text[i]) || !needs_translation(text[i]);
          }
        });
    if (same) return x;
    Shield<SEXP> out(Rf_allocVector(STRSXP, static_cast<R_xlen_t>(n)));
    for (R_xlen_t i = 0; i < static_cast<R_xlen_t>(n); ++i) {
      SEXP one = STRING_ELT(x, i);
      SET_STRING_ELT(out, i, needs_translation(one)
                                 ? Rf_mkCharCE(Rf_translateCharUTF8(one),
                                               CE_UTF8)
                                 : one);
    }
    return static_cast<SEXP>(out);
  });
}

// Numbers as 64-bit integers; `left_over` holds the values that are no such
// integer, as doubles, and 0 elsewhere (NULL when there are none).
// [[Rcpp::export(rng = false)]]
List int64_from_number_(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  NumericVector out(no_init(n));
  std::int64_t* values = int64_data(out);
  NumericVector left_over(0);
  for (R_xlen_t i = 0; i < n; ++i) {
    values[i] = INT64_MIN;
    if (TYPEOF(x) != REALSXP) {
      const int value = INTEGER_ELT(x, i);
      if (value != NA_INTEGER) values[i] = value;
      continue;
    }
    const double value = REAL_ELT(x, i);
    if (std::isnan(value) || as_int64(value, values[i])) continue;
    values[i] = 0;
    if (left_over.size() == 0) left_over = NumericVector(n);
    left_over[i] = value;
  }
  return List::create(_["values"] = out,
                      _["left_over"] = left_over.size() == 0
                                           ? R_NilValue
                                           : (SEXP)left_over);
}

// 64-bit integers as two doubles that sort and compare as they do
// [[Rcpp::export(rng = false)]]
List int64_halves_(NumericVector x) {
  NumericVector high(no_init(x.size())), low(no_init(x.size()));
  const std::int64_t* values = int64_data(x);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const bool missing = values[i] == INT64_MIN;
    high[i] = missing ? NA_REAL : static_cast<double>(values[i] >> 32);
    low[i] = missing ? NA_REAL
                     : static_cast<double>(values[i] & 0xffffffffLL);
  }
  return List::create(high, low);
}

// How many rows each column has; NA where only R's own methods can tell.
// [[Rcpp::export(rng = false)]]
IntegerVector column_rows_(List frame) {
  IntegerVector rows(no_init(frame.size()));
  for (R_xlen_t k = 0; k < frame.size(); ++k) {
    SEXP x = frame[k];
    const bool plain = Rf_isVectorAtomic(x) || TYPEOF(x) == VECSXP;
    const bool shaped = Rf_getAttrib(x, R_DimSymbol) != R_NilValue ||
                        (OBJECT(x) && TYPEOF(x) == VECSXP);
    rows[k] = plain && !shaped ? static_cast<int>(Rf_xlength(x)) : NA_INTEGER;
  }
  return rows;
}

// 64-bit integers moved by a number, which stop at their ends
// [[Rcpp::export(rng = false)]]
NumericVector int64_shift_(NumericVector x, double by) {
  NumericVector out(no_init(x.size()));
  const std::int64_t* from = int64_data(x);
  std::int64_t* to = int64_data(out);
  const double whole = by < 0 ? std::ceil(by) : std::floor(by);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    to[i] = from[i];
    if (from[i] == INT64_MIN) continue;
    std::int64_t step = 0;
    const bool far = !as_int64(whole, step);
    if (far || __builtin_add_overflow(from[i], step, &to[i]) ||
        to[i] == INT64_MIN)
      to[i] = by < 0 ? INT64_MIN + 1 : INT64_MAX;
  }
  return out;
}

// The lowest and the highest 64-bit integer
// [[Rcpp::export(rng = false)]]
NumericVector int64_infinite_() {
  NumericVector out(2);
  int64_data(out)[0] = INT64_MIN + 1;
  int64_data(out)[1] = INT64_MAX;
  return out;
}

// -1, 0 or 1 as x is below, at or above y; NA where one is missing
// [[Rcpp::export(rng = false)]]
NumericVector int64_compare_(NumericVector x, NumericVector y) {
  NumericVector out(no_init(x.size()));
  const std::int64_t* a = int64_data(x);
  const std::int64_t* b = int64_data(y);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const bool missing = a[i] == INT64_MIN || b[i] == INT64_MIN;
    out[i] = missing ? NA_REAL : (a[i] > b[i]) - (a[i] < b[i]);
  }
  return out;
}

// x - y of 64-bit integers; missing where it overflows
// [[Rcpp::export(rng = false)]]
NumericVector int64_minus_(NumericVector x, NumericVector y) {
  NumericVector out(no_init(x.size()));
  const std::int64_t* a = int64_data(x);
  const std::int64_t* b = int64_data(y);
  std::int64_t* to = int64_data(out);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const bool missing = a[i] == INT64_MIN || b[i] == INT64_MIN;
    if (missing || __builtin_sub_overflow(a[i], b[i], &to[i]))
      to[i] = INT64_MIN;
  }
  return out;
}
