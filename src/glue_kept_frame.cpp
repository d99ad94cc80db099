// The frame of a join made again: which rows its lines are made from, and its
// columns.
#include "glue_kept_frame.h"

#include <algorithm>
#include <string>

#include "core/pairs.h"
#include "gather_values.h"
#include "glue.h"
#include "glue_columns.h"
#include "glue_fold.h"
#include "glue_kept_plan.h"
#include "glue_match.h"

using namespace Rcpp;
using namespace ronda;

namespace ronda::kept {

using glue::part;

Lines lines_of(const Filling& f) {
  enum { pairs_out, left_matched, left_alone, right_alone };
  SEXP type = part(f.record, "type");
  const core::PairsView pairs = glue::as_pairs_unchecked(f.matches);
  Lines lines;
  for (int i = 0; i < f.left_rows; ++i) {
    const int partners = pairs.partner_count(static_cast<std::size_t>(i));
    if (flag_at(type, pairs_out)) {
      for (int k = 0; k < partners; ++k)
        lines.add(i + 1, pairs.partner(static_cast<std::size_t>(i), k));
    } else if (flag_at(type, left_matched) && partners > 0) {
      lines.add(i + 1, pairs.partner(static_cast<std::size_t>(i), 0));
    }
    if (flag_at(type, left_alone) && partners == 0) lines.add(i + 1, 0);
  }
  lines.left_as_is = lines.size() == f.left_rows;
  for (int i = 0; lines.left_as_is && i < f.left_rows; ++i)
    lines.left_as_is = lines.left[static_cast<std::size_t>(i)] == i + 1;
  if (!flag_at(type, right_alone)) return lines;
  const LogicalVector matched = matched_right_(f.matches);
  for (int j = 0; j < f.right_rows; ++j)
    if (!matched[j]) lines.add(0, j + 1);
  lines.left_as_is = lines.left_as_is && lines.size() == f.left_rows;
  return lines;
}

List folded(const core::Context& context, const Filling& f) {
  const List folds = part(f.record, "folds");
  List specs(folds.size()), out(folds.size());
  for (R_xlen_t k = 0; k < folds.size(); ++k) {
    const List fold = folds[k];
    const int place = as<int>(fold["column"]);
    specs[k] = List::create(
        _["by"] = fold["by"], _["na_rm"] = fold["na_rm"],
        _["values"] = place == 0 ? R_NilValue : column_at(f.right, place));
  }
  const List found = part(fold_pairs_(f.matches, specs, false), "folds");
  for (R_xlen_t k = 0; k < folds.size(); ++k) {
    const List one = found[k], fold = folds[k];
    if (as<double>(one["too_large"]) > 0 || as<double>(one["no_value"]) > 0)
      return List();
    SEXP like = fold["like"];
    glue::require(TYPEOF(like) == INTSXP || TYPEOF(like) == REALSXP ||
                      TYPEOF(like) == LGLSXP,
                  "what a fold gives");
    const Shield<SEXP> value(
        Rf_coerceVector(part(one, "values"), TYPEOF(like)));
    SHALLOW_DUPLICATE_ATTRIB(value, like);
    out[k] = value;
  }
  return out;
}

namespace {

// x[rows] with its attributes; missing where rows is 0
SEXP picked(const core::Context& context, SEXP x,
            const std::vector<int>& rows) {
  Shield<SEXP> out(
      Rf_allocVector(TYPEOF(x), static_cast<R_xlen_t>(rows.size())));
  if (!rows.empty()) glue::gather_values(context, x, rows.data(), out);
  if (ATTRIB(x) != R_NilValue) SHALLOW_DUPLICATE_ATTRIB(out, x);
  return out;
}

IntegerVector as_integers(const std::vector<int>& rows) {
  return IntegerVector(rows.begin(), rows.end());
}

SEXP origin_of(const Lines& lines, SEXP levels) {
  IntegerVector codes(lines.size());
  for (R_xlen_t k = 0; k < codes.size(); ++k) {
    const auto at = static_cast<std::size_t>(k);
    codes[k] = lines.right[at] == 0 ? 1 : lines.left[at] == 0 ? 2 : 3;
  }
  codes.attr("levels") = levels;
  codes.attr("class") = "factor";
  return codes;
}

IntegerVector numbers_of(const std::vector<int>& rows) {
  IntegerVector out = as_integers(rows);
  std::replace(out.begin(), out.end(), 0, NA_INTEGER);
  return out;
}

// (as R/frame_kept.R has them)
enum From {
  from_left = 1,
  from_right,
  both_sides,
  together,
  origin,
  partners,
  left_numbers,
  right_numbers,
  fold
};

// What a plan says of its columns, each by its place among them
struct ColumnPlan {
  explicit ColumnPlan(const List& record)
      : from(part(record, "from")),
        at_left(part(record, "at_left")),
        at_right(part(record, "at_right")),
        names(texts(record, "names")),
        hows(texts(record, "hows")),
        levels(texts(record, "levels")) {
    for (R_xlen_t size :
         {at_left.size(), at_right.size(), names.size(), hows.size()})
      glue::require(size == from.size(), "the columns of a plan");
  }
  static CharacterVector texts(const List& record, const char* name) {
    glue::check_text(part(record, name), name);
    return part(record, name);
  }
  IntegerVector from, at_left, at_right;
  CharacterVector names, hows, levels;
};

class ColumnMaker {
 public:
  ColumnMaker(const core::Context& context, const Filling& f,
              const Lines& lines, const List& folds, NumericVector& changed)
      : context_(context),
        f_(f),
        lines_(lines),
        folds_(folds),
        changed_(changed) {}

