#include "standing.h"

namespace ronda::core {
namespace {

template <class T>
Standing standing(const Nearest& nearest, std::size_t left, std::size_t right) {
  const T l = static_cast<const T*>(nearest.left)[left];
  const T r = static_cast<const T*>(nearest.right)[right];
  Standing one;
  if (is_missing(l) || is_missing(r)) return one;
  const Distance<T> apart = r < l ? distance(r, l) : distance(l, r);
  one.sign = (l > r) - (l < r);
  if constexpr (std::is_same_v<T, double>) {
    one.high = apart;
  } else {
    one.high = static_cast<double>(apart >> 32);
    one.low = static_cast<double>(apart & 0xffffffffu);
  }
  const bool on_side = one.sign == 0  ? nearest.equal
                       : one.sign > 0 ? nearest.look != Look::ahead
                                      : nearest.look != Look::back;
  one.reach = !on_side                             ? Reach::other_side
              : NearEnough<T>(nearest)(left, l, r) ? Reach::near
                                                   : Reach::far;
  return one;
}

}  // namespace

Standing standing_of(const Nearest& nearest, std::size_t left,
                     std::size_t right) {
  return nearest.int64 ? standing<std::int64_t>(nearest, left, right)
                       : standing<double>(nearest, left, right);
}

}  // namespace ronda::core
