#include "nearest_merge.h"

#include <numeric>

#include "distance.h"
#include "parallel.h"
#include "roads.h"
#include "search.h"

namespace ronda::core {
namespace {

struct NoGroup {
  int operator[](std::size_t) const { return 0; }
};
inline bool missing_group(int) { return false; }
template <class G>
bool missing_group(G value) {
  return is_missing(value);
}

struct Int32Group {
  const std::int32_t* values;
  std::int64_t operator[](std::size_t i) const {
    return values[i] == INT32_MIN ? INT64_MIN : values[i];
  }
};

// No branches: where groups are small, most would be predicted wrongly.
inline bool both(bool a, bool b) { return (static_cast<int>(a) & b) != 0; }
inline bool either(bool a, bool b) { return (static_cast<int>(a) | b) != 0; }

template <class G, class T>
struct Timeline {
  G group;
  const T* time;
  std::size_t rows;

  bool sound(std::size_t i) const {
    return both(!missing_group(group[i]), !is_missing(time[i]));
  }
  // row i comes after (g, t)
  template <class Value>
  bool after(std::size_t i, Value g, T t) const {
    return either(group[i] > g, both(group[i] == g, time[i] > t));
  }
  bool in_order(std::size_t i) const {
    return sound(i) && (i == 0 || !after(i - 1, group[i], time[i]));
  }
  bool in_order(std::size_t begin, std::size_t end) const {
    bool ordered = begin == end || in_order(begin);
    for (std::size_t i = begin + 1; i < end; ++i)
      ordered = both(ordered, both(sound(i), !after(i - 1, group[i], time[i])));
    return ordered;
  }
  // the first row from `begin` on for which `holds` does not hold
  template <class Holds>
  std::size_t partition(std::size_t begin, Holds&& holds) const {
    return core::partition(begin, rows, holds);
  }
};

// Walks one chunk of left rows; false when it is not in order.
template <class G, class T>
class Walk {
 public:
  Walk(const Timeline<G, T>& left, const Timeline<G, T>& right, double within)
      : left_(left),
        right_(right),
        limited_(!std::isinf(within)),
        within_(as_distance<T>(within)) {}

  bool run(std::size_t begin, std::size_t end, Row* partner_of) {
    if (limited_) return run_limited(begin, end, partner_of);
    std::size_t at = begin ? reached_before(begin) : 0, covered = 0;
    for (std::size_t i = begin; i < end; ++i) {
      const auto g = left_.group[i];
      const T t = left_.time[i];
      for (; at < right_.rows && !right_.after(at, g, t); ++at)
        covered += right_.group[at] == g;
      const bool found = at > 0 && right_.group[at - 1] == g;
      partner_of[i] = found ? static_cast<Row>(at) : 0;
    }
    covered_ = covered;
    return left_.in_order(begin, end);
  }
  std::size_t covered() const { return covered_; }

