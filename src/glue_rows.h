// Row numbers of a join, off R's heap: freed before the join returns, unless a
// column still needs them.
#pragma once
#include <Rcpp.h>

#include "core/context.h"

namespace ronda::glue {

SEXP new_rows(const core::Context& context, std::size_t n);
void keep_rows(SEXP rows);  // they outlive the join
void register_rows(DllInfo* library);

}  // namespace ronda::glue
