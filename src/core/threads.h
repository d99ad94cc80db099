// How many threads may work now.
#pragma once

namespace ronda::core {

// `asked` 0 means: as many as the machine has, eight at the most (more do not
// help work that waits for memory). One in a forked child, where the threads
// of the parent do not exist and OpenMP would wait for them for ever.
int usable_threads(int asked);

}  // namespace ronda::core
