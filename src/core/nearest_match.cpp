// All left rows at once: one partner each, or all of the nearest point.
#include "nearest_match.h"

#include <memory>

#include "left_groups.h"
#include "nearest_search.h"

namespace ronda::core {
namespace {

// Which right rows were near enough to some left row. Without a distance all
// up to the farthest place are, so one number a group tells; else steps up and
// down are counted at both ends of each left row's reach.
template <class T>
class Coverage {
 public:
  explicit Coverage(const NearestSearch<T>& search) : search_(search) {
    const auto& sorted = search.sorted();
    if (!search.unlimited()) {
      steps_.assign(sorted.size() + 1, 0);
      return;
    }
    back_.reserve(sorted.groups());
    ahead_.reserve(sorted.groups());
    for (Row s = 1; s <= static_cast<Row>(sorted.groups()); ++s) {
      back_.push_back(sorted.begin(s));
      ahead_.push_back(sorted.end(s));
    }
  }
  // Safe to call from several threads
  void add(const Seeker<T>& seeker, const Cursor& cursor) {
    const Row group = seeker.group;
    const Point behind = search_.behind(seeker, cursor);
    const Point before = search_.before(seeker, cursor);
    if (!search_.unlimited()) {
      mark(behind);
      mark(before);
      return;
    }
    if (behind.high > behind.low) raise(back_[group - 1], behind.high);
    if (before.high > before.low) lower(ahead_[group - 1], before.low);
  }
  // all right rows of a group before a place, however far
  void reach_back(Row group, std::size_t place) {
    raise(back_[group - 1], place);
  }
  double count() const {
    double covered = 0;
    for_stretches([&](std::size_t begin, std::size_t end) {
      covered += static_cast<double>(end - begin);
    });
    return covered;
  }
  std::vector<std::uint8_t> marks(std::size_t right_rows) const {
    std::vector<std::uint8_t> near(right_rows, 0);
    for_stretches([&](std::size_t begin, std::size_t end) {
      for (; begin < end; ++begin)
        near[static_cast<std::size_t>(search_.sorted().row(begin)) - 1] = 1;
    });
    return near;
  }

 private:
  // each(begin, end) for the places that are covered
  template <class Each>
  void for_stretches(Each&& each) const {
    std::int64_t depth = 0;
    for (std::size_t k = 0; k < steps_.size(); ++k) {
      depth += steps_[k];
      if (depth > 0) each(k, k + 1);
    }
    for (std::size_t s = 0; s < back_.size(); ++s) {
      const Row group = static_cast<Row>(s + 1);
      const std::size_t begin = search_.sorted().begin(group);
      const std::size_t end = search_.sorted().end(group);
      const bool meet = back_[s] >= ahead_[s];
      each(begin, meet ? end : back_[s]);
      if (!meet) each(ahead_[s], end);
    }
  }
  void mark(const Point& point) {
    if (point.low >= point.high) return;
    __atomic_fetch_add(&steps_[point.low], 1, __ATOMIC_RELAXED);
    __atomic_fetch_sub(&steps_[point.high], 1, __ATOMIC_RELAXED);
  }
  static void raise(std::size_t& place, std::size_t value) {
    std::size_t now = __atomic_load_n(&place, __ATOMIC_RELAXED);
    while (now < value &&
           !__atomic_compare_exchange_n(&place, &now, value, true,
                                        __ATOMIC_RELAXED, __ATOMIC_RELAXED)) {
    }
  }
  static void lower(std::size_t& place, std::size_t value) {
    std::size_t now = __atomic_load_n(&place, __ATOMIC_RELAXED);
    while (now > value &&
           !__atomic_compare_exchange_n(&place, &now, value, true,
                                        __ATOMIC_RELAXED, __ATOMIC_RELAXED)) {
    }
  }
  const NearestSearch<T>& search_;
  std::vector<Row> steps_;
  std::vector<std::size_t> back_, ahead_;
};

// Whether left rows come in no order: then they are sorted first, so that
// their places lie one after the other, and memory is walked through, not
// jumped about in.
template <class T>
bool is_shuffled(const Context& context, const Groups& groups,
                 const T* values) {
  const std::size_t n = groups.left_rows;
  if (n < 2 || n < std::min<std::size_t>(50000, context.chunk_rows))
    return false;
  const std::size_t looks = std::min<std::size_t>(1000, n);
  std::size_t descents = 0;
  for (std::size_t k = 1; k < looks; ++k) {
    const std::size_t i = k * (n / looks);
    descents += values[i] < values[i - 1];
  }
  return descents > looks / 10;
}

// What most ask for: the last row at or before, however far. Both sides are in
// order, so each group is walked through once.
template <class T>
bool is_plain_walk(const NearestSearch<T>& search, const Nearest& nearest) {
  return nearest.look == Look::back && nearest.ties == Ties::last &&
         nearest.equal && search.unlimited() && search.has_no_rules();
}

// Where the one partner of each left row goes; of both sides the one at or
// after it goes to `ahead_of`
struct OnePartner {
  Look look;
  Row* partner_of;
  Row* ahead_of;

