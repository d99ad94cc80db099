// Row numbers of a join, off R's heap: freed before the join returns, unless a
// column still needs them.
#pragma once
#include <Rcpp.h>

#include "core/context.h"
#include "core/memory.h"

namespace ronda::glue {

SEXP new_rows(const core::Context& context, std::size_t n);
SEXP own_rows(const core::Context& context, core::Buffer<core::Row> rows);
// The engine says that all are from 0 to `most`, which holds until somebody
// else may write into them.
void vouch_for_rows(SEXP rows, R_xlen_t most);
bool are_vouched_for(SEXP rows, R_xlen_t most);
void keep_rows(SEXP rows);  // they outlive the join
void register_rows(DllInfo* library);

}  // namespace ronda::glue
