#include "threads.h"

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <thread>
#ifndef _WIN32
#include <pthread.h>
#endif
#ifdef __linux__
#include <sched.h>
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

// a number of the environment that is 1 or more, else what holds without it
int environment_number(const char* name, int otherwise) {
  const char* text = std::getenv(name);
  const long number = text ? std::strtol(text, nullptr, 10) : 0;
  return number >= 1 && number <= INT_MAX ? static_cast<int>(number)
                                          : otherwise;
}

// Fewer than the machine's where the process may use only some of them.
int processors() {
#ifdef __linux__
  cpu_set_t usable;
  if (sched_getaffinity(0, sizeof usable, &usable) == 0)
    return CPU_COUNT(&usable);
#endif
  return std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
}

int default_threads() {
  return std::clamp(environment_number("OMP_NUM_THREADS", processors()), 1, 8);
}

}  // namespace

int usable_threads(int asked) {
  static const int limit = environment_number("OMP_THREAD_LIMIT", INT_MAX);
  static const int otherwise = default_threads();
  if (asked > 0) return std::min(asked, limit);
  return forked ? 1 : std::min(otherwise, limit);
}

}  // namespace ronda::core
