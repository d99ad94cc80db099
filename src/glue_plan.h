// Frames looked at and columns planned, in short: what R calls of
// glue_plan.cpp.
#pragma once
#include <Rcpp.h>

Rcpp::IntegerVector column_rows_(Rcpp::List frame);
int sound_rows_(SEXP frame);
SEXP plain_kind_(SEXP x, SEXP y);
SEXP distinct_columns_(SEXP left, SEXP right, SEXP keys, SEXP partners);
SEXP plain_sources_(SEXP columns, SEXP left, SEXP right);
