#include "once.h"

#include <algorithm>
#include <array>
#include <queue>

#include "distance.h"
#include "left_groups.h"
#include "sorted_groups.h"

namespace ronda::core {

void once_in_order(const Context& context, const PairsView& pairs, Row* range) {
  Buffer<std::uint8_t> taken(pairs.right_rows, Start::zero);
  // how far each range is used up; left rows of one key share it
  Buffer<Row> used(pairs.starts ? pairs.ranges : 0, Start::zero);
  for_chunks_in_order(context, pairs.left_rows,
                      [&](std::size_t begin, std::size_t end) {
                        for (std::size_t i = begin; i < end; ++i) {
                          const Row own = pairs.range[i];
                          const Row n = pairs.partner_count(i);
                          Row none = 0;
                          Row& k = own && pairs.starts ? used[own - 1] : none;
                          while (k < n && taken[pairs.partner(i, k) - 1]) ++k;
                          range[i] = k < n ? pairs.partner(i, k) : 0;
                          if (range[i]) taken[range[i] - 1] = 1;
                        }
                      });
}

void once_as_listed(const Context& context, const Row* left, const Row* right,
                    std::size_t pairs, std::size_t right_rows, Row* range) {
  Buffer<std::uint8_t> taken(right_rows, Start::zero);
  for_chunks_in_order(context, pairs, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      if (range[left[k] - 1] || taken[right[k] - 1]) continue;
      range[left[k] - 1] = right[k];
      taken[right[k] - 1] = 1;
    }
  });
}

namespace {

// Rows of one side that wait at one place, in row order
struct Waiting {
  std::size_t next = 0, end = 0;
  bool empty() const { return next == end; }
};

// Places (values that some row of either side has) in order, those with rows
// still waiting linked to each other. Between the two rows of the closest pair
// no row waits: it would be closer to one of them. So the pairs to look at are
// those of places next to each other, and of one place.
template <class T>
class PairsOfGroup {
 public:
  PairsOfGroup(const SortedGroups<T>& left, const SortedGroups<T>& right,
               const Nearest& nearest, Row group, Row* range)
      : left_(left),
        right_(right),
        nearest_(nearest),
        within_(as_distance<T>(nearest.within)),
        range_(range) {
    list_places(group);
  }

  // asks from time to time whether to go on
  template <class MayGoOn>
  void run(MayGoOn&& may_go_on) {
    for (std::size_t place = 0; place < places_.size(); ++place) {
      offer(place, place);
      if (place + 1 < places_.size()) offer_both(place, place + 1);
    }
    for (std::size_t looked_at = 0; !offers_.empty(); ++looked_at) {
      if (looked_at % 65536 == 0 && !may_go_on()) return;
      const Offer best = offers_.top();
      offers_.pop();
      if (!stands(best)) continue;
      take(best.left_place, best.right_place);
    }
    if constexpr (std::is_same_v<T, double>)
      if (nearest_.within == INFINITY) take_infinite();
  }

 private:
  struct Place {
    T value;
    Waiting left, right;
    std::size_t before, after;
  };
  struct Offer {
    Distance<T> distance;
    Row left, right;
    std::size_t left_place, right_place;
    bool operator<(const Offer& other) const {  // the best one is on top
      if (distance != other.distance) return other.distance < distance;
      if (left != other.left) return other.left < left;
      return other.right < right;
    }
  };
  static constexpr std::size_t none = static_cast<std::size_t>(-1);

  void list_places(Row group) {
    std::size_t i = left_.begin(group), j = right_.begin(group);
    const std::size_t i_end = left_.end(group), j_end = right_.end(group);
    while (i < i_end || j < j_end) {
      const bool left_comes_first =
          j == j_end || (i < i_end && left_.value(i) <= right_.value(j));
      Place place{left_comes_first ? left_.value(i) : right_.value(j),
                  {i, i},
                  {j, j},
                  places_.empty() ? none : places_.size() - 1,
                  places_.size() + 1};
      while (i < i_end && left_.value(i) == place.value) ++i;
      while (j < j_end && right_.value(j) == place.value) ++j;
      place.left.end = i;
      place.right.end = j;
      places_.push_back(place);
    }
    if (!places_.empty()) places_.back().after = none;
  }

  Row left_row(std::size_t place) const {
    return left_.row(places_[place].left.next);
  }
  Row right_row(std::size_t place) const {
    return right_.row(places_[place].right.next);
  }

  bool allowed(T left, T right) const {
    if (left == right) return nearest_.equal;
    return nearest_.look == Look::either ||
           (nearest_.look == Look::back) == (right < left);
  }