  template <class T>
  void find(const NearestSearch<T>& search, const Seeker<T>& seeker,
            const Cursor& cursor) const {
    const bool both = look == Look::both;
    partner_of[seeker.row] =
        search.partner(seeker, cursor, both ? Look::back : look);
    if (both)
      ahead_of[seeker.row] = search.partner(seeker, cursor, Look::ahead);
  }
};

template <class T>
void walk_sorted(const Context& context, const SortedGroups<T>& left,
                 const SortedGroups<T>& right, Coverage<T>* coverage,
                 Row* partner_of) {
  for_chunks(
      context, left.size(),
      [&](std::size_t, std::size_t begin, std::size_t end) {
        Row group = left.group_at(begin);
        for (std::size_t k = begin; k < end; ++group) {
          const std::size_t stop = std::min(end, left.end(group));
          if (k == stop) continue;
          const std::size_t first = right.begin(group), last = right.end(group);
          std::size_t at = right.first_above(first, last, left.value(k), first);
          for (; k < stop; ++k) {
            if (k + prefetch_distance < end)
              __builtin_prefetch(
                  &partner_of[left.row(k + prefetch_distance) - 1], 1);
            const T x = left.value(k);
            while (at < last && !(x < right.value(at))) ++at;
            partner_of[left.row(k) - 1] = at > first ? right.row(at - 1) : 0;
          }
          if (coverage && at > first) coverage->reach_back(group, at);
        }
      });
}

template <class T>
void match_sorted(const Context& context, const Groups& groups,
                  const NearestSearch<T>& search, const Nearest& nearest,
                  const T* values, const std::uint8_t* skip_left,
                  Coverage<T>* coverage, const OnePartner& found) {
  take_road(Road::nearest_sorted_first);
  const LeftGroups listed(context, groups);
  SortedGroups<T> left;
  left.build(context, listed.view, values, skip_left);
  if (is_plain_walk(search, nearest))
    return walk_sorted(context, left, search.sorted(), coverage,
                       found.partner_of);
  for_chunks(context, left.size(),
             [&](std::size_t, std::size_t begin, std::size_t end) {
               std::size_t hint = 0;
               Row group = left.group_at(begin);
               for (std::size_t k = begin; k < end; ++k) {
                 while (left.end(group) <= k) ++group;
                 const Seeker<T> seeker{
                     static_cast<std::size_t>(left.row(k)) - 1, group,
                     left.value(k)};
                 const Cursor cursor = search.start(seeker, hint);
                 if (coverage) coverage->add(seeker, cursor);
                 found.find(search, seeker, cursor);
               }
             });
}

// One partner a row at the most: written straight to its place.
template <class T>
void match_singly(const Context& context, const Groups& groups,
                  const NearestSearch<T>& search, Coverage<T>* coverage,
                  const OnePartner& found) {
  take_road(Road::nearest_searched);
  for_chunks(context, groups.left_rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               Hints hints(search.sorted());
               for (std::size_t i = begin; i < end; ++i) {
                 if (search.skips(i)) continue;
                 const Seeker<T> seeker = search.seeker(i);
                 const Cursor cursor =
                     search.start(seeker, hints[seeker.group]);
                 if (coverage) coverage->add(seeker, cursor);
                 found.find(search, seeker, cursor);
               }
             });
}

// One partner of each side, as the pairs they are: a row that lies exactly
// there is found on both
void join_sides(const Context& context, const std::vector<Row>& ahead_of,
                double limit, NearestPairs& result) {
  const std::vector<Row> back_of = std::move(result.partner_of);
  const std::size_t n = back_of.size();
  result.partner_of.clear();
  result.list.counts.resize(n);
  Row* counts = result.list.counts.data();
  std::vector<std::size_t> starts(chunk_count(context, n) + 1, 0);
  for_chunks(context, n,
             [&](std::size_t c, std::size_t begin, std::size_t end) {
               std::size_t pairs = 0;
               for (std::size_t i = begin; i < end; ++i) {
                 const Row back = back_of[i], ahead = ahead_of[i];
                 counts[i] = (back > 0) + (ahead > 0 && ahead != back);
                 pairs += static_cast<std::size_t>(counts[i]);
               }
               starts[c + 1] = pairs;
             });
  for (std::size_t c = 1; c < starts.size(); ++c) starts[c] += starts[c - 1];
  result.list.pairs = static_cast<double>(starts.back());
  result.too_many = result.list.pairs > limit;
  if (result.too_many) return;
  result.list.rows.resize(starts.back());
  Row* rows = result.list.rows.data();
  for_chunks(context, n,
             [&](std::size_t c, std::size_t begin, std::size_t end) {
               Row* at = rows + starts[c];
               for (std::size_t i = begin; i < end; ++i) {
                 const Row back = back_of[i], ahead = ahead_of[i];
                 if (counts[i] == 2) *at++ = std::min(back, ahead);
                 if (counts[i]) *at++ = std::max(back, ahead);
               }
             });
}

struct Part {
  std::vector<Row> counts, rows, tied;
};

template <class T>
void match_tied(const Context& context, const Groups& groups,
                const NearestSearch<T>& search, const Nearest& nearest,
                double limit, Coverage<T>* coverage, NearestPairs& result) {
  take_road(Road::nearest_with_ties);
  const std::size_t n = groups.left_rows;
  std::vector<Part> parts(chunk_count(context, n));
  std::atomic<std::int64_t> pairs{0};
  for_chunks(
      context, n, [&](std::size_t c, std::size_t begin, std::size_t end) {
        Part& part = parts[c];
        part.counts.reserve(end - begin);
        Hints hints(search.sorted());
        std::size_t told = 0;  // pairs that the other threads know of
        for (std::size_t i = begin; i < end; ++i) {
          const std::size_t before = part.rows.size();
          std::size_t found = 0;
          if (!search.skips(i)) {
            const Seeker<T> seeker = search.seeker(i);
            const Cursor cursor = search.start(seeker, hints[seeker.group]);
            if (coverage) coverage->add(seeker, cursor);
            found = search.partners(seeker, cursor, part.rows);
          }
          part.counts.push_back(static_cast<Row>(part.rows.size() - before));
          if (found > nearest.n && nearest.ties == Ties::stop)
            part.tied.push_back(static_cast<Row>(i + 1));
          if (i + 1 < end && part.rows.size() - told < 4096) continue;
          pairs += static_cast<std::int64_t>(part.rows.size() - told);
          told = part.rows.size();
          if (static_cast<double>(pairs) > limit) return;
        }
      });
  result.list.pairs = static_cast<double>(pairs);
  result.too_many = result.list.pairs > limit;
  if (result.too_many) return;
  for (Part& part : parts) {
    auto append = [](std::vector<Row>& to, const std::vector<Row>& from) {
      to.insert(to.end(), from.begin(), from.end());
    };
    append(result.list.counts, part.counts);
    append(result.list.rows, part.rows);
    append(result.tied, part.tied);
    part = Part();
  }
}

template <class T>
NearestPairs match_all(const Context& context, const Groups& groups,
                       const Nearest& nearest,
                       const std::vector<Comparison>& rules,
                       const std::uint8_t* skip_left,
                       const std::uint8_t* skip_right, double limit,
                       bool mark_near) {
  const NearestSearch<T> search(context, groups, nearest, rules, skip_left,
                                skip_right);
  std::unique_ptr<Coverage<T>> coverage;
  if (rules.empty()) coverage = std::make_unique<Coverage<T>>(search);
  NearestPairs result;
  const T* left = static_cast<const T*>(nearest.left);
  if (search.one_is_enough()) {
    const bool both = nearest.look == Look::both;
    result.partner_of.assign(groups.left_rows, 0);
    std::vector<Row> ahead_of(both ? groups.left_rows : 0, 0);
    const OnePartner found{nearest.look, result.partner_of.data(),
                           ahead_of.data()};
    if (is_shuffled(context, groups, left))
      match_sorted(context, groups, search, nearest, left, skip_left,
                   coverage.get(), found);
    else
      match_singly(context, groups, search, coverage.get(), found);
    if (both) join_sides(context, ahead_of, limit, result);
  } else {
    match_tied(context, groups, search, nearest, limit, coverage.get(), result);
  }
  if (coverage) {
    result.candidates = coverage->count();
    if (mark_near) result.near = coverage->marks(groups.right_rows);
  }
  return result;
}

}  // namespace

NearestPairs match_nearest(const Context& context, const Groups& groups,
                           const Nearest& nearest,
                           const std::vector<Comparison>& rules,
                           const std::uint8_t* skip_left,
                           const std::uint8_t* skip_right, double limit,
                           bool mark_near) {
  if (nearest.int64)
    return match_all<std::int64_t>(context, groups, nearest, rules, skip_left,
                                   skip_right, limit, mark_near);
  return match_all<double>(context, groups, nearest, rules, skip_left,
                           skip_right, limit, mark_near);
}

}  // namespace ronda::core
