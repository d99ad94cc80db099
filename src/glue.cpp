#include "glue.h"

#include <chrono>
#include <cstring>

#include "core/roads.h"
#include "core/threads.h"
#include "gather_values.h"

using namespace ronda;

namespace ronda::glue {
namespace {

const void* column_data(SEXP column, int kind) {
  switch (static_cast<core::KeyKind>(kind)) {
    case core::KeyKind::int32:
      require(TYPEOF(column) == INTSXP || TYPEOF(column) == LGLSXP,
              "a key column");
      return DATAPTR_RO(column);
    case core::KeyKind::real:
    case core::KeyKind::day:
    case core::KeyKind::int64:
      return doubles(column, -1, "a key column");
    case core::KeyKind::text:
      check_text(column, "a key column");
      return STRING_PTR_RO(column);
  }
  stop_unsound("the kind of a key column");
}

}  // namespace

core::Keys as_keys(const Rcpp::List& columns,
                   const Rcpp::IntegerVector& kinds) {
  require(columns.size() > 0 && columns.size() == kinds.size(), "key columns");
  core::Keys keys;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    const void* data = column_data(column, kinds[k]);
    keys.columns.push_back(
        {static_cast<core::KeyKind>(kinds[k]), data, NA_STRING});
    const auto rows = static_cast<std::size_t>(Rf_xlength(column));
    require(k == 0 || rows == keys.rows, "the length of a key column");
    keys.rows = rows;
  }
  require(keys.rows <= INT_MAX, "the length of a key column");
  return keys;
}

core::PairsView as_pairs_unchecked(SEXP matches) {
  core::PairsView pairs;
  SEXP range = part(matches, "range");
  SEXP starts = part(matches, "starts");
  const int right_rows =
      *integers(part(matches, "right_rows"), 1, "the number of right rows");
  require(right_rows >= 0, "the number of right rows");
  pairs.range = integers(range, -1, "partners");
  pairs.left_rows = static_cast<std::size_t>(Rf_xlength(range));
  pairs.right_rows = static_cast<std::size_t>(right_rows);
  if (starts != R_NilValue) {
    pairs.starts = integers(starts, -1, "starts");
    require(Rf_xlength(starts) > 0, "starts");
    pairs.partners = integers(part(matches, "partners"), -1, "partners");
    pairs.ranges = static_cast<std::size_t>(Rf_xlength(starts)) - 1;
  }
  return pairs;
}

core::PairsView as_pairs(const core::Context& context, SEXP matches) {
  const core::PairsView pairs = as_pairs_unchecked(matches);
  auto most = static_cast<R_xlen_t>(pairs.right_rows);
  if (pairs.starts) {
    const R_xlen_t listed = Rf_xlength(part(matches, "partners"));
    check_starts(context, part(matches, "starts"), listed);
    check_rows(context, pairs.partners, listed, 1, most, "partners");
    most = static_cast<R_xlen_t>(pairs.ranges);
  }
  if (!are_vouched_for(part(matches, "range"), most))
    check_rows(context, pairs.range, static_cast<R_xlen_t>(pairs.left_rows), 0,
               most, "partners");
  return pairs;
}

Rcpp::List new_matches(SEXP range, SEXP starts, SEXP partners,
                       std::size_t right_rows) {
  using Rcpp::_;
  return Rcpp::List::create(_["range"] = range, _["starts"] = starts,
                            _["partners"] = partners,
                            _["right_rows"] = static_cast<int>(right_rows));
}

SEXP stop_no_memory() {
  Rcpp::Shield<SEXP> call(Rf_lang1(Rf_install("stop_no_memory")));
  return Rf_eval(call, R_FindNamespace(Rf_mkString("ronda")));
}

// Memory for several columns may take several collections in a row, so the
// user is asked between them.
SEXP new_vector(SEXPTYPE type, std::size_t n) {
  return unwinding([&] {
    if (n > 1 << 16) R_CheckUserInterrupt();
    return plain_vector(type, n);
  });
}

SEXP plain_vector(SEXPTYPE type, std::size_t n) {
  SEXP out = Rf_allocVector(type, static_cast<R_xlen_t>(n));
  // R fills text and lists itself, before a hint could help.
  if (type != STRSXP && type != VECSXP)
    core::advise_large_pages(writable_values(out), n * value_width(type));
  return out;
}

Rcpp::IntegerVector as_rows(const core::Row* rows, std::size_t n) {
  Rcpp::IntegerVector out(new_vector(INTSXP, n));
  std::copy(rows, rows + n, out.begin());
  return out;
}

}  // namespace ronda::glue

// How often each road through the engine was taken in this session; NULL from a
// library that does not count
// [[Rcpp::export(rng = false)]]
Rcpp::RObject road_uses_() {
  return glue::guarded([&]() -> Rcpp::RObject {
    if (!core::counts_roads) {
      return R_NilValue;
    }
    Rcpp::NumericVector uses(core::road_count);
    Rcpp::CharacterVector names(core::road_count);
    for (std::size_t k = 0; k < core::road_count; ++k) {
      uses[k] = static_cast<double>(core::road_uses[k]);
      names[k] = core::road_names[k];
    }
    uses.names() = names;
    return uses;
  });
}

// Seconds on a clock that never goes back
// [[Rcpp::export(rng = false)]]
double now_() {
  return glue::guarded([&]() -> double {
    using namespace std::chrono;
    return duration<double>(steady_clock::now().time_since_epoch()).count();
  });
}