  // NULL where columns should agree and don't
  SEXP make(const ColumnPlan& plan, R_xlen_t k) {
    SEXP x = plan.at_left[k] ? column_at(f_.left, plan.at_left[k]) : R_NilValue;
    SEXP y =
        plan.at_right[k] ? column_at(f_.right, plan.at_right[k]) : R_NilValue;
    switch (plan.from[k]) {
      case from_left:
        return left_column(x);
      case from_right:
        glue::require(y != R_NilValue, "the place of a column");
        return picked(context_, y, lines_.right);
      case both_sides:
        return either_side(x, y);
      case together:
        return merged(x, y, as<std::string>(plan.hows[k]),
                      as<std::string>(plan.names[k]));
      case origin:
        return origin_of(lines_, plan.levels);
      case partners:
        return picked(context_, partner_counts_(f_.candidates), lines_.left);
      case left_numbers:
        return numbers_of(lines_.left);
      case right_numbers:
        return numbers_of(lines_.right);
      case fold:
        glue::require(folds_done_ < folds_.size(), "what is folded");
        return left_column(folds_[folds_done_++]);
      default:
        glue::stop_unsound("where a column comes from");
    }
  }

 private:
  SEXP left_column(SEXP x) const {
    glue::require(x != R_NilValue, "the place of a column");
    return lines_.left_as_is ? x : picked(context_, x, lines_.left);
  }

  // the left value, or in lines without left row the right one
  SEXP either_side(SEXP x, SEXP y) const {
    if (lines_.left_as_is) return left_column(x);
    const Shield<SEXP> left(left_column(x));
    return patch_(left, as_integers(lines_.left), y, as_integers(lines_.right));
  }

  SEXP merged(SEXP x, SEXP y, const std::string& how, const std::string& name) {
    const List found = merge_values_(x, y, as_integers(lines_.left),
                                     as_integers(lines_.right), how);
    if (as<bool>(found["differ"])) return R_NilValue;
    if (how == "update") changed_.push_back(as<double>(found["changed"]), name);
    return part(found, "values");
  }

  const core::Context& context_;
  const Filling& f_;
  const Lines& lines_;
  const List& folds_;
  NumericVector& changed_;
  R_xlen_t folds_done_ = 0;
};

}  // namespace

List frame_of(const core::Context& context, const Filling& f,
              const Lines& lines, const List& folds, NumericVector& changed) {
  const ColumnPlan plan(f.record);
  glue::check_text(part(f.record, "class"), "a class");
  ColumnMaker maker(context, f, lines, folds, changed);
  List columns(plan.from.size());
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    columns[k] = maker.make(plan, k);
    if (Rf_isNull(columns[k])) return List();
  }
  // (its own: there is code that writes into names in place)
  columns.attr("names") = Rf_shallow_duplicate(plan.names);
  columns.attr("class") = part(f.record, "class");
  columns.attr("row.names") =
      IntegerVector::create(NA_INTEGER, -static_cast<int>(lines.size()));
  return columns;
}

}  // namespace ronda::kept
