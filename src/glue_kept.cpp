// Joins made again. A plan depends on what was asked and on the names and types
// of columns, never on a row: where all of these are as they were, the plan
// that R made before (R/frame_kept.R) is filled in here, in one call, by the
// functions that R calls one by one. Whatever is out of the common (an
// expectation that fails, a note to make) is left to R, which begins anew.
#include "glue_kept.h"

#include <algorithm>
#include <cstdlib>

#include "core/roads.h"
#include "glue.h"
#include "glue_frames.h"
#include "glue_kept_frame.h"
#include "glue_kept_match.h"
#include "glue_kept_plan.h"
#include "glue_match.h"

using namespace Rcpp;
using namespace ronda;

using namespace ronda::kept;

namespace {

using glue::part;

double pair_limit(const Filling& f) {
  SEXP asked = part(f.record, "max_rows");
  if (asked != R_NilValue) return Rf_asReal(asked);
  return std::max(1e6, 10.0 * (f.left_rows + f.right_rows));
}

// list(frame, told): `told` is what a receipt is made of. FALSE where R has
// more to do than this
SEXP fill_in(const List& record, SEXP left, SEXP right, double start) {
  const core::Context context = glue::current_context();
  const int left_rows = glue::row_count(left);
  const int right_rows = glue::row_count(right);
  Filling f{record, left,   right, std::abs(left_rows), std::abs(right_rows),
            List(), List(), List()};
  const double check = now_();
  const double limit = pair_limit(f);
  if (!match(f, limit) || !as_expected(f)) return Rf_ScalarLogical(FALSE);
  keep_one_partner(f);
  const double matched = now_();
  const bool folds = Rf_xlength(part(record, "folds")) > 0;
  const double pairs = count_of(f, "pairs");
  // (columns of more may wait until they are looked at)
  if (pairs >= as<double>(part(f.record, "few_pairs")) ||
      (!folds && pairs > limit) || (folds && count_of(f, "matched_left") == 0))
    return Rf_ScalarLogical(FALSE);
  const List values = folds ? folded(context, f) : List();
  if (folds && values.size() == 0) return Rf_ScalarLogical(FALSE);
  const Lines lines = lines_of(f);
  NumericVector changed(0);
  const List frame = frame_of(context, f, lines, values, changed);
  if (frame.size() == 0) return Rf_ScalarLogical(FALSE);
  core::take_road(core::Road::joined_again);
  const List told = List::create(
      _["record"] = record, _["counts"] = f.counts,
      _["sizes"] = IntegerVector::create(f.left_rows, f.right_rows),
      _["row_names"] = LogicalVector::create(left_rows > 0, right_rows > 0),
      _["changed"] = changed.size() > 0 ? SEXP(changed) : R_NilValue,
      _["several"] =
          count_of(f, "most_left") > 1 ? count_several_(f.matches) : 0.0,
      _["n"] = static_cast<double>(lines.size()),
      _["tells"] = Rf_GetOption1(Rf_install("ronda.receipt")),
      _["clock"] = NumericVector::create(start, check, matched, now_()));
  return List::create(_["frame"] = frame, _["told"] = told);
}

bool is_set(const char* option) {
  return Rf_GetOption1(Rf_install(option)) != R_NilValue;
}

}  // namespace

// The frame of a join that one of `plans` was made for, and what a receipt is
// made of: list(frame, told). NULL where none was, FALSE where one was but R
// has more to do.
// [[Rcpp::export(rng = false)]]
SEXP join_again_(List plans, SEXP left, SEXP right, SEXP on, SEXP rows,
                 List choices) {
  return glue::guarded([&]() -> SEXP {
    const double start = now_();
    for (R_xlen_t k = 0; k < plans.size(); ++k) {
      const List record = plans[k];
      if (!is_plan_of(record, left, right, on, rows, choices)) continue;
      if (is_set("ronda.max_rows") ||
          TYPEOF(Rf_GetOption1(Rf_install("ronda.deferred"))) == STRSXP)
        return Rf_ScalarLogical(FALSE);
      return fill_in(record, left, right, start);
    }
    return R_NilValue;
  });
}
