#include "threads.h"

#include <algorithm>
#ifdef _OPENMP
#include <omp.h>
#endif
#ifndef _WIN32
#include <pthread.h>
#endif

namespace ronda::core {
namespace {

// Told by the system when it forks: asking for the process each time is a call
// of the system, which made the rest of a small join slower, too.
bool forked = false;
#ifndef _WIN32
[[maybe_unused]] const int told =
    pthread_atfork(nullptr, nullptr, [] { forked = true; });
#endif

int machine_threads() {
#ifdef _OPENMP
  return std::min(omp_get_max_threads(), omp_get_thread_limit());
#else
  return 1;
#endif
}

}  // namespace

int usable_threads(int asked) {
#ifdef _OPENMP
  if (forked) return 1;
  if (asked > 0) return std::min(asked, omp_get_thread_limit());
  return std::clamp(machine_threads(), 1, 8);
#else
  (void)asked;
  return 1;
#endif
}

}  // namespace ronda::core
