// How far two values lie apart: the one place that knows. A distance of 64-bit
// integers is exact and can't overflow; one of doubles is their difference.
#pragma once
#include <cstdint>
#include <type_traits>

namespace ronda::core {

template <class T>
using Distance =
    std::conditional_t<std::is_same_v<T, double>, double, std::uint64_t>;

// from `low` up to `high`
template <class T>
Distance<T> distance(T low, T high) {
  if constexpr (std::is_same_v<T, double>)
    return high == low ? 0 : high - low;  // infinite values too
  else
    return static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low);
}

// The largest distance that is no farther than a number says
template <class T>
Distance<T> as_distance(double within) {
  if constexpr (std::is_same_v<T, double>)
    return within;
  else
    return within >= 18446744073709551616.0
               ? UINT64_MAX
               : static_cast<std::uint64_t>(within);
}

}  // namespace ronda::core
