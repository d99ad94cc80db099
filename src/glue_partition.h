// Rows cut into parts: what R calls of glue_partition.cpp.
#pragma once
#include <Rcpp.h>

Rcpp::List partition_rows_(Rcpp::List keys, Rcpp::IntegerVector kinds,
                           double parts, bool match_missing, double first_row);
