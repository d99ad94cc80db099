// Which roads were taken through the engine, counted so that tests can tell
// that generated cases reach all of them. Only libraries that are built to be
// tested count.
#pragma once
#include <array>
#include <atomic>
#include <cstddef>
#include <cstdint>

namespace ronda::core {

enum class Road {
  direct_table,
  hash_table,
  packed_keys,
  two_words,
  folded_keys,
  nearest_walked,
  nearest_searched,
  nearest_sorted_first,
  nearest_with_ties,
  nearest_in_rounds,
  once_by_distance,
  ranges_by_one,
  ranges_ascending,
  ranges_by_tree,
  ranges_tried,
  rows_borrowed,
  rows_copied,
  rows_sorted,
  columns_distinct,
  columns_at_once,
  columns_side_by_side,
  column_deferred,
  count
};
constexpr std::size_t road_count = static_cast<std::size_t>(Road::count);
extern const std::array<const char*, road_count> road_names;

inline std::array<std::atomic<std::uint64_t>, road_count> road_uses{};

#ifdef RONDA_COUNTS_ROADS
constexpr bool counts_roads = true;
#else
constexpr bool counts_roads = false;
#endif

inline void take_road(Road road) {
  if constexpr (counts_roads) {
    road_uses[static_cast<std::size_t>(road)].fetch_add(
        1, std::memory_order_relaxed);
  }
}

}  // namespace ronda::core
