// Texts by address: R keeps equal strings once, when the encoding is settled.
#pragma once
#include <Rcpp.h>

#include "core/context.h"
#include "core/memory.h"

namespace ronda::glue {

// Key columns with texts such that equal ones share one address in some rows
// (in all, without `rows`); other columns as they are
Rcpp::List texts_at_one_address(const core::Context& context,
                                const Rcpp::List& columns,
                                const Rcpp::IntegerVector& kinds,
                                const core::Buffer<core::Row>* rows = nullptr);

}  // namespace ronda::glue

Rcpp::List comparable_texts_(SEXP left, SEXP right);
