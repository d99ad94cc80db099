// What stands for a missing value in R's vectors.
#pragma once
#include <cstdint>
#include <cstring>
#include <limits>

namespace ronda::core {

constexpr std::int32_t missing_int = std::numeric_limits<std::int32_t>::min();

// the payload that tells R's NA from other NaNs
constexpr std::uint32_t missing_payload = 1954;

inline double missing_double() {
  const std::uint64_t bits = 0x7FF0000000000000u | missing_payload;
  double value;
  std::memcpy(&value, &bits, sizeof value);
  return value;
}

inline bool is_missing_double(double value) {
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  return value != value && static_cast<std::uint32_t>(bits) == missing_payload;
}

}  // namespace ronda::core
