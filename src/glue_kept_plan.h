// Whether the plan of a join that was made fits another one.
#pragma once
#include <Rcpp.h>

namespace ronda::kept {

bool flag_at(SEXP flags, R_xlen_t k);
bool flag_of(const Rcpp::List& record, const char* name);
bool is_plan_of(const Rcpp::List& record, SEXP left, SEXP right, SEXP on,
                SEXP rows, const Rcpp::List& choices);

}  // namespace ronda::kept

SEXP columns_like_(Rcpp::List frame, Rcpp::CharacterVector classes);
