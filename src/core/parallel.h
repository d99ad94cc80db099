// The one threading primitive. Rows are cut into chunks of fixed size; threads
// take chunks in turn. Without OpenMP the same code runs on one thread. The
// calling thread asks between its chunks whether the user wants to stop, so a
// body must never throw and must never touch an R object.
#pragma once
#include <algorithm>
#include <atomic>
#include <cstddef>
#ifdef _OPENMP
#include <omp.h>
#endif

#include "context.h"

namespace ronda::core {

inline std::size_t chunk_count(const Context& context, std::size_t n) {
  return (n + context.chunk_rows - 1) / context.chunk_rows;
}

// body(chunk, begin, end) for every chunk of 0..n-1, in any order
template <class Body>
void for_chunks(const Context& context, std::size_t n, Body&& body) {
  const std::size_t chunks = chunk_count(context, n);
  const std::size_t size = context.chunk_rows;
  std::atomic<std::size_t> next{0};
  std::atomic<bool> stop{false};
  auto work = [&](bool caller) {
    for (std::size_t k; !stop && (k = next++) < chunks;) {
      body(k, k * size, std::min(n, (k + 1) * size));
      if (caller && context.interrupted && context.interrupted()) stop = true;
    }
  };
#ifdef _OPENMP
  const int threads =
      static_cast<int>(std::min<std::size_t>(context.threads, chunks));
  if (threads > 1) {
#pragma omp parallel num_threads(threads)
    work(omp_get_thread_num() == 0);
  } else {
    work(true);
  }
#else
  work(true);
#endif
  if (stop) throw Interrupted();
}

// the same on the calling thread, in order; here a body may throw
template <class Body>
void for_chunks_in_order(const Context& context, std::size_t n, Body&& body) {
  for (std::size_t begin = 0; begin < n; begin += context.chunk_rows) {
    if (context.interrupted && context.interrupted()) throw Interrupted();
    body(begin, std::min(n, begin + context.chunk_rows));
  }
}

}  // namespace ronda::core
