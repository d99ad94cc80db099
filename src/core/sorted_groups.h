// The right rows of each group in the order of one number, ready for search.
// Data that is in order already is noticed: it is neither sorted nor copied.
#pragma once
#include <algorithm>
#include <vector>

#include "ordered_rules.h"
#include "roads.h"
#include "search.h"
#include "sort_entries.h"

namespace ronda::core {

template <class T>
class SortedGroups {
 public:
  SortedGroups() = default;
  SortedGroups(const SortedGroups&) = delete;
  SortedGroups& operator=(const SortedGroups&) = delete;

  // Rows with a missing value, and rows that `skip` (may be null) flags, are
  // left out.
  void build(const Context& context, const Groups& groups, const T* by,
             const std::uint8_t* skip) {
    if (borrow(context, groups, by, skip)) {
      take_road(Road::rows_borrowed);
    } else {
      if (skip || !copy_all(context, groups, by))
        copy(context, groups, by, skip);
      rows_ascend_ = unsorted_.empty();
      take_road(rows_ascend_ ? Road::rows_copied : Road::rows_sorted);
      if (!unsorted_.empty()) sort(context);
    }
    sample();
  }

  std::size_t size() const { return size_; }
  std::size_t groups() const { return starts_.size() - 1; }
  T value(std::size_t k) const { return values_[k]; }
  Row row(std::size_t k) const {
    return rows_ ? rows_[k] : static_cast<Row>(k + 1);
  }
  std::size_t begin(Row group) const { return starts_[group - 1]; }
  std::size_t end(Row group) const { return starts_[group]; }
  // the group that position k belongs to
  Row group_at(std::size_t k) const {
    return static_cast<Row>(
        std::upper_bound(starts_.begin(), starts_.end(), k) - starts_.begin());
  }
  // position k holds right row k + 1
  bool is_identity() const { return rows_ == nullptr; }
  // within groups rows ascend with the values
  bool rows_ascend() const { return rows_ascend_; }

  // The first position in [begin, end) with a value not below x (above x),
  // looked for near `hint` first: left rows in time order find it in a step.
  std::size_t first_at_or_above(std::size_t begin, std::size_t end, T x,
                                std::size_t hint) const {
    return find(begin, end, hint, [x](T value) { return value < x; });
  }
  std::size_t first_above(std::size_t begin, std::size_t end, T x,
                          std::size_t hint) const {
    return find(begin, end, hint, [x](T value) { return !(x < value); });
  }

 private:
  static constexpr std::size_t stride = 64;  // one sample for 512 bytes
  static constexpr std::size_t near = 8;

