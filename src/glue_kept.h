// Joins made again: what R calls of glue_kept.cpp.
#pragma once
#include <Rcpp.h>

SEXP join_again_(Rcpp::List plans, SEXP left, SEXP right, SEXP on, SEXP rows,
                 Rcpp::List choices);
