// Columns picked by row number, and what R's own column types need.
#include "glue_columns.h"

#include <atomic>
#include <cmath>
#include <cstring>
#include <vector>

#include "core/gather.h"
#include "core/gather_lines.h"
#include "core/roads.h"
#include "gather_values.h"
#include "glue.h"
#include "glue_deferred.h"

using namespace Rcpp;
using namespace ronda;

namespace {

core::ColumnJob column_job(SEXP from, SEXP to, bool right) {
  core::ColumnJob job;
  job.from = DATAPTR_RO(from);
  job.to = glue::writable_values(to);
  job.width = glue::value_width(TYPEOF(from));
  job.right = right;
  const glue::MissingValue missing = glue::missing_value(from);
  std::memcpy(job.missing, missing.bytes, sizeof job.missing);
  return job;
}

// all attributes but the names, which are picked like the values
void copy_attributes(const core::Context& context, SEXP x, const int* rows,
                     SEXP out) {
  if (!glue::has_attributes(x)) return;
  SHALLOW_DUPLICATE_ATTRIB(out, x);
  Shield<SEXP> names(Rf_getAttrib(x, R_NamesSymbol));
  if (names == R_NilValue) return;
  Shield<SEXP> picked(Rf_allocVector(STRSXP, Rf_xlength(out)));
  glue::gather_values(context, names, rows, picked);
  for (R_xlen_t i = 0; i < Rf_xlength(out); ++i)
    if (rows[i] == 0) SET_STRING_ELT(picked, i, R_BlankString);
  Rf_setAttrib(out, R_NamesSymbol, picked);
}

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
    glue::check_rows(context, rows.begin(), rows.size(), 0, Rf_xlength(x),
                     "row numbers");
    Shield<SEXP> out(glue::new_vector(TYPEOF(x), rows.size()));
    glue::gather_values(context, x, rows.begin(), out);
    copy_attributes(context, x, rows.begin(), out);
    return static_cast<SEXP>(out);
  });
}

// Whole numbers or flags as doubles, without attributes; doubles as they are
// [[Rcpp::export(rng = false)]]
SEXP as_doubles_(SEXP x) {
  if (TYPEOF(x) == REALSXP) return x;
  return glue::guarded([&] {
    glue::require(TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP,
                  "whole numbers or flags");
    const core::Context context = glue::current_context();
    const auto n = static_cast<std::size_t>(Rf_xlength(x));
    const int* from = static_cast<const int*>(DATAPTR_RO(x));
    Shield<SEXP> out(glue::new_vector(REALSXP, n));
    double* to = REAL(out);
    core::for_rows(context, n, [&](std::size_t i) {
      to[i] = from[i] == NA_INTEGER ? NA_REAL : from[i];
    });
    return static_cast<SEXP>(out);
  });
}

// All columns of an inner or left join in one pass: `columns` with their
// sides; left columns stay as they are where every left row stands once. With
// `defer`, right columns that can wait are filled when they are looked at.
// [[Rcpp::export(rng = false)]]
List gather_columns_(List matches, List columns, LogicalVector right,
                     bool keep_unmatched, bool defer) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    glue::require(right.size() == columns.size(), "the sides of columns");
    const core::Expansion lines(context, pairs, keep_unmatched);
    const bool keeps = lines.keeps_left();
    List out(columns.size());
    std::vector<core::ColumnJob> jobs;
    // the right row numbers, where deferred columns need them
    RObject index =
        keeps && !pairs.starts ? glue::part(matches, "range") : R_NilValue;
    for (R_xlen_t k = 0; k < columns.size(); ++k) {
      SEXP x = columns[k];
      glue::require(Rf_isVectorAtomic(x) &&
                        static_cast<std::size_t>(Rf_xlength(x)) ==
                            (right[k] ? pairs.right_rows : pairs.left_rows),
                    "a column");
      if (!right[k] && keeps) {
        out[k] = x;
      } else if (right[k] && defer && glue::can_wait(x, lines.size())) {
        if (index.isNULL()) {
          index = glue::new_rows(context, lines.size());
          core::ColumnJob job;
          job.to = INTEGER(index);
          jobs.push_back(job);
        }
        out[k] = glue::new_deferred(x, index);
      } else {
        out[k] = glue::new_vector(TYPEOF(x), lines.size());
        jobs.push_back(column_job(x, out[k], right[k]));
        if (glue::has_attributes(x)) SHALLOW_DUPLICATE_ATTRIB(out[k], x);
      }
    }
    core::take_road(core::Road::columns_at_once);
    if (!jobs.empty()) core::gather_lines(context, lines, jobs);
    return List::create(_["columns"] = out,
                        _["n"] = static_cast<double>(lines.size()));
  });
}

