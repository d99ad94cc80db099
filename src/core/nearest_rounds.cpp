#include "nearest_rounds.h"

#include "nearest_search.h"

namespace ronda::core {
namespace {

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
        if (found >= most && (search_.counts_rows() || !inside)) break;
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
