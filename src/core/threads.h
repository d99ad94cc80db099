// How many threads to use.
#pragma once

namespace ronda::core {

// `asked`, or for 0 as many as the machine has for this process, at most eight.
// OMP_NUM_THREADS (of which 0 is the default) and OMP_THREAD_LIMIT (which is
// never exceeded), set before R began, say what they say to other programs.
// One by default in a forked child: who forks has shared the machine out.
int usable_threads(int asked);

}  // namespace ronda::core