namespace {

// from[rows] wherever `instead_of` is 0, written into `out`, of the same type
void patch(const core::Context& context, SEXP out,
           const IntegerVector& instead_of, SEXP from,
           const IntegerVector& rows) {
  const auto n = static_cast<std::size_t>(Rf_xlength(out));
  const int* blank = instead_of.begin();
  glue::require(TYPEOF(from) == TYPEOF(out) &&
                    static_cast<std::size_t>(instead_of.size()) == n &&
                    static_cast<std::size_t>(rows.size()) == n,
                "what is patched");
  glue::check_rows(context, rows.begin(), rows.size(), 0, Rf_xlength(from),
                   "row numbers");
  switch (TYPEOF(out)) {
    case LGLSXP:
    case INTSXP:
      core::patch(context, blank, static_cast<const int*>(DATAPTR_RO(from)),
                  rows.begin(), n,
                  static_cast<int*>(glue::writable_values(out)));
      break;
    case REALSXP:
      core::patch(context, blank, REAL_RO(from), rows.begin(), n, REAL(out));
      break;
    case CPLXSXP:
      core::patch(context, blank, COMPLEX_RO(from), rows.begin(), n,
                  COMPLEX(out));
      break;
    case RAWSXP:
      core::patch(context, blank, RAW_RO(from), rows.begin(), n, RAW(out));
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
      stop("patch(): no column type '%s'", Rf_type2char(TYPEOF(out)));
  }
}

}  // namespace

// A copy of x with from[rows] wherever `instead_of` is 0; same type.
// [[Rcpp::export(rng = false)]]
SEXP patch_(SEXP x, IntegerVector instead_of, SEXP from, IntegerVector rows) {
  return glue::guarded([&] {
    Shield<SEXP> out(Rf_shallow_duplicate(x));
    patch(glue::current_context(), out, instead_of, from, rows);
    return static_cast<SEXP>(out);
  });
}

// x[left], and y[right] where left is 0; both are of one type.
// [[Rcpp::export(rng = false)]]
SEXP gather_either_(SEXP x, IntegerVector left, SEXP y, IntegerVector right) {
  Shield<SEXP> out(gather_(x, left));
  return glue::guarded([&] {
    patch(glue::current_context(), out, left, y, right);
    return static_cast<SEXP>(out);
  });
}

