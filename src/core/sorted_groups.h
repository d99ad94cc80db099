// The right rows of each group in the order of one number, ready for binary
// search. Data that is in order already is noticed and not sorted.
#pragma once
#include <algorithm>
#include <numeric>
#include <vector>

#include "ordered_rules.h"
#include "parallel.h"

namespace ronda::core {

template <class T>
struct SortedGroups {
  std::vector<T> values;        // ascending within each group
  std::vector<Row> rows;        // the right row of each value
  std::vector<std::size_t> starts;  // group s: starts[s - 1] .. starts[s]
  bool rows_ascend = true;      // within groups rows ascend too

  std::size_t begin(Row group) const { return starts[group - 1]; }
  std::size_t end(Row group) const { return starts[group]; }
};

namespace sorting {

template <class T>
struct Entry {
  T value;
  Row row;
  bool operator<(const Entry& other) const {
    return value < other.value || (value == other.value && row < other.row);
  }
};

// Both halves at once, then merged.
template <class T>
void sort_entries(const Context& context, std::vector<Entry<T>>& entries) {
  const std::size_t n = entries.size(), half = n / 2;
  if (context.threads < 2 || n < (std::size_t{1} << 16)) {
    std::sort(entries.begin(), entries.end());
    return;
  }
  Context two = context;
  two.chunk_rows = half + 1;
  const auto middle = entries.begin() + static_cast<std::ptrdiff_t>(half) + 1;
  for_chunks(two, n, [&](std::size_t k, std::size_t, std::size_t) {
    if (k == 0)
      std::sort(entries.begin(), middle);
    else
      std::sort(middle, entries.end());
  });
  std::vector<Entry<T>> merged(n);
  std::merge(entries.begin(), middle, middle, entries.end(), merged.begin());
  entries.swap(merged);
}

template <class T>
void sort_group(const Context& context, SortedGroups<T>& sorted,
                std::size_t begin, std::size_t end) {
  std::vector<Entry<T>> entries(end - begin);
  for (std::size_t k = begin; k < end; ++k)
    entries[k - begin] = {sorted.values[k], sorted.rows[k]};
  sort_entries(context, entries);
  for (std::size_t k = begin; k < end; ++k) {
    sorted.values[k] = entries[k - begin].value;
    sorted.rows[k] = entries[k - begin].row;
  }
}

}  // namespace sorting

// Rows with a missing value, and rows that `skip` (may be null) flags, are
// left out.
template <class T>
SortedGroups<T> sort_groups(const Context& context, const Groups& groups,
                            const T* by, const std::uint8_t* skip) {
  SortedGroups<T> sorted;
  const std::size_t n = static_cast<std::size_t>(groups.starts[groups.groups]);
  sorted.values.reserve(n);
  sorted.rows.reserve(n);
  sorted.starts.reserve(groups.groups + 1);
  sorted.starts.push_back(0);
  std::vector<Row> unsorted;
  for (std::size_t s = 0; s < groups.groups; ++s) {
    const std::size_t begin = sorted.values.size();
    bool in_order = true;
    for (Row k = groups.starts[s]; k < groups.starts[s + 1]; ++k) {
      const Row row = groups.rows[k];
      const T value = by[row - 1];
      if (is_missing(value) || (skip && skip[row - 1])) continue;
      in_order = in_order && (sorted.values.size() == begin ||
                              !(value < sorted.values.back()));
      sorted.values.push_back(value);
      sorted.rows.push_back(row);
    }
    sorted.starts.push_back(sorted.values.size());
    if (!in_order) unsorted.push_back(static_cast<Row>(s + 1));
  }
  sorted.rows_ascend = unsorted.empty();
  Context one = context;
  if (unsorted.size() > 1) one.threads = 1;
  Context each = context;
  each.chunk_rows = std::max<std::size_t>(1, unsorted.size() / 64);
  if (unsorted.size() == 1) {
    sorting::sort_group(context, sorted, sorted.begin(unsorted[0]),
                        sorted.end(unsorted[0]));
  } else {
    for_chunks(each, unsorted.size(),
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t k = begin; k < end; ++k)
                   sorting::sort_group(one, sorted, sorted.begin(unsorted[k]),
                                       sorted.end(unsorted[k]));
               });
  }
  return sorted;
}

// First position in [begin, end) whose value is not below (not above, for
// after_equal) `x`, looked for from `hint` outward: left rows in time order
// find their place in a step or two.
template <class T, bool after_equal>
std::size_t seek(const std::vector<T>& values, std::size_t begin,
                 std::size_t end, T x, std::size_t hint) {
  auto before = [&](std::size_t k) {
    return after_equal ? !(x < values[k]) : values[k] < x;
  };
  std::size_t low = begin, high = end;
  if (hint < begin) hint = begin;
  if (hint > end) hint = end;
  std::size_t step = 1;
  if (hint < end && before(hint)) {
    low = hint + 1;
    while (low + step < high && before(low + step)) {
      low += step + 1;
      step *= 2;
    }
    high = std::min(high, low + step);
  } else {
    high = hint;
    while (high > low + step && !before(high - step)) {
      high -= step;
      step *= 2;
    }
    if (high > low + step) low = high - step;
  }
  while (low < high) {
    const std::size_t middle = low + (high - low) / 2;
    if (before(middle))
      low = middle + 1;
    else
      high = middle;
  }
  return low;
}

template <class T>
std::size_t first_at_or_above(const std::vector<T>& values, std::size_t begin,
                              std::size_t end, T x, std::size_t hint) {
  return seek<T, false>(values, begin, end, x, hint);
}
template <class T>
std::size_t first_above(const std::vector<T>& values, std::size_t begin,
                        std::size_t end, T x, std::size_t hint) {
  return seek<T, true>(values, begin, end, x, hint);
}

}  // namespace ronda::core
