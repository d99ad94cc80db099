// What every engine call is told: how many threads, how large a piece of work,
// which path to force (tests only) and whom to ask whether to go on.
#pragma once
#include <cstddef>
#include <cstdint>
#include <stdexcept>

namespace ronda::core {

// The road a key takes through the engine. `choose` looks at the keys.
enum class Path { choose, direct, hashed };

struct Context {
  int threads = 1;
  std::size_t chunk_rows = std::size_t{1} << 17;
  Path path = Path::choose;
  bool (*interrupted)() = nullptr;  // asked on the calling thread only
};

struct Interrupted : std::runtime_error {
  Interrupted() : std::runtime_error("interrupted") {}
};

// Row numbers are 1-based; 0 means "no row".
using Row = std::int32_t;

constexpr std::size_t prefetch_distance = 24;

}  // namespace ronda::core