namespace {

// How two columns become one
enum class Merge { fill, update, replace, agree };

struct Merged {
  std::atomic<std::int64_t> changed{0};
  std::atomic<bool> differ{false};
};

// Writes lines `begin` to `end`. `left` is null where every left row stands
// once.
template <class Values>
void merge_lines(const Values& values, const int* left, const int* right,
                 std::size_t begin, std::size_t end, Merge how,
                 Merged& merged) {
  std::int64_t changed = 0;
  for (std::size_t k = begin; k < end; ++k) {
    const auto i = static_cast<std::size_t>(left ? left[k] : k + 1);
    const auto j = static_cast<std::size_t>(right[k]);
    const bool left_there = i > 0 && !values.left_missing(i - 1);
    const bool right_there = j > 0 && !values.right_missing(j - 1);
    const bool other = left_there && right_there && values.differ(i - 1, j - 1);
    const bool takes_right = how == Merge::replace  ? j > 0
                             : how == Merge::update ? right_there
                                                    : !left_there;
    if (how == Merge::agree && other) merged.differ = true;
    changed += takes_right && i > 0 && (left_there != right_there || other);
    values.write(k, takes_right, takes_right ? j : i);
  }
  merged.changed += changed;
}

template <class T>
struct PlainValues {
  const T* x;
  const T* y;
  T* out;
  T none;
  bool missing(T value) const {
    if constexpr (std::is_same_v<T, double>) return std::isnan(value);
    return value == none;
  }
  bool left_missing(std::size_t i) const { return missing(x[i]); }
  bool right_missing(std::size_t j) const { return missing(y[j]); }
  bool differ(std::size_t i, std::size_t j) const { return x[i] != y[j]; }
  void write(std::size_t k, bool from_right, std::size_t row) const {
    out[k] = row == 0 ? none : from_right ? y[row - 1] : x[row - 1];
  }
};

struct Texts {
  SEXP x, y, out;
  bool left_missing(std::size_t i) const {
    return STRING_ELT(x, static_cast<R_xlen_t>(i)) == NA_STRING;
  }
  bool right_missing(std::size_t j) const {
    return STRING_ELT(y, static_cast<R_xlen_t>(j)) == NA_STRING;
  }
  bool differ(std::size_t i, std::size_t j) const {
    return !glue::is_same_text(STRING_ELT(x, static_cast<R_xlen_t>(i)),
                               STRING_ELT(y, static_cast<R_xlen_t>(j)));
  }
  void write(std::size_t k, bool from_right, std::size_t row) const {
    SET_STRING_ELT(out, static_cast<R_xlen_t>(k),
                   row == 0 ? NA_STRING
                            : STRING_ELT(from_right ? y : x,
                                         static_cast<R_xlen_t>(row) - 1));
  }
};

template <class T>
void merge_plain(const core::Context& context, const PlainValues<T>& values,
                 const int* left, const int* right, std::size_t n, Merge how,
                 Merged& merged) {
  core::for_chunks(context, n,
                   [&](std::size_t, std::size_t begin, std::size_t end) {
                     merge_lines(values, left, right, begin, end, how, merged);
                   });
}

Merge as_merge(const std::string& how) {
  if (how == "fill") return Merge::fill;
  if (how == "update") return Merge::update;
  if (how == "replace") return Merge::replace;
  if (how == "agree") return Merge::agree;
  stop("merge_values_(): no way '%s'", how);
}

}  // namespace

// Two plain columns of one type made one on the lines of a result: list(values,
// changed, differ), how many cells of the left one changed, and whether two
// that should agree differ. `left` is NULL where every left row stands once.
// [[Rcpp::export(rng = false)]]
List merge_values_(SEXP x, SEXP y, SEXP left, IntegerVector right,
                   std::string how) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const R_xlen_t n = right.size();
    const Merge way = as_merge(how);
    glue::require(TYPEOF(x) == TYPEOF(y), "columns of unlike types");
    glue::check_rows(context, right.begin(), n, 0, Rf_xlength(y),
                     "row numbers");
    const int* lefts = nullptr;
    if (left != R_NilValue) {
      lefts = glue::integers(left, n, "row numbers");
      glue::check_rows(context, lefts, n, 0, Rf_xlength(x), "row numbers");
    } else {
      glue::require(Rf_xlength(x) == n, "the length of a column");
    }
    Shield<SEXP> out(glue::new_vector(TYPEOF(x), static_cast<std::size_t>(n)));
    const auto lines = static_cast<std::size_t>(n);
    Merged merged;
    auto plain = [&](auto none, auto* to) {
      using T = decltype(none);
      const PlainValues<T> values{static_cast<const T*>(DATAPTR_RO(x)),
                                  static_cast<const T*>(DATAPTR_RO(y)), to,
                                  none};
      merge_plain(context, values, lefts, right.begin(), lines, way, merged);
    };
    switch (TYPEOF(x)) {
      case LGLSXP:
        plain(NA_LOGICAL, LOGICAL(out));
        break;
      case INTSXP:
        plain(NA_INTEGER, INTEGER(out));
        break;
      case REALSXP:
        plain(NA_REAL, REAL(out));
        break;
      case STRSXP:
        merge_lines(Texts{x, y, out}, lefts, right.begin(), 0, lines, way,
                    merged);
        break;
      default:
        stop("merge_values_(): no column type '%s'", Rf_type2char(TYPEOF(x)));
    }
    return List::create(
        _["values"] = (SEXP)out,
        _["changed"] = static_cast<double>(merged.changed.load()),
        _["differ"] = merged.differ.load());
  });
}

