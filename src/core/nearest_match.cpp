// Each left row looks up its place among the sorted right values of its group
// and walks outward, point by point (a point is all right rows of one value),
// until a candidate holds. Left rows in time order start where the row before
// them ended, so sorted data is walked through once.
#include "nearest_match.h"

#include <memory>

#include "distance.h"
#include "search.h"
#include "sorted_groups.h"

namespace ronda::core {
namespace {

// What lies behind ends before `back`; what lies ahead begins at `ahead`.
struct Cursor {
  std::size_t back, ahead;
};
struct Point {
  std::size_t low, high;
};
// A left row that looks for partners
template <class T>
struct Seeker {
  std::size_t row;
  Row group;
  T x;
};

// Where the last search in each group ended; for very many groups only the
// last search of all.
class Hints {
 public:
  template <class T>
  explicit Hints(const SortedGroups<T>& sorted) {
    places_.assign(sorted.groups() < (std::size_t{1} << 14)
                       ? std::max<std::size_t>(sorted.groups(), 1)
                       : 1,
                   0);
  }
  std::size_t& operator[](Row group) {
    return places_[places_.size() > 1 ? static_cast<std::size_t>(group) - 1
                                      : 0];
  }

 private:
  std::vector<std::size_t> places_;
};

template <class T>
class NearestSearch {
 public:
  NearestSearch(const Context& context, const Groups& groups,
                const Nearest& nearest, const std::vector<Comparison>& rules,
                const std::uint8_t* skip_left, const std::uint8_t* skip_right)
      : groups_(groups),
        nearest_(nearest),
        rules_(rules),
        skip_left_(skip_left),
        left_(static_cast<const T*>(nearest.left)),
        within_(as_distance<T>(nearest.within)) {
    sorted_.build(context, groups, static_cast<const T*>(nearest.right),
                  skip_right);
  }
  const SortedGroups<T>& sorted() const { return sorted_; }

  bool skips(std::size_t i) const {
    return !groups_.group[i] || is_missing(left_[i]) ||
           (skip_left_ && skip_left_[i]);
  }
  Seeker<T> seeker(std::size_t i) const {
    return {i, groups_.group[i], left_[i]};
  }

  Cursor start(const Seeker<T>& seeker, std::size_t& hint) const {
    const std::size_t begin = sorted_.begin(seeker.group);
    const std::size_t end = sorted_.end(seeker.group);
    const T x = seeker.x;
    const bool behind_equal = nearest_.equal && nearest_.look != Look::ahead;
    Cursor cursor;
    if (behind_equal) {
      cursor.back = cursor.ahead = sorted_.first_above(begin, end, x, hint);
    } else {
      cursor.back = sorted_.first_at_or_above(begin, end, x, hint);
      cursor.ahead = nearest_.equal
                         ? cursor.back
                         : sorted_.first_above(begin, end, x, cursor.back);
    }
    hint = cursor.back;
    return cursor;
  }

  // The next point outward, false when none is left within the distance
  bool next(const Seeker<T>& seeker, Cursor& cursor, Point& point) const {
    const std::size_t begin = sorted_.begin(seeker.group);
    const std::size_t end = sorted_.end(seeker.group);
    const T x = seeker.x;
    const bool behind = nearest_.look != Look::ahead && cursor.back > begin &&
                        distance(sorted_.value(cursor.back - 1), x) <= within_;
    const bool before = nearest_.look != Look::back && cursor.ahead < end &&
                        distance(x, sorted_.value(cursor.ahead)) <= within_;
    if (!behind && !before) return false;
    if (behind && (!before || distance(sorted_.value(cursor.back - 1), x) <=
                                  distance(x, sorted_.value(cursor.ahead)))) {
      point.high = cursor.back;
      point.low = cursor.back = run_begin(begin, cursor.back);
    } else {
      point.low = cursor.ahead;
      const T value = sorted_.value(cursor.ahead);
      point.high = cursor.ahead =
          sorted_.first_above(cursor.ahead, end, value, cursor.ahead);
    }
    return true;
  }

