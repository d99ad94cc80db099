// Columns of the result: what other files of the border call of
// glue_columns.cpp.
#pragma once
#include <Rcpp.h>

#include <string>

Rcpp::List merge_values_(SEXP x, SEXP y, SEXP left, Rcpp::IntegerVector right,
                         std::string how);
SEXP as_doubles_(SEXP x);
SEXP patch_(SEXP x, Rcpp::IntegerVector instead_of, SEXP from,
            Rcpp::IntegerVector rows);
