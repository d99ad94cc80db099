// One value of the partners of each left row.
#include "glue_fold.h"

#include "core/fold.h"
#include "core/interpolate.h"

using namespace Rcpp;
using namespace ronda;

namespace ronda::glue {

namespace {

core::FoldBy as_fold_by(const std::string& by) {
  static const char* const words[] = {"rows",  "sum", "mean", "min",
                                      "max",   "any", "all",  "distinct",
                                      "first", "last"};
  for (std::size_t k = 0; k < std::size(words); ++k)
    if (by == words[k]) return static_cast<core::FoldBy>(k);
  stop_unsound("how partners are folded");
}

bool takes_values(core::FoldBy by) {
  return by != core::FoldBy::rows && by != core::FoldBy::first &&
         by != core::FoldBy::last;
}

void read_values(core::FoldJob& job, SEXP values, R_xlen_t right_rows,
                 const core::Context& context) {
  require(Rf_xlength(values) == right_rows, "a folded column");
  if (job.by == core::FoldBy::distinct) {
    const int* codes = integers(values, right_rows, "codes of a folded column");
    check_rows(context, codes, right_rows, 0, right_rows + 2,
               "codes of a folded column");
    job.codes = static_cast<std::size_t>(right_rows) + 3;
  }
  if (TYPEOF(values) == REALSXP) {
    require(job.by != core::FoldBy::any && job.by != core::FoldBy::all,
            "a folded column");
    job.type = core::FoldType::real;
    job.values = REAL(values);
  } else {
    require(TYPEOF(values) == INTSXP || TYPEOF(values) == LGLSXP,
            "a folded column");
    job.type = core::FoldType::int32;
    job.values = TYPEOF(values) == LGLSXP ? LOGICAL(values) : INTEGER(values);
  }
}

SEXPTYPE type_of(const core::FoldJob& job) {
  switch (job.by) {
    case core::FoldBy::any:
    case core::FoldBy::all:
      return LGLSXP;
    case core::FoldBy::mean:
    case core::FoldBy::min:
    case core::FoldBy::max:
      return REALSXP;
    case core::FoldBy::sum:
      return job.type == core::FoldType::real ? REALSXP : INTSXP;
    default:
      return INTSXP;
  }
}

core::Points as_points(const List& points, std::size_t left_rows,
                       std::size_t right_rows) {
  core::Points at;
  at.int64 = as<bool>(points["int64"]);
  at.left = doubles(part(points, "left"), static_cast<R_xlen_t>(left_rows),
                    "the points of left rows");
  at.right = doubles(part(points, "right"), static_cast<R_xlen_t>(right_rows),
                     "the points of right rows");
  return at;
}

}  // namespace

Folds::Folds(const core::Context& context, const List& specs,
             std::size_t left_rows, std::size_t right_rows)
    : results_(specs.size()) {
  for (R_xlen_t k = 0; k < specs.size(); ++k) {
    check_list(specs[k], "what is folded");
    const List spec = specs[k];
    jobs_.push_back(std::make_unique<core::FoldJob>());
    core::FoldJob& job = *jobs_.back();
    job.by = as_fold_by(as<std::string>(spec["by"]));
    job.drop_missing = as<bool>(spec["na_rm"]);
    if (takes_values(job.by))
      read_values(job, part(spec, "values"), static_cast<R_xlen_t>(right_rows),
                  context);
    results_[k] = new_vector(type_of(job), left_rows);
    SEXP out = results_[k];
    job.out = TYPEOF(out) == REALSXP  ? static_cast<void*>(REAL(out))
              : TYPEOF(out) == LGLSXP ? static_cast<void*>(LOGICAL(out))
                                      : static_cast<void*>(INTEGER(out));
    asked_.push_back(&job);
  }
}

List Folds::results() const {
  List out(results_.size());
  for (R_xlen_t k = 0; k < out.size(); ++k) {
    const core::FoldJob& job = *asked_[static_cast<std::size_t>(k)];
    out[k] =
        List::create(_["values"] = results_[k],
                     _["too_large"] = static_cast<double>(job.too_large.load()),
                     _["no_value"] = static_cast<double>(job.no_value.load()));
  }
  return out;
}

}  // namespace ronda::glue

// What each of `folds` makes of the partners: list(folds, several), of each
// fold list(values, too_large, no_value). `by_range`: each range is looked at
// once.
// [[Rcpp::export(rng = false)]]
List fold_pairs_(List matches, List folds, bool by_range) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    const glue::Folds asked(context, folds, pairs.left_rows, pairs.right_rows);
    const std::size_t several =
        core::fold_pairs(context, pairs, by_range, asked.jobs());
    return List::create(_["folds"] = asked.results(),
                        _["several"] = static_cast<double>(several));
  });
}

// The value between the partners of each left row; `points` is list(left,
// right, int64), where the rows lie. See core/interpolate.h.
// [[Rcpp::export(rng = false)]]
NumericVector interpolate_(List matches, List points, NumericVector values,
                           bool first, bool alone) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    const core::Points at =
        glue::as_points(points, pairs.left_rows, pairs.right_rows);
    glue::require(values.size() == static_cast<R_xlen_t>(pairs.right_rows),
                  "values to interpolate");
    NumericVector out(glue::new_vector(REALSXP, pairs.left_rows));
    core::interpolate(context, pairs, at, values.begin(), {first, alone},
                      out.begin());
    return out;
  });
}

// The same of one left row, whose partners have the `values`
// [[Rcpp::export(rng = false)]]
double interpolate_row_(List points, int row, IntegerVector partners,
                        NumericVector values, bool first, bool alone) {
  return glue::guarded([&] {
    const R_xlen_t left_rows = Rf_xlength(glue::part(points, "left"));
    const R_xlen_t right_rows = Rf_xlength(glue::part(points, "right"));
    const core::Points at =
        glue::as_points(points, static_cast<std::size_t>(left_rows),
                        static_cast<std::size_t>(right_rows));
    glue::require(row >= 1 && row <= left_rows, "a row number");
    glue::require(values.size() == partners.size(), "values to interpolate");
    glue::check_rows(glue::current_context(), partners.begin(), partners.size(),
                     1, right_rows, "partners");
    return core::interpolate(at, static_cast<std::size_t>(row) - 1,
                             partners.begin(),
                             static_cast<std::size_t>(partners.size()),
                             values.begin(), {first, alone});
  });
}
