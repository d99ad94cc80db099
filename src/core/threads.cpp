#include "threads.h"

#include <algorithm>
#ifdef _OPENMP
#include <omp.h>
#endif
#ifndef _WIN32
#include <unistd.h>
#endif

namespace ronda::core {
namespace {

#ifndef _WIN32
const pid_t loading_process = getpid();
bool is_forked_child() { return getpid() != loading_process; }
#else
bool is_forked_child() { return false; }
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
  if (is_forked_child()) return 1;
  if (asked > 0) return std::min(asked, omp_get_thread_limit());
  return std::clamp(machine_threads(), 1, 8);
#else
  (void)asked;
  return 1;
#endif
}

}  // namespace ronda::core
