// Equal keys are matched and pairs are counted: what other files of the border
// call of glue_match.cpp.
#pragma once
#include <Rcpp.h>

Rcpp::List match_equal_(Rcpp::List left, Rcpp::List right,
                        Rcpp::IntegerVector kinds, bool match_missing,
                        bool count, SEXP one_address);
Rcpp::List match_everything_(double left_rows, double right_rows);
Rcpp::List count_pairs_(Rcpp::List matches);
double count_several_(Rcpp::List matches);
double count_missing_(Rcpp::List keys, Rcpp::IntegerVector kinds);
Rcpp::IntegerVector one_partner_(Rcpp::List matches, bool last);
Rcpp::IntegerVector partner_counts_(Rcpp::List matches);
Rcpp::LogicalVector matched_right_(Rcpp::List matches);