  // Where the values equal to the one before `end` begin
  std::size_t run_begin(std::size_t begin, std::size_t end) const {
    const T value = sorted_.value(end - 1);
    for (int step = 0; step < 4; ++step) {
      --end;
      if (end == begin || sorted_.value(end - 1) != value) return end;
    }
    return sorted_.first_at_or_above(begin, end, value, begin);
  }

  // The candidate of a point to try next: right order, or the other way
  // round where the last one is wanted.
  std::size_t take(Point& point) const {
    return nearest_.ties == Ties::last ? --point.high : point.low++;
  }
  bool one_is_enough() const {
    return nearest_.ties == Ties::last || nearest_.ties == Ties::first;
  }

  bool holds(const Seeker<T>& seeker, std::size_t position) const {
    return rules_.empty() ||
           compare_rows(rules_, seeker.row,
                        static_cast<std::size_t>(sorted_.row(position)) - 1) ==
               Outcome::yes;
  }

  // Appends the partners; returns how many stand at the point.
  std::size_t partners(const Seeker<T>& seeker, Cursor cursor,
                       std::vector<Row>& rows) const {
    Point point;
    while (next(seeker, cursor, point)) {
      std::size_t found = 0;
      while (point.low < point.high) {
        const std::size_t k = take(point);
        if (!holds(seeker, k)) continue;
        rows.push_back(sorted_.row(k));
        ++found;
        if (one_is_enough()) break;
      }
      if (found) return found;
    }
    return 0;
  }

  // The first partner alone, 0 for none
  Row partner(const Seeker<T>& seeker, Cursor cursor) const {
    Point point;
    while (next(seeker, cursor, point))
      while (point.low < point.high) {
        const std::size_t k = take(point);
        if (holds(seeker, k)) return sorted_.row(k);
      }
    return 0;
  }

  // The sorted positions near enough, from where the seeker stands
  Point behind(const Seeker<T>& seeker, const Cursor& cursor) const {
    if (nearest_.look == Look::ahead) return {cursor.back, cursor.back};
    const std::size_t begin = sorted_.begin(seeker.group);
    if (unlimited()) return {begin, cursor.back};
    std::size_t step = 1, low = cursor.back;
    while (low > begin && within(low - 1, seeker.x))
      low -= std::min(step *= 2, low - begin);
    return {partition(low, cursor.back,
                      [&](std::size_t k) { return !within(k, seeker.x); }),
            cursor.back};
  }
  Point before(const Seeker<T>& seeker, const Cursor& cursor) const {
    if (nearest_.look == Look::back) return {cursor.ahead, cursor.ahead};
    const std::size_t end = sorted_.end(seeker.group);
    if (unlimited()) return {cursor.ahead, end};
    std::size_t step = 1, high = cursor.ahead;
    while (high < end && within(high, seeker.x))
      high += std::min(step *= 2, end - high);
    return {cursor.ahead, partition(cursor.ahead, high, [&](std::size_t k) {
              return within(k, seeker.x);
            })};
  }
  bool unlimited() const { return std::isinf(nearest_.within); }

 private:
  bool within(std::size_t k, T x) const {
    const T value = sorted_.value(k);
    return (value < x ? distance(value, x) : distance(x, value)) <= within_;
  }

  const Groups& groups_;
  const Nearest& nearest_;
  const std::vector<Comparison>& rules_;
  const std::uint8_t* skip_left_;
  const T* left_;
  Distance<T> within_;
  SortedGroups<T> sorted_;
};

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
  double count() const {
    double covered = 0;
    std::int64_t depth = 0;
    for (Row step : steps_) {
      depth += step;
      covered += depth > 0;
    }
    for (std::size_t s = 0; s < back_.size(); ++s) {
      const Row group = static_cast<Row>(s + 1);
      const std::size_t begin = search_.sorted().begin(group);
      const std::size_t end = search_.sorted().end(group);
      covered += back_[s] >= ahead_[s]
                     ? static_cast<double>(end - begin)
                     : static_cast<double>(back_[s] - begin + end - ahead_[s]);
    }
    return covered;
  }

