// What is written to files and to stdout: what R calls of glue_files.cpp.
#pragma once
#include <Rcpp.h>

Rcpp::String write_stdout_(Rcpp::CharacterVector text);
Rcpp::CharacterVector shortest_texts_(Rcpp::NumericVector x);
Rcpp::CharacterVector time_texts_(Rcpp::NumericVector x, bool clock);
