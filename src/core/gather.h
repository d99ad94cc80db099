// Columns picked by row number. The reads jump about in memory, so each one
// is asked for a few rows ahead.
#pragma once
#include "parallel.h"

namespace ronda::core {

// out[i] = *value_of(rows[i]), or `missing` where rows[i] is 0
template <class T, class ValueOf>
void gather_values_of(ValueOf&& value_of, const Row* rows, std::size_t n,
                      T missing, T* out) {
  for (std::size_t i = 0; i < n; ++i) {
    if (i + prefetch_distance < n)
      __builtin_prefetch(value_of(rows[i + prefetch_distance]));
    out[i] = rows[i] ? *value_of(rows[i]) : missing;
  }
}

// out[i] = from[rows[i] - 1], or `missing` where rows[i] is 0
template <class T>
void gather_rows(const T* from, const Row* rows, std::size_t n, T missing,
                 T* out) {
  gather_values_of([from](Row row) { return from + (row - 1); }, rows, n,
                   missing, out);
}

// the same on all threads
template <class T>
void gather(const Context& context, const T* from, const Row* rows,
            std::size_t n, T missing, T* out) {
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    gather_rows(from, rows + begin, end - begin, missing, out + begin);
  });
}

// out[i] = from[rows[i] - 1] where `instead_of[i]` is 0; the rest stays
template <class T>
void patch(const Context& context, const Row* instead_of, const T* from,
           const Row* rows, std::size_t n, T* out) {
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      if (!instead_of[i] && rows[i]) out[i] = from[rows[i] - 1];
  });
}

}  // namespace ronda::core
