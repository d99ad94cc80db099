// Matching and counting.
#include "core/equal_match.h"
#include "core/pairs.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

// [[Rcpp::export]]
List match_equal_(List left, List right, IntegerVector kinds,
                  bool match_missing) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Keys left_keys = glue::as_keys(left, kinds);
    const core::Keys right_keys = glue::as_keys(right, kinds);
    IntegerVector slot(no_init(static_cast<R_xlen_t>(left_keys.rows)));
    const core::Ranges ranges = core::match_equal(
        context, left_keys, right_keys, match_missing, slot.begin());
    const bool listed = !ranges.starts.empty();
    return List::create(
        _["slot"] = slot,
        _["starts"] = listed ? (SEXP)glue::as_rows(ranges.starts) : R_NilValue,
        _["rows"] = listed ? (SEXP)glue::as_rows(ranges.rows) : R_NilValue);
  });
}

// The first row of each row's key (0: missing); NULL when no key is repeated
// and none is missing.
// [[Rcpp::export]]
SEXP group_rows_(List keys, IntegerVector kinds, bool match_missing) {
  return glue::guarded([&]() -> SEXP {
    const core::Grouping grouping = core::group_rows(
        glue::current_context(), glue::as_keys(keys, kinds), match_missing);
    if (grouping.first.empty()) return R_NilValue;
    return glue::as_rows(grouping.first);
  });
}

// [[Rcpp::export]]
double count_missing_(List keys, IntegerVector kinds) {
  return glue::guarded([&] {
    return static_cast<double>(core::count_missing(
        glue::current_context(), glue::as_keys(keys, kinds)));
  });
}

// [[Rcpp::export]]
List count_pairs_(IntegerVector slot, SEXP starts, SEXP rows, int right_rows) {
  return glue::guarded([&] {
    const core::PairCounts counts = core::count_pairs(
        glue::current_context(), glue::as_pairs(slot, starts, rows, right_rows));
    return List::create(
        _["pairs"] = counts.pairs,
        _["matched_left"] = static_cast<double>(counts.matched_left),
        _["matched_right"] = static_cast<double>(counts.matched_right),
        _["most_left"] = counts.most_left, _["most_right"] = counts.most_right,
        _["on_both"] = counts.on_both);
  });
}

// One row for each of the keys that multiply most: slot, left rows, right rows.
// [[Rcpp::export]]
List heaviest_slots_(IntegerVector slot, SEXP starts, SEXP rows,
                     int right_rows, int most) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs =
        glue::as_pairs(slot, starts, rows, right_rows);
    const std::vector<core::Row> uses = core::slot_uses(context, pairs);
    IntegerVector heavy =
        glue::as_rows(core::heaviest_slots(context, pairs, most));
    IntegerVector left_rows(heavy.size()), sizes(heavy.size());
    for (R_xlen_t k = 0; k < heavy.size(); ++k) {
      left_rows[k] = uses[heavy[k] - 1];
      sizes[k] = pairs.starts
                     ? pairs.starts[heavy[k]] - pairs.starts[heavy[k] - 1]
                     : 1;
    }
    return List::create(_["slot"] = heavy, _["left_rows"] = left_rows,
                        _["right_rows"] = sizes);
  });
}

// TRUE for the right rows that have a partner
// [[Rcpp::export]]
LogicalVector matched_right_(IntegerVector slot, SEXP starts, SEXP rows,
                             int right_rows) {
  return glue::guarded([&] {
    const std::vector<std::uint8_t> marks = core::mark_right(
        glue::current_context(), glue::as_pairs(slot, starts, rows, right_rows));
    return LogicalVector(marks.begin(), marks.end());
  });
}

// how many partners each left row has
// [[Rcpp::export]]
IntegerVector partner_counts_(IntegerVector slot, SEXP starts, SEXP rows) {
  const core::PairsView pairs = glue::as_pairs(slot, starts, rows, 0);
  IntegerVector counts(no_init(slot.size()));
  for (R_xlen_t i = 0; i < slot.size(); ++i)
    counts[i] = pairs.partners(static_cast<std::size_t>(i));
  return counts;
}

// Left and right row of every line of a result; left is NULL when every left
// row stands once, in order.
// [[Rcpp::export]]
List expand_pairs_(IntegerVector slot, SEXP starts, SEXP rows, int right_rows,
                   bool keep_unmatched) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs =
        glue::as_pairs(slot, starts, rows, right_rows);
    const core::Expansion expansion(context, pairs, keep_unmatched);
    const bool keeps = expansion.keeps_left();
    if (keeps && !pairs.starts)
      return List::create(_["left"] = R_NilValue, _["right"] = slot);
    const auto size = static_cast<R_xlen_t>(expansion.size());
    IntegerVector right(no_init(size));
    IntegerVector left(no_init(keeps ? 0 : size));
    expansion.write(keeps ? nullptr : left.begin(), right.begin());
    return List::create(_["left"] = keeps ? R_NilValue : (SEXP)left,
                        _["right"] = right);
  });
}

// [[Rcpp::export]]
IntegerVector order_by_row_(IntegerVector by, int most) {
  IntegerVector out(no_init(by.size()));
  core::order_by_row(by.begin(), static_cast<std::size_t>(by.size()),
                     static_cast<std::size_t>(most), out.begin());
  return out;
}

// At most `most` pairs from partner number `partner` (0-based) of left row
// `row` (1-based) on; `at` says where the next block starts.
// [[Rcpp::export]]
List pair_block_(IntegerVector slot, SEXP starts, SEXP rows, double row,
                 double partner, double most) {
  return glue::guarded([&] {
    const core::PairsView pairs = glue::as_pairs(slot, starts, rows, 0);
    std::vector<core::Row> left, right;
    auto i = static_cast<std::size_t>(row) - 1;
    auto k = static_cast<core::Row>(partner);
    while (i < pairs.left_rows && left.size() < most) {
      const core::Row s = pairs.slot[i];
      const core::Row size = pairs.partners(i);
      for (; k < size && left.size() < most; ++k) {
        left.push_back(static_cast<core::Row>(i + 1));
        right.push_back(pairs.starts ? pairs.rows[pairs.starts[s - 1] + k] : s);
      }
      if (k < size) break;
      ++i;
      k = 0;
    }
    return List::create(
        _["left"] = glue::as_rows(left), _["right"] = glue::as_rows(right),
        _["at"] = NumericVector::create(static_cast<double>(i) + 1,
                                        static_cast<double>(k)));
  });
}