 private:
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
// jumped about in. 5e6 shuffled rows on one group: a fifth of the time.
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

// The left rows listed by group, as right rows are
struct LeftGroups {
  std::vector<Row> starts, rows;
  Groups view;
  explicit LeftGroups(const Groups& groups) {
    starts.assign(groups.groups + 1, 0);
    for (std::size_t i = 0; i < groups.left_rows; ++i)
      if (groups.group[i]) ++starts[groups.group[i]];
    for (std::size_t s = 0; s < groups.groups; ++s) starts[s + 1] += starts[s];
    rows.resize(static_cast<std::size_t>(starts.back()));
    std::vector<Row> next(starts);
    for (std::size_t i = 0; i < groups.left_rows; ++i)
      if (groups.group[i])
        rows[next[groups.group[i] - 1]++] = static_cast<Row>(i + 1);
    view.right_rows = groups.left_rows;
    view.starts = starts.data();
    view.rows = rows.data();
    view.groups = groups.groups;
  }
};

template <class T>
void match_sorted(const Context& context, const Groups& groups,
                  const NearestSearch<T>& search, const T* values,
                  const std::uint8_t* skip_left, Coverage<T>* coverage,
                  Row* partner_of) {
  take_road(Road::nearest_sorted_first);
  const LeftGroups listed(groups);
  SortedGroups<T> left;
  left.build(context, listed.view, values, skip_left);
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
                 partner_of[seeker.row] = search.partner(seeker, cursor);
               }
             });
}

// One partner a row at the most: written straight to its place.
template <class T>
void match_singly(const Context& context, const Groups& groups,
                  const NearestSearch<T>& search, Coverage<T>* coverage,
                  Row* partner_of) {
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
                 partner_of[i] = search.partner(seeker, cursor);
               }
             });
}

struct Part {
  std::vector<Row> counts, rows, tied;
};

template <class T>
void match_tied(const Context& context, const Groups& groups,
                const NearestSearch<T>& search, bool stop_at_ties,
                Coverage<T>* coverage, NearestPairs& result) {
  take_road(Road::nearest_with_ties);
  const std::size_t n = groups.left_rows;
  std::vector<Part> parts(chunk_count(context, n));
  for_chunks(
      context, n, [&](std::size_t c, std::size_t begin, std::size_t end) {
        Part& part = parts[c];
        part.counts.reserve(end - begin);
        Hints hints(search.sorted());
        for (std::size_t i = begin; i < end; ++i) {
          std::size_t found = 0;
          if (!search.skips(i)) {
            const Seeker<T> seeker = search.seeker(i);
            const Cursor cursor = search.start(seeker, hints[seeker.group]);
            if (coverage) coverage->add(seeker, cursor);
            found = search.partners(seeker, cursor, part.rows);
          }
          part.counts.push_back(static_cast<Row>(found));
          if (found > 1 && stop_at_ties)
            part.tied.push_back(static_cast<Row>(i + 1));
        }
      });
  for (Part& part : parts) {
    auto append = [](std::vector<Row>& to, const std::vector<Row>& from) {
      to.insert(to.end(), from.begin(), from.end());
    };
    append(result.list.counts, part.counts);
    append(result.list.rows, part.rows);
    append(result.tied, part.tied);
    part = Part();
  }
  result.list.pairs = static_cast<double>(result.list.rows.size());
}

