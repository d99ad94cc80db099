// Each left row looks up its place among the sorted right values of its group
// and walks outward, point by point (a point is all right rows of one value),
// until a candidate holds. Left rows in time order start where the row before
// them ended, so sorted data is walked through once.
#include "nearest_match.h"

#include <memory>
#include <type_traits>

#include "sorted_groups.h"

namespace ronda::core {
namespace {

// Distances that can't overflow
template <class T>
using Distance = std::conditional_t<std::is_same_v<T, double>, double,
                                    std::uint64_t>;

template <class T>
Distance<T> distance(T low, T high) {
  if constexpr (std::is_same_v<T, double>)
    return high == low ? 0 : high - low;  // infinite points too
  return static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low);
}

template <class T>
Distance<T> as_distance(double within) {
  if constexpr (std::is_same_v<T, double>) return within;
  return within >= 1.8e19 ? UINT64_MAX : static_cast<std::uint64_t>(within);
}

// What lies behind ends before `back`; what lies ahead begins at `ahead`.
struct Cursor {
  std::size_t back, ahead;
};
struct Point {
  std::size_t low, high;
};

// Where the last search in each group ended; for very many groups only the
// last search of all.
class Hints {
 public:
  template <class T>
  explicit Hints(const SortedGroups<T>& sorted) {
    if (sorted.starts.size() <= (std::size_t{1} << 14))
      places_.assign(sorted.starts.begin(), sorted.starts.end() - 1);
    else
      places_.assign(1, 0);
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
        within_(as_distance<T>(nearest.within)),
        sorted_(sort_groups(context, groups,
                            static_cast<const T*>(nearest.right), skip_right)) {
  }
  const SortedGroups<T>& sorted() const { return sorted_; }

  bool skips(std::size_t i) const {
    return !groups_.group[i] || is_missing(left_[i]) ||
           (skip_left_ && skip_left_[i]);
  }

  Cursor start(std::size_t i, std::size_t& hint) const {
    const Row group = groups_.group[i];
    const std::size_t begin = sorted_.begin(group), end = sorted_.end(group);
    const auto& values = sorted_.values;
    const T x = left_[i];
    const bool behind_equal =
        nearest_.equal && nearest_.look != Look::ahead;
    Cursor cursor;
    if (behind_equal) {
      cursor.back = cursor.ahead = first_above(values, begin, end, x, hint);
    } else {
      cursor.back = first_at_or_above(values, begin, end, x, hint);
      cursor.ahead = nearest_.equal
                         ? cursor.back
                         : first_above(values, begin, end, x, cursor.back);
    }
    hint = cursor.back;
    return cursor;
  }

  // The next point outward, false when none is left within the distance
  bool next(std::size_t i, Cursor& cursor, Point& point) const {
    const Row group = groups_.group[i];
    const std::size_t begin = sorted_.begin(group), end = sorted_.end(group);
    const auto& values = sorted_.values;
    const T x = left_[i];
    const bool behind = nearest_.look != Look::ahead && cursor.back > begin &&
                        distance(values[cursor.back - 1], x) <= within_;
    const bool before = nearest_.look != Look::back && cursor.ahead < end &&
                        distance(x, values[cursor.ahead]) <= within_;
    if (!behind && !before) return false;
    if (behind && (!before || distance(values[cursor.back - 1], x) <=
                                  distance(x, values[cursor.ahead]))) {
      point.high = cursor.back;
      point.low = cursor.back =
          first_at_or_above(values, begin, cursor.back,
                            values[cursor.back - 1], cursor.back - 1);
    } else {
      point.low = cursor.ahead;
      point.high = cursor.ahead = first_above(values, cursor.ahead, end,
                                              values[cursor.ahead],
                                              cursor.ahead);
    }
    return true;
  }

  // The candidate of a point to try next: right order, or the other way
  // round where the last one is wanted.
  std::size_t take(Point& point) const {
    return nearest_.ties == Ties::last ? --point.high : point.low++;
  }
  bool one_is_enough() const {
    return nearest_.ties == Ties::last || nearest_.ties == Ties::first;
  }

  bool holds(std::size_t i, std::size_t position) const {
    return rules_.empty() ||
           compare_rows(rules_, i,
                        static_cast<std::size_t>(sorted_.rows[position]) - 1) ==
               Outcome::yes;
  }

  // Appends the partners of left row i; returns how many stand at the point.
  std::size_t partners(std::size_t i, std::size_t& hint,
                       std::vector<Row>& rows) const {
    if (skips(i)) return 0;
    Cursor cursor = start(i, hint);
    Point point;
    while (next(i, cursor, point)) {
      std::size_t found = 0;
      while (point.low < point.high) {
        const std::size_t k = take(point);
        if (!holds(i, k)) continue;
        rows.push_back(sorted_.rows[k]);
        ++found;
        if (one_is_enough()) break;
      }
      if (found) return found;
    }
    return 0;
  }

  // Marks the right values near enough to left row i, as steps up and down.
  void cover(std::size_t i, std::size_t& hint, std::vector<Row>& steps) const {
    if (skips(i)) return;
    const Row group = groups_.group[i];
    const Cursor cursor = start(i, hint);
    const T x = left_[i];
    auto mark = [&](std::size_t low, std::size_t high) {
      if (low >= high) return;
      __atomic_fetch_add(&steps[low], 1, __ATOMIC_RELAXED);
      __atomic_fetch_sub(&steps[high], 1, __ATOMIC_RELAXED);
    };
    if (nearest_.look != Look::ahead)
      mark(partition(sorted_.begin(group), cursor.back,
                     [&](std::size_t k) {
                       return distance(sorted_.values[k], x) > within_;
                     }),
           cursor.back);
    if (nearest_.look != Look::back)
      mark(cursor.ahead,
           partition(cursor.ahead, sorted_.end(group), [&](std::size_t k) {
             return distance(x, sorted_.values[k]) <= within_;
           }));
  }

 private:
  // the first position in [low, high) where `holds` no longer does
  template <class Holds>
  static std::size_t partition(std::size_t low, std::size_t high,
                               Holds&& holds) {
    while (low < high) {
      const std::size_t middle = low + (high - low) / 2;
      if (holds(middle))
        low = middle + 1;
      else
        high = middle;
    }
    return low;
  }

  const Groups& groups_;
  const Nearest& nearest_;
  const std::vector<Comparison>& rules_;
  const std::uint8_t* skip_left_;
  const T* left_;
  Distance<T> within_;
  SortedGroups<T> sorted_;
};

template <class T>
double count_candidates(const Context& context, const NearestSearch<T>& search,
                        std::size_t left_rows) {
  std::vector<Row> steps(search.sorted().rows.size() + 1, 0);
  for_chunks(context, left_rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               Hints hints(search.sorted());
               std::size_t none = 0;
               for (std::size_t i = begin; i < end; ++i)
                 if (!search.skips(i)) search.cover(i, none, steps);
             });
  double covered = 0;
  std::int64_t depth = 0;
  for (Row step : steps) {
    depth += step;
    covered += depth > 0;
  }
  return covered;
}

struct Part {
  std::vector<Row> counts, rows, tied;
};

template <class T>
NearestPairs match_all(const Context& context, const Groups& groups,
                       const Nearest& nearest,
                       const std::vector<Comparison>& rules,
                       const std::uint8_t* skip_left,
                       const std::uint8_t* skip_right) {
  const NearestSearch<T> search(context, groups, nearest, rules, skip_left,
                                skip_right);
  const std::size_t n = groups.left_rows;
  std::vector<Part> parts(chunk_count(context, n));
  for_chunks(context, n, [&](std::size_t c, std::size_t begin,
                             std::size_t end) {
    Part& part = parts[c];
    part.counts.reserve(end - begin);
    part.rows.reserve(end - begin);
    Hints hints(search.sorted());
    for (std::size_t i = begin; i < end; ++i) {
      const std::size_t before = part.rows.size();
      const std::size_t found =
          groups.group[i]
              ? search.partners(i, hints[groups.group[i]], part.rows)
              : 0;
      part.counts.push_back(static_cast<Row>(part.rows.size() - before));
      if (found > 1 && nearest.ties == Ties::stop)
        part.tied.push_back(static_cast<Row>(i + 1));
    }
  });
  NearestPairs result;
  result.list.counts.reserve(n);
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
  if (rules.empty()) result.candidates = count_candidates(context, search, n);
  return result;
}

template <class T>
class OutwardSearchOf : public OutwardSearch {
 public:
  OutwardSearchOf(const Context& context, const Groups& groups,
                  const Nearest& nearest, const std::vector<Comparison>& rules,
                  const std::uint8_t* skip_left,
                  const std::uint8_t* skip_right)
      : groups_(groups),
        nearest_(nearest),
        rules_(rules),
        search_(context, groups_, nearest_, rules_, skip_left, skip_right),
        progress_(groups.left_rows) {}

