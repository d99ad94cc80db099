// The cells of text files: what R calls of glue_cells.cpp.
#pragma once
#include <Rcpp.h>

#include <string>

// Where rows end, by the bytes of a file
Rcpp::List see_rows_(Rcpp::RawVector bytes, std::string delimiter,
                     std::string line_end, bool blank_is_row, bool is_end,
                     double most);

// Columns of texts as values of other types
Rcpp::List values_of_texts_(Rcpp::CharacterVector text, std::string decimal,
                            double above);
std::string settle_type_(Rcpp::List seen);
Rcpp::NumericVector numbers_(Rcpp::CharacterVector text, std::string decimal);
Rcpp::List times_(Rcpp::CharacterVector text);
