// The rows of a join made again are matched and counted.
#pragma once
#include <Rcpp.h>

namespace ronda::kept {

// What is filled in for one join
struct Filling {
  const Rcpp::List& record;
  SEXP left, right;
  int left_rows, right_rows;
  Rcpp::List matches, candidates, counts;
};

SEXP column_at(SEXP frame, int place);
double count_of(const Filling& f, const char* name);

// Each gives false where R has more to do.
bool match(Filling& f, double limit);
bool as_expected(const Filling& f);

void keep_one_partner(Filling& f);  // repeats = "first" or "last"

}  // namespace ronda::kept