  Round next(const std::vector<Row>& open, std::size_t most) override {
    Round round;
    std::size_t hint = 0;
    for (std::size_t place = 0; place < open.size(); ++place) {
      const std::size_t i = static_cast<std::size_t>(open[place]) - 1;
      if (search_.skips(i)) continue;
      Progress& at = progress_[i];
      if (!at.started) {
        at.cursor = search_.start(i, hint);
        at.started = true;
      }
      std::size_t found = 0;
      for (;;) {
        const bool inside = at.point.low < at.point.high;
        if (found >= most && (search_.one_is_enough() || !inside)) break;
        if (!inside) {
          if (!search_.next(i, at.cursor, at.point)) break;
          ++at.number;
        }
        const std::size_t k = search_.take(at.point);
        if (!search_.holds(i, k)) continue;
        round.left.push_back(static_cast<Row>(place + 1));
        round.right.push_back(search_.sorted().rows[k]);
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

OutwardSearch* OutwardSearch::make(const Context& context,
                                   const Groups& groups,
                                   const Nearest& nearest,
                                   const std::vector<Comparison>& rules,
                                   const std::uint8_t* skip_left,
                                   const std::uint8_t* skip_right) {
  if (nearest.int64)
    return new OutwardSearchOf<std::int64_t>(context, groups, nearest, rules,
                                             skip_left, skip_right);
  return new OutwardSearchOf<double>(context, groups, nearest, rules,
                                     skip_left, skip_right);
}

}  // namespace ronda::core
