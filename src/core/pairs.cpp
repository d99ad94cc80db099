#include "pairs.h"

#include "parallel.h"

namespace ronda::core {

std::vector<Row> slot_uses(const Context& context, const PairsView& pairs) {
  std::vector<Row> uses(pairs.starts ? pairs.slots : pairs.right_rows, 0);
  for_chunks_in_order(
      context, pairs.left_rows, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          if (i + prefetch_distance < end && pairs.slot[i + prefetch_distance])
            __builtin_prefetch(&uses[pairs.slot[i + prefetch_distance] - 1], 1);
          if (pairs.slot[i]) ++uses[pairs.slot[i] - 1];
        }
      });
  return uses;
}

namespace {

// Threads may set the same flag at once: always to the same value.
std::vector<std::uint8_t> mark_slots(const Context& context,
                                     const PairsView& pairs) {
  std::vector<std::uint8_t> marks(
      pairs.starts ? pairs.slots : pairs.right_rows, 0);
  for_chunks(context, pairs.left_rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               for (std::size_t i = begin; i < end; ++i)
                 if (pairs.slot[i])
                   __atomic_store_n(&marks[pairs.slot[i] - 1], 1,
                                    __ATOMIC_RELAXED);
             });
  return marks;
}

PairCounts count_single(const Context& context, const PairsView& pairs) {
  std::vector<std::size_t> matched(chunk_count(context, pairs.left_rows), 0);
  std::vector<std::uint8_t> marks(pairs.right_rows, 0);
  for_chunks(context, pairs.left_rows,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               std::size_t count = 0;
               for (std::size_t i = begin; i < end; ++i) {
                 const Row row = pairs.slot[i];
                 count += row != 0;
                 if (row)
                   __atomic_store_n(&marks[row - 1], 1, __ATOMIC_RELAXED);
               }
               matched[k] = count;
             });
  PairCounts counts;
  for (std::size_t part : matched) counts.matched_left += part;
  for (std::uint8_t mark : marks) counts.matched_right += mark;
  counts.pairs = static_cast<double>(counts.matched_left);
  counts.most_left = counts.matched_left > 0;
  // more than one only says that some right row is taken more than once
  counts.most_right =
      counts.matched_left > counts.matched_right ? 2 : counts.most_left;
  return counts;
}

}  // namespace

PairCounts count_pairs(const Context& context, const PairsView& pairs) {
  if (!pairs.starts) return count_single(context, pairs);
  PairCounts counts;
  const std::vector<Row> uses = slot_uses(context, pairs);
  std::vector<Row> taken(pairs.right_rows, 0);
  for (std::size_t s = 0; s < pairs.slots; ++s) {
    const Row size = pairs.starts[s + 1] - pairs.starts[s];
    if (uses[s] == 0 || size == 0) continue;
    counts.pairs += static_cast<double>(uses[s]) * size;
    counts.matched_left += uses[s];
    counts.most_left = std::max(counts.most_left, size);
    for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
      taken[pairs.rows[k] - 1] += uses[s];
  }
  for (Row count : taken) {
    counts.matched_right += count > 0;
    counts.most_right = std::max(counts.most_right, count);
  }
  for (std::size_t s = 0; s < pairs.slots && !counts.on_both; ++s)
    if (uses[s] && pairs.starts[s + 1] - pairs.starts[s] > 1)
      for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
        counts.on_both |= taken[pairs.rows[k] - 1] > 1;
  return counts;
}

std::vector<std::uint8_t> mark_right(const Context& context,
                                     const PairsView& pairs) {
  const std::vector<std::uint8_t> slots = mark_slots(context, pairs);
  if (!pairs.starts) return slots;
  std::vector<std::uint8_t> marks(pairs.right_rows, 0);
  for (std::size_t s = 0; s < slots.size(); ++s)
    if (slots[s])
      for (Row k = pairs.starts[s]; k < pairs.starts[s + 1]; ++k)
        marks[pairs.rows[k] - 1] = 1;
  return marks;
}

std::vector<Row> heaviest_slots(const Context& context, const PairsView& pairs,
                                std::size_t most) {
  const std::vector<Row> uses = slot_uses(context, pairs);
  auto weight = [&](Row slot) {
    const double size =
        pairs.starts ? pairs.starts[slot] - pairs.starts[slot - 1] : 1;
    return size * uses[slot - 1];
  };
  std::vector<Row> slots;
  for (std::size_t s = 0; s < uses.size(); ++s)
    if (uses[s]) slots.push_back(static_cast<Row>(s + 1));
  most = std::min(most, slots.size());
  std::partial_sort(slots.begin(),
                    slots.begin() + static_cast<std::ptrdiff_t>(most),
                    slots.end(), [&](Row a, Row b) {
                      const double x = weight(a), y = weight(b);
                      return x > y || (x == y && a < b);
                    });
  slots.resize(most);
  return slots;
}

Expansion::Expansion(const Context& context, const PairsView& pairs,
                     bool keep_unmatched)
    : context_(context), pairs_(pairs), keep_unmatched_(keep_unmatched) {
  const std::size_t n = pairs.left_rows;
  std::vector<std::size_t> sizes(chunk_count(context, n), 0);
  std::atomic<bool> once{true};
  for_chunks(context, n,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               std::size_t size = 0;
               bool every_once = true;
               for (std::size_t i = begin; i < end; ++i) {
                 std::size_t lines = pairs.partners(i);
                 if (lines == 0 && keep_unmatched) lines = 1;
                 every_once = every_once && lines == 1;
                 size += lines;
               }
               sizes[k] = size;
               if (!every_once) once = false;
             });
  for (std::size_t size : sizes) {
    chunk_starts_.push_back(total_);
    total_ += size;
  }
  keeps_left_ = once;
}

void Expansion::write(Row* left, Row* right) const {
  const PairsView& pairs = pairs_;
  for_chunks(
      context_, pairs.left_rows,
      [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::size_t at = chunk_starts_[chunk];
        auto line = [&](std::size_t i, Row partner) {
          if (left) left[at] = static_cast<Row>(i + 1);
          right[at++] = partner;
        };
        for (std::size_t i = begin; i < end; ++i) {
          const Row s = pairs.slot[i];
          if (!pairs.starts) {
            if (s || keep_unmatched_) line(i, s);
          } else if (s && pairs.starts[s] > pairs.starts[s - 1]) {
            for (Row k = pairs.starts[s - 1]; k < pairs.starts[s]; ++k)
              line(i, pairs.rows[k]);
          } else if (keep_unmatched_) {
            line(i, 0);
          }
        }
      });
}

void order_by_row(const Row* by, std::size_t n, std::size_t most, Row* out) {
  std::vector<std::size_t> next(most + 2, 0);
  auto bucket = [&](std::size_t i) {
    return by[i] ? static_cast<std::size_t>(by[i]) - 1 : most;
  };
  for (std::size_t i = 0; i < n; ++i) ++next[bucket(i) + 1];
  for (std::size_t b = 1; b < next.size(); ++b) next[b] += next[b - 1];
  for (std::size_t i = 0; i < n; ++i)
    out[next[bucket(i)]++] = static_cast<Row>(i + 1);
}

}  // namespace ronda::core
