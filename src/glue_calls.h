// The functions of the border that others of it call, too; each is defined
// where R's own calls of it are.
#pragma once
#include <Rcpp.h>

#include <string>

double now_();
Rcpp::List comparable_texts_(SEXP left, SEXP right);
Rcpp::List match_equal_(Rcpp::List left, Rcpp::List right,
                        Rcpp::IntegerVector kinds, bool match_missing,
                        bool count, SEXP one_address);
SEXP merge_nearest_(Rcpp::List left_keys, Rcpp::List right_keys,
                    Rcpp::IntegerVector kinds, Rcpp::List nearest);
Rcpp::List match_nearest_(Rcpp::List matches, Rcpp::List nearest,
                          Rcpp::List rules, SEXP skip_left, SEXP skip_right,
                          double limit, bool mark_near);
SEXP range_search_(Rcpp::List matches, Rcpp::List rules, SEXP skip_left,
                   SEXP skip_right);
Rcpp::List range_all_(SEXP search, double limit);
Rcpp::List count_pairs_(Rcpp::List matches);
double count_several_(Rcpp::List matches);
Rcpp::List match_everything_(double left_rows, double right_rows);
double count_missing_(Rcpp::List keys, Rcpp::IntegerVector kinds);
Rcpp::IntegerVector one_partner_(Rcpp::List matches, bool last);
Rcpp::IntegerVector partner_counts_(Rcpp::List matches);
Rcpp::LogicalVector matched_right_(Rcpp::List matches);
Rcpp::List fold_pairs_(Rcpp::List matches, Rcpp::List folds, bool by_range);
Rcpp::List merge_values_(SEXP x, SEXP y, SEXP left, Rcpp::IntegerVector right,
                         std::string how);
SEXP as_doubles_(SEXP x);
SEXP patch_(SEXP x, Rcpp::IntegerVector instead_of, SEXP from,
            Rcpp::IntegerVector rows);