  // All rows in groups one after the other and in order: nothing to copy.
  bool borrow(const Context& context, const Groups& groups, const T* by,
              const std::uint8_t* skip) {
    const auto n = static_cast<std::size_t>(groups.starts[groups.groups]);
    if (skip || n != groups.right_rows) return false;
    std::atomic<bool> fits{true};
    for_chunks(
        context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
          bool ok = fits;
          for (std::size_t k = begin; k < end && ok; ++k)
            ok =
                groups.rows[k] == static_cast<Row>(k + 1) && !is_missing(by[k]);
          if (!ok) fits = false;
        });
    if (!fits) return false;
    for_chunks(context, groups.groups,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 bool ok = fits;
                 for (std::size_t s = begin; s < end && ok; ++s)
                   for (Row k = groups.starts[s] + 1;
                        k < groups.starts[s + 1] && ok; ++k)
                     ok = !(by[k] < by[k - 1]);
                 if (!ok) fits = false;
               });
    if (!fits) return false;
    values_ = by;
    rows_ = nullptr;
    size_ = n;
    starts_.assign(groups.starts, groups.starts + groups.groups + 1);
    return true;
  }

  // By all threads, as each value knows its place; false where one is missing.
  bool copy_all(const Context& context, const Groups& groups, const T* by) {
    const auto n = static_cast<std::size_t>(groups.starts[groups.groups]);
    own_values_ = Buffer<T>(n);
    own_rows_ = Buffer<Row>(n);
    std::atomic<bool> whole{true};
    for_chunks(
        context, n, [&](std::size_t, std::size_t begin, std::size_t end) {
          bool sound = true;
          for (std::size_t k = begin; k < end; ++k) {
            if (k + prefetch_distance < end)
              __builtin_prefetch(&by[groups.rows[k + prefetch_distance] - 1]);
            const Row row = groups.rows[k];
            own_rows_[k] = row;
            own_values_[k] = by[row - 1];
            sound = sound && !is_missing(own_values_[k]);
          }
          if (!sound) whole = false;
        });
    if (!whole) return false;
    starts_.assign(groups.starts, groups.starts + groups.groups + 1);
    values_ = own_values_.data();
    rows_ = own_rows_.data();
    size_ = n;
    Buffer<std::uint8_t> sorted(groups.groups);
    for_rows(context, groups.groups, [&](std::size_t group) {
      sorted[group] = std::is_sorted(values_ + starts_[group],
                                     values_ + starts_[group + 1]);
    });
    for (std::size_t group = 0; group < groups.groups; ++group)
      if (!sorted[group]) unsorted_.push_back(static_cast<Row>(group + 1));
    return true;
  }

  void copy(const Context& context, const Groups& groups, const T* by,
            const std::uint8_t* skip) {
    const auto n = static_cast<std::size_t>(groups.starts[groups.groups]);
    own_values_ = Buffer<T>(n);
    own_rows_ = Buffer<Row>(n);
    std::size_t size = 0;
    starts_.reserve(groups.groups + 1);
    starts_.push_back(0);
    bool in_order = true;
    auto close_groups = [&](std::size_t k) {
      while (starts_.size() <= groups.groups &&
             static_cast<std::size_t>(groups.starts[starts_.size()]) <= k) {
        if (!in_order) unsorted_.push_back(static_cast<Row>(starts_.size()));
        starts_.push_back(size);
        in_order = true;
      }
    };
    for_chunks_in_order(context, n, [&](std::size_t begin, std::size_t end) {
      for (std::size_t k = begin; k < end; ++k) {
        close_groups(k);
        if (k + prefetch_distance < n)
          __builtin_prefetch(&by[groups.rows[k + prefetch_distance] - 1]);
        const Row row = groups.rows[k];
        const T value = by[row - 1];
        if (is_missing(value) || (skip && skip[row - 1])) continue;
        in_order = in_order &&
                   (size == starts_.back() || !(value < own_values_[size - 1]));
        own_values_[size] = value;
        own_rows_[size++] = row;
      }
    });
    close_groups(n);
    values_ = own_values_.data();
    rows_ = own_rows_.data();
    size_ = size;
  }

  // Groups of more rows than a chunk one after the other, by all threads; the
  // others each by one.
  void sort(const Context& context) {
    Buffer<SortEntry<T>> entries(size_), other(size_);
    const std::size_t few = std::min<std::size_t>(4096, context.chunk_rows);
    auto load = [&](std::size_t k) {
      entries[k] = {own_values_[k], own_rows_[k]};
    };
    auto store = [&](std::size_t k) {
      own_values_[k] = entries[k].value;
      own_rows_[k] = entries[k].row;
    };
    auto is_large = [&](Row group) {
      return end(group) - begin(group) > context.chunk_rows;
    };
    Context each = context;
    each.chunk_rows = std::max<std::size_t>(1, unsorted_.size() / 64);
    for_chunks(each, unsorted_.size(),
               [&](std::size_t, std::size_t from, std::size_t to) {
                 for (; from < to; ++from) {
                   if (is_large(unsorted_[from])) continue;
                   const std::size_t first = begin(unsorted_[from]);
                   const std::size_t last = end(unsorted_[from]);
                   for (std::size_t k = first; k < last; ++k) load(k);
                   sort_alone(&entries[first], &other[first], last - first,
                              few);
                   for (std::size_t k = first; k < last; ++k) store(k);
                 }
               });
    for (Row group : unsorted_) {
      if (!is_large(group)) continue;
      const std::size_t first = begin(group), n = end(group) - first;
      auto for_group = [&](auto&& action) {
        for_rows(context, n, [&](std::size_t k) { action(first + k); });
      };
      for_group(load);
      sort_together(context, &entries[first], &other[first], n);
      for_group(store);
    }
  }

  void sample() {
    samples_.resize((size_ + stride - 1) / stride);
    for (std::size_t k = 0; k < samples_.size(); ++k)
      samples_[k] = values_[k * stride];
  }

  template <class Before>
  std::size_t find(std::size_t begin, std::size_t end, std::size_t hint,
                   Before before) const {
    if (hint < begin || hint > end) hint = begin;
    if (hint == begin || before(values_[hint - 1])) {
      for (std::size_t step = 0; step < near; ++step, ++hint)
        if (hint == end || !before(values_[hint])) return hint;
      begin = hint;
    } else {
      end = hint - 1;
    }
    if (end - begin <= 64 * stride)
      return partition_values(values_, begin, end, before);
    return find_far(begin, end, before);
  }

  // Far away: first among the samples, which stay in the cache, then in the
  // 64 values behind one of them.
  template <class Before>
  std::size_t find_far(std::size_t begin, std::size_t end,
                       Before before) const {
    const std::size_t first = (begin + stride - 1) / stride;
    const std::size_t last = (end + stride - 1) / stride;
    const std::size_t k =
        partition_values(samples_.data(), first, last, before);
    const std::size_t low = k == first ? begin : (k - 1) * stride + 1;
    const std::size_t high = k == last ? end : k * stride;
    return partition_values(values_, low, high, before);
  }

  template <class Before>
  static std::size_t partition_values(const T* values, std::size_t begin,
                                      std::size_t end, Before before) {
    return partition(begin, end, [values, before](std::size_t k) {
      return before(values[k]);
    });
  }

  const T* values_ = nullptr;
  const Row* rows_ = nullptr;  // null: position k holds row k + 1
  std::size_t size_ = 0;
  std::vector<std::size_t> starts_;
  bool rows_ascend_ = true;
  Buffer<T> own_values_;
  Buffer<Row> own_rows_;
  std::vector<T> samples_;
  std::vector<Row> unsorted_;
};

}  // namespace ronda::core