// Numbers as 64-bit integers; `not_int64` holds the values that are no such
// integer, as doubles, and 0 elsewhere (NULL when there are none).
// [[Rcpp::export(rng = false)]]
List int64_from_number_(SEXP x) {
  return glue::guarded([&]() -> List {
    glue::require(
        TYPEOF(x) == REALSXP || TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP,
        "numbers");
    const R_xlen_t n = Rf_xlength(x);
    NumericVector out(no_init(n));
    std::int64_t* values = int64_data(out);
    NumericVector not_int64(0);
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
      if (not_int64.size() == 0) not_int64 = NumericVector(n);
      not_int64[i] = value;
    }
    return List::create(
        _["values"] = out,
        _["not_int64"] = not_int64.size() == 0 ? R_NilValue : (SEXP)not_int64);
  });
}

// 64-bit integers as two doubles that sort and compare as they do
// [[Rcpp::export(rng = false)]]
List int64_halves_(NumericVector x) {
  return glue::guarded([&]() -> List {
    NumericVector high(no_init(x.size())), low(no_init(x.size()));
    const std::int64_t* values = int64_data(x);
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      const bool missing = values[i] == INT64_MIN;
      high[i] = missing ? NA_REAL : static_cast<double>(values[i] >> 32);
      low[i] =
          missing ? NA_REAL : static_cast<double>(values[i] & 0xffffffffLL);
    }
    return List::create(high, low);
  });
}

// Whether all codes are from 1 to `most`, or missing
// [[Rcpp::export(rng = false)]]
bool codes_within_(IntegerVector codes, int most) {
  return glue::guarded([&] {
    const int* values = codes.begin();
    std::atomic<bool> within{true};
    core::for_chunks(glue::current_context(),
                     static_cast<std::size_t>(codes.size()),
                     [&](std::size_t, std::size_t begin, std::size_t end) {
                       int wrong = 0;
                       for (std::size_t i = begin; i < end; ++i)
                         wrong |= values[i] != NA_INTEGER &&
                                  (values[i] < 1 || values[i] > most);
                       if (wrong) within = false;
                     });
    return within.load();
  });
}

// 64-bit integers moved by a number, which stop at their ends
// [[Rcpp::export(rng = false)]]
NumericVector int64_shift_(NumericVector x, double by) {
  return glue::guarded([&]() -> NumericVector {
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
  });
}

// The lowest and the highest 64-bit integer
// [[Rcpp::export(rng = false)]]
NumericVector int64_infinite_() {
  return glue::guarded([&]() -> NumericVector {
    NumericVector out(2);
    int64_data(out)[0] = INT64_MIN + 1;
    int64_data(out)[1] = INT64_MAX;
    return out;
  });
}

// -1, 0 or 1 as x is below, at or above y; NA where one is missing
// [[Rcpp::export(rng = false)]]
NumericVector int64_compare_(NumericVector x, NumericVector y) {
  return glue::guarded([&]() -> NumericVector {
    glue::require(x.size() == y.size(), "numbers of unlike lengths");
    NumericVector out(no_init(x.size()));
    const std::int64_t* a = int64_data(x);
    const std::int64_t* b = int64_data(y);
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      const bool missing = a[i] == INT64_MIN || b[i] == INT64_MIN;
      out[i] = missing ? NA_REAL : (a[i] > b[i]) - (a[i] < b[i]);
    }
    return out;
  });
}

// x - y of 64-bit integers; missing where it overflows
// [[Rcpp::export(rng = false)]]
NumericVector int64_minus_(NumericVector x, NumericVector y) {
  return glue::guarded([&]() -> NumericVector {
    glue::require(x.size() == y.size(), "numbers of unlike lengths");
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
  });
}