 private:
  bool run_limited(std::size_t begin, std::size_t end, Row* partner_of) {
    if (!left_.in_order(begin)) return false;
    start(begin);
    auto group = left_.group[begin];
    T last = left_.time[begin];
    for (std::size_t i = begin; i < end; ++i) {
      const auto g = left_.group[i];
      const T t = left_.time[i];
      if (g == group) {
        if (!(t >= last)) return false;
      } else {
        if (!(g > group) || is_missing(t)) return false;
        cover();
        group = g;
        while (at_ < right_.rows && right_.group[at_] < g) ++at_;
        low_ = at_;
      }
      last = t;
      while (at_ < right_.rows && right_.group[at_] == g &&
             right_.time[at_] <= t)
        ++at_;
      while (low_ < at_ && distance(right_.time[low_], t) > within_) ++low_;
      partner_of[i] = low_ < at_ ? static_cast<Row>(at_) : 0;
      cover();
    }
    cover();
    return true;
  }
  // Counts the right rows that came near since the last call.
  void cover() {
    const std::size_t from = std::max(low_, until_);
    if (at_ > from) covered_ += at_ - from;
    until_ = std::max(until_, at_);
  }
  // Where the row before this chunk had come to
  void start(std::size_t begin) {
    const auto g = left_.group[begin];
    until_ = begin ? reached_before(begin) : 0;
    low_ =
        right_.partition(0, [&](std::size_t k) { return right_.group[k] < g; });
    const T t = left_.time[begin];
    low_ = right_.partition(low_, [&](std::size_t k) {
      return right_.group[k] == g && right_.time[k] < t &&
             distance(right_.time[k], t) > within_;
    });
    at_ = std::max(low_, until_);
  }
  std::size_t reached_before(std::size_t row) const {
    const auto g = left_.group[row - 1];
    const T t = left_.time[row - 1];
    return right_.partition(
        0, [&](std::size_t k) { return !right_.after(k, g, t); });
  }
  const Timeline<G, T>& left_;
  const Timeline<G, T>& right_;
  const bool limited_;
  const Distance<T> within_;
  std::size_t at_ = 0, low_ = 0, until_ = 0, covered_ = 0;
};

template <class G, class T>
MergeResult merge(const Context& context, const Timeline<G, T>& left,
                  const Timeline<G, T>& right, double within, Row* partner_of) {
  MergeResult result;
  const std::size_t few = 1000;  // most shuffled data is told by these
  if (!left.in_order(0, std::min(few, left.rows)) ||
      !right.in_order(0, std::min(few, right.rows)))
    return result;
  std::atomic<bool> sorted{true};
  for_chunks(context, right.rows,
             [&](std::size_t, std::size_t begin, std::size_t end) {
               if (sorted && !right.in_order(begin, end)) sorted = false;
             });
  if (!sorted) return result;
  std::vector<std::size_t> covered(chunk_count(context, left.rows), 0);
  for_chunks(context, left.rows,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               if (!sorted) return;
               Walk<G, T> walk(left, right, within);
               if (!walk.run(begin, end, partner_of)) sorted = false;
               covered[k] = walk.covered();
             });
  result.sorted = sorted;
  if (sorted) take_road(Road::nearest_walked);
  result.candidates = static_cast<double>(
      std::accumulate(covered.begin(), covered.end(), std::size_t{0}));
  return result;
}

}  // namespace

MergeResult merge_nearest(const Context& context, const Keys& left_keys,
                          const Keys& right_keys, const Nearest& nearest,
                          std::size_t left_rows, std::size_t right_rows,
                          Row* partner_of) {
  auto with_groups = [&](auto left_group, auto right_group) {
    using G = decltype(left_group);
    auto with_times = [&](auto* left_time, auto* right_time) {
      using T = std::remove_const_t<std::remove_pointer_t<decltype(left_time)>>;
      return merge(context, Timeline<G, T>{left_group, left_time, left_rows},
                   Timeline<G, T>{right_group, right_time, right_rows},
                   nearest.within, partner_of);
    };
    if (nearest.int64)
      return with_times(static_cast<const std::int64_t*>(nearest.left),
                        static_cast<const std::int64_t*>(nearest.right));
    return with_times(static_cast<const double*>(nearest.left),
                      static_cast<const double*>(nearest.right));
  };
  if (left_keys.columns.empty()) return with_groups(NoGroup{}, NoGroup{});
  const void* left = left_keys.columns[0].data;
  const void* right = right_keys.columns[0].data;
  switch (left_keys.columns[0].kind) {
    case KeyKind::int32:
      return with_groups(Int32Group{static_cast<const std::int32_t*>(left)},
                         Int32Group{static_cast<const std::int32_t*>(right)});
    case KeyKind::real:
      return with_groups(static_cast<const double*>(left),
                         static_cast<const double*>(right));
    case KeyKind::int64:
      return with_groups(static_cast<const std::int64_t*>(left),
                         static_cast<const std::int64_t*>(right));
    default:
      return {};
  }
}

}  // namespace ronda::core
