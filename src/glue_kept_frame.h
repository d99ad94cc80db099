// The frame of a join made again.
#pragma once
#include <Rcpp.h>

#include <vector>

#include "core/context.h"
#include "glue_kept_match.h"

namespace ronda::kept {

// Which rows each line of the result is made from, 0 for none; `left_as_is`:
// every left row once, in order
struct Lines {
  std::vector<int> left, right;
  bool left_as_is = false;
  R_xlen_t size() const { return static_cast<R_xlen_t>(left.size()); }
  void add(int left_row, int right_row) {
    left.push_back(left_row);
    right.push_back(right_row);
  }
};

Lines lines_of(const Filling& f);

// What fold_pairs_() made of each formula, in the type that R gives it; an
// empty list where R has more to do
Rcpp::List folded(const core::Context& context, const Filling& f);

// `changed`: by name, how many cells collisions = "update" changed. An empty
// list where columns should agree and don't.
Rcpp::List frame_of(const core::Context& context, const Filling& f,
                    const Lines& lines, const Rcpp::List& folds,
                    Rcpp::NumericVector& changed);

}  // namespace ronda::kept
