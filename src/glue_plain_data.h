// Whether what a file held is data and nothing else.
#pragma once
#include <Rcpp.h>

Rcpp::CharacterVector not_plain_data_(SEXP x, Rcpp::CharacterVector known);
