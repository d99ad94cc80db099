// Right rows listed key by key: a counting sort, in one of two ways.
#include "list_rows.h"
#include "parallel.h"
#include "shares.h"

namespace ronda::core {
namespace {

// every count becomes the sum of those before it
void sum_before(const Context& context, std::size_t n, Row* counts) {
  std::vector<Row> sums(chunk_count(context, n), 0);
  for_chunks(context, n,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               Row sum = 0;
               for (std::size_t i = begin; i < end; ++i) sum += counts[i];
               sums[chunk] = sum;
             });
  Row total = 0;
  for (Row& sum : sums) {
    const Row before = total;
    total += sum;
    sum = before;
  }
  for_chunks(context, n,
             [&](std::size_t chunk, std::size_t begin, std::size_t end) {
               Row sum = sums[chunk];
               for (std::size_t i = begin; i < end; ++i) {
                 const Row count = counts[i];
                 counts[i] = sum;
                 sum += count;
               }
             });
}

// Few keys: each thread counts and lists a stretch of the rows of its own.
void list_by_stretches(const Context& context, const Row* key, std::size_t n,
                       std::size_t keys, std::size_t stretches, Row* starts,
                       Row* rows) {
  // a count for each key and one for none
  Buffer<Row> places(stretches * (keys + 1), Start::zero);
  auto for_stretches = [&](auto&& prefetch, auto&& each) {
    for_parts(context, stretches, [&](std::size_t k, Crew::Hand& hand) {
      const std::size_t low = n * k / stretches;
      Row* own = &places[k * (keys + 1)];
      for_own_chunks(context, hand, n * (k + 1) / stretches - low,
                     [&](std::size_t begin, std::size_t end) {
                       for (std::size_t i = low + begin; i < low + end; ++i) {
                         if (i + prefetch_distance < low + end)
                           prefetch(own[key[i + prefetch_distance]]);
                         each(own[key[i]], i);
                       }
                     });
    });
  };
  for_stretches([](Row) {}, [](Row& count, std::size_t) { ++count; });
  Row next = 0;
  for (std::size_t at = 1; at <= keys; ++at) {
    starts[at - 1] = next;
    for (std::size_t k = 0; k < stretches; ++k) {
      Row& place = places[k * (keys + 1) + at];
      const Row count = place;
      place = next;
      next += count;
    }
  }
  starts[keys] = next;
  for_stretches([&](Row place) { __builtin_prefetch(&rows[place], 1); },
                [&](Row& place, std::size_t i) {
                  if (key[i]) rows[place++] = static_cast<Row>(i + 1);
                });
}

// Many keys: each thread goes through all rows for a share of the keys.
void list_by_shares(const Context& context, const Row* key, std::size_t n,
                    std::size_t keys, Row* starts, Row* rows) {
  // Key 0 means none; its place is beyond all others.
  auto place = [&](std::size_t i) {
    return static_cast<std::size_t>(key[i]) - 1;
  };
  starts[0] = 0;
  for_rows(context, keys, [&](std::size_t at) { starts[at + 1] = 0; });
  for_shares(
      context, n, keys, place,
      [&](std::size_t at) { __builtin_prefetch(&starts[at + 1], 1); },
      [&](std::size_t at, std::size_t) { ++starts[at + 1]; });
  // from counts to where each range begins, and on to where it ends
  sum_before(context, keys, starts + 1);
  for_shares(
      context, n, keys, place,
      [&](std::size_t at) { __builtin_prefetch(&starts[at + 1], 1); },
      [&](std::size_t at, std::size_t i) {
        rows[starts[at + 1]++] = static_cast<Row>(i + 1);
      });
}

}  // namespace

void list_rows(const Context& context, const Grouping& grouping, Row* starts,
               Row* rows) {
  list_rows(context, grouping.key.data(), grouping.key.size(), grouping.most,
            starts, rows);
}

void list_rows(const Context& context, const Row* key, std::size_t n,
               std::size_t keys, Row* starts, Row* rows) {
  const std::size_t stretches = std::size_t{1} << share_bits(context, n);
  if (stretches * keys <= n)
    list_by_stretches(context, key, n, keys, stretches, starts, rows);
  else
    list_by_shares(context, key, n, keys, starts, rows);
}

}  // namespace ronda::core
