// Columns of any of R's types picked by row number.
#pragma once
#include "glue.h"

namespace ronda::glue {

// bytes of one value of an atomic type
std::size_t value_width(SEXPTYPE type);

// what a missing double is: another one for 64-bit integers
double missing_real(SEXP x);

// A missing value of x's type as bytes
struct MissingValue {
  alignas(16) unsigned char bytes[16];
};
MissingValue missing_value(SEXP x);

// out[i] = x[rows[i]], missing where rows[i] is 0
void gather_values(const core::Context& context, SEXP x, const int* rows,
                   SEXP out);

}  // namespace ronda::glue