  // the first left row of one place with the first right row of another
  void offer(std::size_t left_place, std::size_t right_place) {
    const Place& a = places_[left_place];
    const Place& b = places_[right_place];
    if (a.left.empty() || b.right.empty() || !allowed(a.value, b.value)) return;
    const Distance<T> apart =
        distance(std::min(a.value, b.value), std::max(a.value, b.value));
    if (!(apart <= within_)) return;
    if constexpr (std::is_same_v<T, double>)
      if (std::isinf(apart)) return;  // after all others
    offers_.push({apart, left_row(left_place), right_row(right_place),
                  left_place, right_place});
  }
  void offer_both(std::size_t place, std::size_t other) {
    if (place == none || other == none) return;
    offer(place, other);
    offer(other, place);
  }

  // whether both rows of an offer still wait
  bool stands(const Offer& offer) const {
    return !places_[offer.left_place].left.empty() &&
           !places_[offer.right_place].right.empty() &&
           left_row(offer.left_place) == offer.left &&
           right_row(offer.right_place) == offer.right;
  }

  void take(std::size_t left_place, std::size_t right_place) {
    range_[left_row(left_place) - 1] = right_row(right_place);
    ++places_[left_place].left.next;
    ++places_[right_place].right.next;
    settle(left_place);
    if (right_place != left_place) settle(right_place);
  }

  // offers anew what stands at a place and next to it; an empty place goes
  void settle(std::size_t place) {
    Place& here = places_[place];
    if (here.left.empty() && here.right.empty()) {
      if (here.before != none) places_[here.before].after = here.after;
      if (here.after != none) places_[here.after].before = here.before;
      offer_both(here.before, here.after);
      return;
    }
    offer(place, place);
    offer_both(here.before, place);
    offer_both(place, here.after);
  }

  // What is left is infinitely far apart, or not allowed: left rows in turn
  // take the first right row. Rows at -Inf, at numbers and at Inf are alike.
  void take_infinite() {
    std::array<std::vector<Row>, 3> waiting;
    std::vector<std::pair<Row, int>> seekers;
    for (const Place& place : places_) {
      const int kind = !std::isinf(place.value) ? 1 : place.value < 0 ? 0 : 2;
      for (std::size_t k = place.left.next; k < place.left.end; ++k)
        seekers.emplace_back(left_.row(k), kind);
      for (std::size_t k = place.right.next; k < place.right.end; ++k)
        waiting[static_cast<std::size_t>(kind)].push_back(right_.row(k));
    }
    std::sort(seekers.begin(), seekers.end());
    for (auto& rows : waiting)
      std::sort(rows.begin(), rows.end(), std::greater<Row>());
    for (const auto& [row, kind] : seekers) {
      std::vector<Row>* best = nullptr;
      for (int other = 0; other < 3; ++other) {
        std::vector<Row>& rows = waiting[static_cast<std::size_t>(other)];
        if (other == kind || rows.empty() || !allowed(kind, other)) continue;
        if (!best || rows.back() < best->back()) best = &rows;
      }
      if (!best) continue;
      range_[row - 1] = best->back();
      best->pop_back();
    }
  }

  const SortedGroups<T>& left_;
  const SortedGroups<T>& right_;
  const Nearest& nearest_;
  Distance<T> within_;
  Row* range_;
  std::vector<Place> places_;
  std::priority_queue<Offer> offers_;
};

template <class T>
void once_nearest_of(const Context& context, const Groups& groups,
                     const Nearest& nearest, const std::uint8_t* skip_left,
                     const std::uint8_t* skip_right, Row* range) {
  const LeftGroups listed(context, groups);
  SortedGroups<T> left, right;
  left.build(context, listed.view, static_cast<const T*>(nearest.left),
             skip_left);
  right.build(context, groups, static_cast<const T*>(nearest.right),
              skip_right);
  Context each = context;
  each.chunk_rows = std::max<std::size_t>(1, groups.groups / 64);
  for_chunks_by_hand(
      each, groups.groups,
      [&](std::size_t, std::size_t begin, std::size_t end, Crew::Hand& hand) {
        for (std::size_t s = begin; s < end; ++s)
          PairsOfGroup<T>(left, right, nearest, static_cast<Row>(s + 1), range)
              .run([&] { return hand.may_go_on(); });
      });
}

}  // namespace

void once_nearest(const Context& context, const Groups& groups,
                  const Nearest& nearest, const std::uint8_t* skip_left,
                  const std::uint8_t* skip_right, Row* range) {
  take_road(Road::once_by_distance);
  if (nearest.int64)
    once_nearest_of<std::int64_t>(context, groups, nearest, skip_left,
                                  skip_right, range);
  else
    once_nearest_of<double>(context, groups, nearest, skip_left, skip_right,
                            range);
}

}  // namespace ronda::core
