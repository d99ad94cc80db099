// Columns that are filled when something asks for all of their values.
#pragma once
#include <Rcpp.h>

namespace ronda::glue {

// Deferred columns, see glue_deferred.cpp
bool can_wait(SEXP x, std::size_t lines);
SEXP new_deferred(SEXP x, SEXP rows);
void register_deferred(DllInfo* library);

}  // namespace ronda::glue