template <class T>
NearestPairs match_all(const Context& context, const Groups& groups,
                       const Nearest& nearest,
                       const std::vector<Comparison>& rules,
                       const std::uint8_t* skip_left,
                       const std::uint8_t* skip_right) {
  const NearestSearch<T> search(context, groups, nearest, rules, skip_left,
                                skip_right);
  std::unique_ptr<Coverage<T>> coverage;
  if (rules.empty()) coverage = std::make_unique<Coverage<T>>(search);
  NearestPairs result;
  const T* left = static_cast<const T*>(nearest.left);
  if (search.one_is_enough()) {
    result.partner_of.assign(groups.left_rows, 0);
    if (is_shuffled(context, groups, left))
      match_sorted(context, groups, search, left, skip_left, coverage.get(),
                   result.partner_of.data());
    else
      match_singly(context, groups, search, coverage.get(),
                   result.partner_of.data());
  } else {
    match_tied(context, groups, search, nearest.ties == Ties::stop,
               coverage.get(), result);
  }
  if (coverage) result.candidates = coverage->count();
  return result;
}

template <class T>
class OutwardSearchOf : public OutwardSearch {
 public:
  OutwardSearchOf(const Context& context, const Groups& groups,
                  const Nearest& nearest, const std::vector<Comparison>& rules,
                  const std::uint8_t* skip_left, const std::uint8_t* skip_right)
      : groups_(groups),
        nearest_(nearest),
        rules_(rules),
        search_(context, groups_, nearest_, rules_, skip_left, skip_right),
        progress_(groups.left_rows) {
    take_road(Road::nearest_in_rounds);
  }

  Round next(const std::vector<Row>& open, std::size_t most) override {
    Round round;
    std::size_t hint = 0;
    for (std::size_t place = 0; place < open.size(); ++place) {
      const std::size_t i = static_cast<std::size_t>(open[place]) - 1;
      if (search_.skips(i)) continue;
      Progress& at = progress_[i];
      const Seeker<T> seeker = search_.seeker(i);
      if (!at.started) {
        at.cursor = search_.start(seeker, hint);
        at.started = true;
      }
      std::size_t found = 0;
      for (;;) {
        const bool inside = at.point.low < at.point.high;
        if (found >= most && (search_.one_is_enough() || !inside)) break;
        if (!inside) {
          if (!search_.next(seeker, at.cursor, at.point)) break;
          ++at.number;
        }
        const std::size_t k = search_.take(at.point);
        if (!search_.holds(seeker, k)) continue;
        round.left.push_back(static_cast<Row>(place + 1));
        round.right.push_back(search_.sorted().row(k));
        round.point.push_back(at.number);
        ++found;
      }
    }
    return round;
  }

 private:
  Groups groups_;
  Nearest nearest_;
  std::vector<Comparison> rules_;
  NearestSearch<T> search_;
  struct Progress {
    Cursor cursor{0, 0};
    Point point{0, 0};
    Row number = 0;
    bool started = false;
  };
  std::vector<Progress> progress_;
};

}  // namespace

NearestPairs match_nearest(const Context& context, const Groups& groups,
                           const Nearest& nearest,
                           const std::vector<Comparison>& rules,
                           const std::uint8_t* skip_left,
                           const std::uint8_t* skip_right) {
  if (nearest.int64)
    return match_all<std::int64_t>(context, groups, nearest, rules, skip_left,
                                   skip_right);
  return match_all<double>(context, groups, nearest, rules, skip_left,
                           skip_right);
}

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
  one.reach = !on_side                                  ? Reach::other_side
              : apart <= as_distance<T>(nearest.within) ? Reach::near
                                                        : Reach::far;
  return one;
}

}  // namespace

Standing standing_of(const Nearest& nearest, std::size_t left,
                     std::size_t right) {
  return nearest.int64 ? standing<std::int64_t>(nearest, left, right)
                       : standing<double>(nearest, left, right);
}

OutwardSearch* OutwardSearch::make(const Context& context, const Groups& groups,
                                   const Nearest& nearest,
                                   const std::vector<Comparison>& rules,
                                   const std::uint8_t* skip_left,
                                   const std::uint8_t* skip_right) {
  if (nearest.int64)
    return new OutwardSearchOf<std::int64_t>(context, groups, nearest, rules,
                                             skip_left, skip_right);
  return new OutwardSearchOf<double>(context, groups, nearest, rules, skip_left,
                                     skip_right);
}

}  // namespace ronda::core
