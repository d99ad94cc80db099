// Each left row looks up its place among the sorted right values of its group
// and walks outward, point by point (a point is all right rows of one value),
// until a candidate holds. Left rows in time order start where the row before
// them ended, so sorted data is walked through once.
#pragma once
#include "nearest_match.h"
#include "search.h"
#include "sorted_groups.h"

namespace ronda::core {

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
        near_(nearest) {
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
      const bool equal =
          cursor.back > begin && !(sorted_.value(cursor.back - 1) < x);
      if (nearest_.look == Look::both && equal)
        cursor.ahead = run_begin(begin, cursor.back);
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
    return next(seeker, cursor, point, nearest_.look);
  }
  bool next(const Seeker<T>& seeker, Cursor& cursor, Point& point,
            Look look) const {
    const std::size_t begin = sorted_.begin(seeker.group);
    const std::size_t end = sorted_.end(seeker.group);
    const T x = seeker.x;
    const bool behind = look != Look::ahead && cursor.back > begin &&
                        within(cursor.back - 1, seeker);
    const bool before = look != Look::back && cursor.ahead < end &&
                        within(cursor.ahead, seeker);
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
  // Whether a point may be left half used: as many rows as are wanted, no more
  bool counts_rows() const {
    return nearest_.ties == Ties::last || nearest_.ties == Ties::first;
  }
  bool one_is_enough() const { return nearest_.n == 1 && counts_rows(); }

  bool holds(const Seeker<T>& seeker, std::size_t position) const {
    return rules_.empty() ||
           compare_rows(rules_, seeker.row,
                        static_cast<std::size_t>(sorted_.row(position)) - 1) ==
               Outcome::yes;
  }

  // Appends the partners, in right order; returns how many they are (of both
  // sides: on the one that has more).
  std::size_t partners(const Seeker<T>& seeker, Cursor cursor,
                       std::vector<Row>& rows) const {
    const auto before = static_cast<std::ptrdiff_t>(rows.size());
    if (nearest_.look != Look::both) {
      const std::size_t found = outward(seeker, cursor, nearest_.look, rows);
      if (nearest_.n > 1) std::sort(rows.begin() + before, rows.end());
      return found;
    }
    const std::size_t found =
        std::max(outward(seeker, cursor, Look::back, rows),
                 outward(seeker, cursor, Look::ahead, rows));
    std::sort(rows.begin() + before, rows.end());
    rows.erase(std::unique(rows.begin() + before, rows.end()), rows.end());
    return found;
  }

  // The first partner alone, 0 for none
  Row partner(const Seeker<T>& seeker, Cursor cursor, Look look) const {
    if (look == Look::back && nearest_.ties == Ties::last) {
      // From the nearest down, place by place.
      const std::size_t begin = sorted_.begin(seeker.group);
      for (std::size_t k = cursor.back; k > begin && within(k - 1, seeker);)
        if (holds(seeker, --k)) return sorted_.row(k);
      return 0;
    }
    Point point;
    while (next(seeker, cursor, point, look))
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
    while (low > begin && within(low - 1, seeker))
      low -= std::min(step *= 2, low - begin);
    return {partition(low, cursor.back,
                      [&](std::size_t k) { return !within(k, seeker); }),
            cursor.back};
  }
  Point before(const Seeker<T>& seeker, const Cursor& cursor) const {
    if (nearest_.look == Look::back) return {cursor.ahead, cursor.ahead};
    const std::size_t end = sorted_.end(seeker.group);
    if (unlimited()) return {cursor.ahead, end};
    std::size_t step = 1, high = cursor.ahead;
    while (high < end && within(high, seeker))
      high += std::min(step *= 2, end - high);
    return {cursor.ahead, partition(cursor.ahead, high, [&](std::size_t k) {
              return within(k, seeker);
            })};
  }
  bool has_no_rules() const { return rules_.empty(); }
  bool unlimited() const { return nearest_.unlimited(); }

 private:
  bool within(std::size_t k, const Seeker<T>& seeker) const {
    return near_(seeker.row, seeker.x, sorted_.value(k));
  }

  // Appends the partners on one side or on either one, the nearest first
  std::size_t outward(const Seeker<T>& seeker, Cursor cursor, Look look,
                      std::vector<Row>& rows) const {
    std::size_t found = 0;
    Point point;
    while (found < nearest_.n && next(seeker, cursor, point, look)) {
      while (point.low < point.high) {
        const std::size_t k = take(point);
        if (!holds(seeker, k)) continue;
        rows.push_back(sorted_.row(k));
        ++found;
        if (counts_rows() && found == nearest_.n) break;
      }
    }
    return found;
  }

  const Groups& groups_;
  const Nearest& nearest_;
  const std::vector<Comparison>& rules_;
  const std::uint8_t* skip_left_;
  const T* left_;
  NearEnough<T> near_;
  SortedGroups<T> sorted_;
};

}  // namespace ronda::core
