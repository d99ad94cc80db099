// Ordered rules: what other files of the border call of glue_ordered.cpp.
#pragma once
#include <Rcpp.h>

SEXP merge_nearest_(Rcpp::List left_keys, Rcpp::List right_keys,
                    Rcpp::IntegerVector kinds, Rcpp::List nearest);
Rcpp::List match_nearest_(Rcpp::List matches, Rcpp::List nearest,
                          Rcpp::List rules, SEXP skip_left, SEXP skip_right,
                          double limit, bool mark_near);
SEXP range_search_(Rcpp::List matches, Rcpp::List rules, SEXP skip_left,
                   SEXP skip_right);
Rcpp::List range_all_(SEXP search, double limit);
