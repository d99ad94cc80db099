// Csv and tsv files and their cells: what R calls of glue_delimited.cpp.
#pragma once
#include <Rcpp.h>

#include <string>

// Files: what is in them, where rows end, which types their columns have
Rcpp::List read_delimited_(Rcpp::RawVector bytes, std::string delimiter,
                           std::string decimal, Rcpp::CharacterVector as_text);
Rcpp::NumericVector whole_rows_(Rcpp::RawVector bytes, std::string delimiter,
                                std::string line_end);
std::string settle_type_(Rcpp::List seen, bool name_quoted);
double line_of_row_(Rcpp::RawVector bytes, std::string delimiter, double row);
Rcpp::RawVector cells_of_columns_(Rcpp::RawVector bytes, std::string delimiter,
                                  Rcpp::IntegerVector columns);
bool is_plainly_quoted_(Rcpp::RawVector bytes, std::string delimiter);

// Cells: texts that are numbers or times, and texts as a file has them
Rcpp::NumericVector numbers_(Rcpp::CharacterVector text, std::string decimal);
Rcpp::List times_(Rcpp::CharacterVector text);
Rcpp::CharacterVector quoted_texts_(Rcpp::CharacterVector text,
                                    std::string delimiter);
