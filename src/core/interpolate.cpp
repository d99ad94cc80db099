#include "interpolate.h"

#include "distance.h"
#include "missing.h"
#include "ordered_rules.h"
#include "parallel.h"

namespace ronda::core {
namespace {

// `partner(k)`: the right row, from 1 on, of partner k; `value(k)`: its value
template <class T, class Partner, class Value>
double between_partners(const Points& points, std::size_t left, std::size_t n,
                        const Partner& partner, const Value& value,
                        const Between& between) {
  const T x = static_cast<const T*>(points.left)[left];
  const T* at = static_cast<const T*>(points.right);
  if (is_missing(x)) return missing_double();
  std::size_t behind = n, ahead = n;  // n: none
  T low{}, high{};
  for (std::size_t k = 0; k < n; ++k) {
    const T y = at[static_cast<std::size_t>(partner(k)) - 1];
    if (is_missing(y)) continue;
    if (y <= x && (behind == n || y > low || (y == low && !between.first))) {
      behind = k;
      low = y;
    }
    if (y >= x && (ahead == n || y < high || (y == high && !between.first))) {
      ahead = k;
      high = y;
    }
  }
  if (behind == n && ahead == n) return missing_double();
  if (behind < n && low == x) return value(behind);
  if (behind == n || ahead == n)
    return between.alone ? value(behind == n ? ahead : behind)
                         : missing_double();
  const double from = value(behind), to = value(ahead);
  if (is_missing(from) || is_missing(to)) return missing_double();
  const double way = static_cast<double>(distance(low, x)) /
                     static_cast<double>(distance(low, high));
  // the way from infinity has no middle
  return is_missing(way) ? missing_double() : from + (to - from) * way;
}

template <class Partner, class Value>
double between_partners(const Points& points, std::size_t left, std::size_t n,
                        const Partner& partner, const Value& value,
                        const Between& between) {
  return points.int64 ? between_partners<std::int64_t>(points, left, n, partner,
                                                       value, between)
                      : between_partners<double>(points, left, n, partner,
                                                 value, between);
}

}  // namespace

void interpolate(const Context& context, const PairsView& pairs,
                 const Points& points, const double* values,
                 const Between& between, double* out) {
  for_chunks(
      context, pairs.left_rows,
      [&](std::size_t, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          const auto n = static_cast<std::size_t>(pairs.partner_count(i));
          const auto partner = [&](std::size_t k) {
            return pairs.partner(i, static_cast<Row>(k));
          };
          const auto value = [&](std::size_t k) {
            return values[static_cast<std::size_t>(partner(k)) - 1];
          };
          out[i] = between_partners(points, i, n, partner, value, between);
        }
      });
}

double interpolate(const Points& points, std::size_t left, const Row* partners,
                   std::size_t n, const double* values,
                   const Between& between) {
  return between_partners(
      points, left, n, [&](std::size_t k) { return partners[k]; },
      [&](std::size_t k) { return values[k]; }, between);
}

}  // namespace ronda::core
