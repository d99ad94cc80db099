// A value for each left row between those of its partners: linear from the
// closest partner at or before the row's point to the closest at or after it.
#pragma once
#include "context.h"
#include "pairs.h"

namespace ronda::core {

struct Points {
  bool int64 = false;
  const void* left = nullptr;  // where each row of either side lies
  const void* right = nullptr;
};

struct Between {
  bool first = false;  // of partners at one point the first one, else the last
  bool alone = false;  // a partner on one side only gives its value
};

// of all left rows; `values` are those of the right rows
void interpolate(const Context& context, const PairsView& pairs,
                 const Points& points, const double* values,
                 const Between& between, double* out);

// of one left row (from 0 on), whose n partners have the `values`
double interpolate(const Points& points, std::size_t left, const Row* partners,
                   std::size_t n, const double* values, const Between& between);

}  // namespace ronda::core
