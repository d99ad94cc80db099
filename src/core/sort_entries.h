// Sorting of (value, row) entries. Bits by eleven, in as few passes as the
// values need: from some thousand entries on that beats comparing (5e6 shuffled
// doubles take a third of the time of std::sort on two threads). Every pass is
// cut into chunks, so all threads take part and the user is heard.
#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>

#include "memory.h"
#include "parallel.h"

namespace ronda::core {

// Bits that sort as unsigned numbers the way the values do
inline std::uint64_t sort_bits(double value) {
  std::uint64_t bits;
  value += 0.0;  // -0 and 0 are one point
  std::memcpy(&bits, &value, sizeof bits);
  return bits >> 63 ? ~bits : bits | (std::uint64_t{1} << 63);
}
inline std::uint64_t sort_bits(std::int64_t value) {
  return static_cast<std::uint64_t>(value) ^ (std::uint64_t{1} << 63);
}
inline std::uint64_t sort_bits(std::uint64_t value) { return value; }

template <class T>
struct SortEntry {
  T value;
  Row row;
};

template <class T>
bool sorts_before(const SortEntry<T>& a, const SortEntry<T>& b) {
  return a.value < b.value || (a.value == b.value && a.row < b.row);
}

namespace digits {

constexpr int bits = 11, most = 6;
constexpr std::size_t buckets = std::size_t{1} << bits;
using Counts = std::array<Row, buckets>;

template <class T>
std::size_t of(const SortEntry<T>& entry, int k) {
  return (sort_bits(entry.value) >> (k * bits)) & (buckets - 1);
}

// in place of the counts of each chunk, where its entries go
inline void places_of(Counts* counts, std::size_t chunks) {
  Row at = 0;
  for (std::size_t b = 0; b < buckets; ++b)
    for (std::size_t c = 0; c < chunks; ++c) {
      const Row count = counts[c][b];
      counts[c][b] = at;
      at += count;
    }
}

template <class T>
void count(const SortEntry<T>* entries, std::size_t n, int k, Counts& counts) {
  counts.fill(0);
  for (std::size_t i = 0; i < n; ++i) ++counts[of(entries[i], k)];
}

template <class T>
void scatter(const SortEntry<T>* entries, std::size_t n, int k, Counts& places,
             SortEntry<T>* to) {
  for (std::size_t i = 0; i < n; ++i)
    to[places[of(entries[i], k)]++] = entries[i];
}

// the bits in which any two entries differ
template <class T>
std::uint64_t differing(const SortEntry<T>* entries, std::size_t n,
                        std::uint64_t one) {
  std::uint64_t bits = 0;
  for (std::size_t i = 0; i < n; ++i) bits |= sort_bits(entries[i].value) ^ one;
  return bits;
}

inline bool in_use(std::uint64_t differing, int k) {
  return (differing >> (k * bits)) & (buckets - 1);
}

}  // namespace digits

// Up to some thousand entries: by the upper 32 of the bits that differ, eight
// at a time, then by steps down to where each belongs, which few need. (Where
// many do, by comparing.)
template <class T>
void sort_few(SortEntry<T>* entries, SortEntry<T>* other, std::size_t n) {
  constexpr std::size_t very_few = 48;
  if (n <= very_few) {
    std::sort(entries, entries + n, sorts_before<T>);
    return;
  }
  const std::uint64_t used =
      digits::differing(entries, n, sort_bits(entries[0].value));
  if (!used) return;  // (rows ascend)
  const int top = 63 - __builtin_clzll(used);
  const int low = std::max(0, top - 31);
  SortEntry<T>*from = entries, *to = other;
  for (int shift = low; shift <= top; shift += 8) {
    if (!(used >> shift & 255)) continue;
    std::array<Row, 257> places{};
    auto digit = [&](std::size_t i) {
      return static_cast<std::size_t>(sort_bits(from[i].value) >> shift & 255);
    };
    for (std::size_t i = 0; i < n; ++i) ++places[digit(i) + 1];
    for (std::size_t b = 1; b < 256; ++b) places[b] += places[b - 1];
    for (std::size_t i = 0; i < n; ++i)
      to[static_cast<std::size_t>(places[digit(i)]++)] = from[i];
    std::swap(from, to);
  }
  if (from != entries) std::copy(from, from + n, entries);
  if (!(used & ((std::uint64_t{1} << low) - 1))) return;
  std::size_t steps = 0;
  for (std::size_t i = 1; i < n && steps <= 4 * n; ++i)
    for (std::size_t k = i; k > 0 && sorts_before(entries[k], entries[k - 1]);
         --k, ++steps)
      std::swap(entries[k], entries[k - 1]);
  if (steps > 4 * n) std::sort(entries, entries + n, sorts_before<T>);
}

// Sorts on the calling thread alone, without asking for memory: for use inside
// the bodies of loops. `other` is as large as `entries`. Stable, as rows
// ascend.
template <class T>
void sort_alone(SortEntry<T>* entries, SortEntry<T>* other, std::size_t n,
                std::size_t few) {
  if (n <= few) return sort_few(entries, other, n);
  digits::Counts counts;
  const std::uint64_t used =
      digits::differing(entries, n, sort_bits(entries[0].value));
  SortEntry<T>*from = entries, *to = other;
  for (int k = 0; k < digits::most; ++k) {
    if (!digits::in_use(used, k)) continue;
    digits::count(from, n, k, counts);
    digits::places_of(&counts, 1);
    digits::scatter(from, n, k, counts, to);
    std::swap(from, to);
  }
  if (from != entries) std::copy(from, from + n, entries);
}

// Sorts with all threads; stable.
template <class T>
void sort_together(const Context& context, SortEntry<T>* entries,
                   SortEntry<T>* other, std::size_t n) {
  if (n == 0) return;
  std::atomic<std::uint64_t> used{0};
  const std::uint64_t one = sort_bits(entries[0].value);
  for_chunks(context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
    used |= digits::differing(entries + begin, end - begin, one);
  });
  const std::size_t chunks = chunk_count(context, n);
  Buffer<digits::Counts> counts(chunks);
  SortEntry<T>*from = entries, *to = other;
  for (int k = 0; k < digits::most; ++k) {
    if (!digits::in_use(used, k)) continue;
    for_chunks(context, n,
               [&](std::size_t c, std::size_t begin, std::size_t end) {
                 digits::count(from + begin, end - begin, k, counts[c]);
               });
    digits::places_of(counts.data(), chunks);
    for_chunks(context, n,
               [&](std::size_t c, std::size_t begin, std::size_t end) {
                 digits::scatter(from + begin, end - begin, k, counts[c], to);
               });
    std::swap(from, to);
  }
  if (from != entries)
    for_chunks(context, n,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 std::copy(from + begin, from + end, entries + begin);
               });
}

}  // namespace ronda::core
