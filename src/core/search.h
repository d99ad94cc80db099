// Where in order something begins.
#pragma once
#include <cstddef>

namespace ronda::core {

// The first place in [begin, end) for which `before` does not hold, where it
// holds for all places up to one and for none from there on. Without branches:
// it is as likely on either side.
template <class Before>
[[gnu::always_inline]] inline std::size_t partition(std::size_t begin,
                                                    std::size_t end,
                                                    Before&& before) {
  std::size_t length = end - begin;
  while (length > 1) {
    const std::size_t half = length / 2;
    begin = before(begin + half - 1) ? begin + half : begin;
    length -= half;
  }
  return begin + (length == 1 && before(begin));
}

}  // namespace ronda::core
