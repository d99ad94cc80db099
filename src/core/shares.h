// Counting and sorting into places that many rows share: each thread goes
// through all rows, but acts only on the places of its own share. No two
// threads write to one place, and every place sees its rows in order.
//
// Whose share a row falls into is a coin toss that no processor foresees. Rows
// are therefore put into a ring whether they are a thread's own or not, and the
// next one overwrites those that are not: without a branch, and they wait there
// until their places are in the cache.
#pragma once
#include "parallel.h"

namespace ronda::core {

// A power of two, at most the number of threads; one where rows are few.
inline int share_bits(const Context& context, std::size_t rows) {
  int bits = 0;
  while ((2 << bits) <= context.threads && rows > context.chunk_rows) ++bits;
  return bits;
}

// Shares are blocks in turn, not one stretch a thread: the places of keys that
// are known by their first row crowd at the beginning.
constexpr std::size_t share_block = 1024;

// Entries that wait for their turn, at most `size` of them. (A ring of one
// chunk of rows only is kept in registers.)
template <class Entry, class Action>
class Ring {
 public:
  explicit Ring(Action action) : action_(action) {}
  void offer(const Entry& entry, bool own) {
    entries_[last_ % size] = entry;
    last_ += own;
    if (last_ - next_ == size) act_until(last_ - size / 2);
  }
  void finish() { act_until(last_); }

 private:
  static constexpr std::size_t size = 32;
  void act_until(std::size_t end) {
    for (; next_ != end; ++next_) action_(entries_[next_ % size]);
  }
  Action action_;
  Entry entries_[size];
  std::size_t next_ = 0, last_ = 0;
};

// action(place, i) for every row i whose place(i) is below `places`;
// prefetch(place) some rows ahead
template <class Place, class Prefetch, class Action>
void for_shares(const Context& context, std::size_t n, std::size_t places,
                Place&& place, Prefetch&& prefetch, Action&& action) {
  struct Entry {
    std::size_t at, row;
  };
  const std::size_t parts = std::size_t{1} << share_bits(context, n);
  for_parts(context, parts, [&](std::size_t part, Crew::Hand& hand) {
    auto act = [&](const Entry& entry) { action(entry.at, entry.row); };
    for_own_chunks(context, hand, n, [&](std::size_t begin, std::size_t end) {
      Ring<Entry, decltype(act)> ring(act);
      for (std::size_t i = begin; i < end; ++i) {
        const std::size_t at = place(i);
        const bool own =
            (at < places) & (((at / share_block) & (parts - 1)) == part);
        prefetch(own ? at : 0);
        ring.offer(Entry{at, i}, own);
      }
      ring.finish();
    });
  });
}

}  // namespace ronda::core
