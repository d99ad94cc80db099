// Counting and sorting into places that many rows share: each thread goes
// through all rows, but acts only on the places of its own share. No two
// threads write to one place, and every place sees its rows in order.
#pragma once
#include "parallel.h"

namespace ronda::core {

// A power of two, at most the number of threads; one where rows are few.
inline int share_bits(const Context& context, std::size_t rows) {
  int bits = 0;
  while ((2 << bits) <= context.threads && rows > context.chunk_rows) ++bits;
  return bits;
}

// action(place, i) for every row i whose place(i) is below `places`;
// prefetch(place) some rows ahead
template <class Place, class Prefetch, class Action>
void for_shares(const Context& context, std::size_t n, std::size_t places,
                Place&& place, Prefetch&& prefetch, Action&& action) {
  const std::size_t parts = std::size_t{1} << share_bits(context, n);
  for_parts(context, parts, [&](std::size_t part, Crew::Hand& hand) {
    const std::size_t low = part * places / parts;
    const std::size_t share = (part + 1) * places / parts - low;
    for_own_chunks(context, hand, n, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        if (i + prefetch_distance < end) {
          const std::size_t ahead = place(i + prefetch_distance);
          if (ahead < places) prefetch(ahead);
        }
        const std::size_t at = place(i);
        if (at - low < share) action(at, i);
      }
    });
  });
}

}  // namespace ronda::core
