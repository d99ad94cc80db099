// At most two comparisons are indexed: one that bounds a right number from
// above (right <= left) and one that bounds it, or another right number, from
// below. Right rows are sorted by the first; within the prefix that it allows,
// the second is a range too where its numbers ascend likewise (windows, bands
// that don't overlap). Else the highest number so far, which ascends, tells
// where the rows begin that may hold; where these are many a tree of maxima
// finds the ones that do. All other comparisons are tried on the rows found.
// The indexed ones are searched as if ends belonged to them, so that values on
// an excluded end can be told.
#include "range_match.h"

#include <memory>
#include <type_traits>

#include "search.h"
#include "sorted_groups.h"

namespace ronda::core {
namespace {

bool bounds_above(const Comparison& rule) {
  return rule.op == Compare::greater || rule.op == Compare::greater_equal;
}
bool bounds_below(const Comparison& rule) {
  return rule.op == Compare::less || rule.op == Compare::less_equal;
}

// The two comparisons to index (null where there is none)
struct Choice {
  const Comparison* above = nullptr;
  const Comparison* below = nullptr;
};

Choice choose(const std::vector<Comparison>& rules) {
  Choice choice;
  for (const Comparison& rule : rules)
    if (!choice.above && bounds_above(rule)) choice.above = &rule;
  for (const Comparison& rule : rules)
    if (!choice.below && bounds_below(rule) &&
        (!choice.above || rule.int64 == choice.above->int64))
      choice.below = &rule;
  return choice;
}

// Largest values of a sorted list's second number, as a binary tree over
// blocks of positions
template <class T>
class MaxTree {
 public:
  explicit MaxTree(const std::vector<T>& values) : values_(values) {
    size_ = 1;
    while (size_ < values.size()) size_ *= 2;
    top_.assign(2 * size_, lowest());
    std::copy(values.begin(), values.end(),
              top_.begin() + static_cast<std::ptrdiff_t>(size_));
    for (std::size_t k = size_ - 1; k > 0; --k)
      top_[k] = std::max(top_[2 * k], top_[2 * k + 1]);
  }
  // found(position) for every position in [begin, end) with value >= least
  template <class Found>
  void at_least(std::size_t begin, std::size_t end, T least,
                Found&& found) const {
    descend(1, 0, size_, begin, end, least, found);
  }

 private:
  static T lowest() {
    if constexpr (std::is_same_v<T, double>) return -INFINITY;
    return INT64_MIN;
  }
  template <class Found>
  void descend(std::size_t node, std::size_t from, std::size_t to,
               std::size_t begin, std::size_t end, T least,
               Found& found) const {
    if (to <= begin || end <= from || top_[node] < least) return;
    if (to - from == 1) {
      found(from);
      return;
    }
    const std::size_t middle = from + (to - from) / 2;
    descend(2 * node, from, middle, begin, end, least, found);
    descend(2 * node + 1, middle, to, begin, end, least, found);
  }
  const std::vector<T>& values_;
  std::size_t size_;
  std::vector<T> top_;
};

template <class T>
class RangeMatcher {
 public:
  RangeMatcher(const Context& context, const Groups& groups,
               const std::vector<Comparison>& rules, const Choice& choice,
               const std::uint8_t* skip_left, const std::uint8_t* skip_right)
      : groups_(groups), choice_(choice), skip_left_(skip_left) {
    const Comparison* key = choice.above ? choice.above : choice.below;
    sorted_.build(context, groups, key->template right_as<T>(), skip_right);
    for (const Comparison& rule : rules)
      if (&rule != choice.above && &rule != choice.below)
        others_.push_back(rule);
    if (choice.above && choice.below) index_second(context);
    spans_ = counts_from_ranges() && sorted_.is_identity();
  }

  // The range of sorted positions to look at; all of it pairs when
  // `exact()`, but for rows on an excluded end.
  void range(std::size_t i, std::size_t hint, std::size_t& low,
             std::size_t& high) const {
    const Row group = groups_.group[i];
    low = sorted_.begin(group);
    high = sorted_.end(group);
    if (choice_.above) {
      const T x = choice_.above->template left_as<T>()[i];
      high = sorted_.first_above(low, high, x, hint);
    }
    if (choice_.below && !tree_) {
      const T y = choice_.below->template left_as<T>()[i];
      low = same_ || !choice_.above
                ? sorted_.first_at_or_above(low, high, y, low)
                : first_second(ascends_ ? second_ : highest_, low, high, y);
    }
  }

  bool skips(std::size_t i) const {
    if (!groups_.group[i] || (skip_left_ && skip_left_[i])) return true;
    return (choice_.above &&
            is_missing(choice_.above->template left_as<T>()[i])) ||
           (choice_.below &&
            is_missing(choice_.below->template left_as<T>()[i]));
  }

  // Appends the partners of left row i to `rows`; returns whether a value of
  // it lies on an excluded end. `hint` is where the last row's search ended.
  bool partners(std::size_t i, std::size_t& hint,
                std::vector<Row>& rows) const {
    if (skips(i)) return false;
    std::size_t low, high;
    range(i, hint, low, high);
    hint = high;
    if (counts_from_ranges()) {
      add_all(low, high, rows);
      return false;
    }
    const std::size_t before = rows.size();
    bool on_end = false;
    auto look_at = [&](std::size_t k) {
      switch (outcome(i, k)) {
        case Outcome::yes:
          rows.push_back(sorted_.row(k));
          break;
        case Outcome::on_end:
          on_end = true;
          break;
        case Outcome::no:
          break;
      }
    };
    if (tree_) {
      const T least = choice_.below->template left_as<T>()[i];
      tree_->at_least(low, high, least, look_at);
    } else {
      for (std::size_t k = low; k < high; ++k) look_at(k);
    }
    put_in_order(before, rows);
    return on_end;
  }

  // Where the partners of left row i are all rows of a range that stand in
  // right order one after the other: that range; false where they have to be
  // listed.
  bool span(std::size_t i, std::size_t& hint, std::size_t& low,
            std::size_t& high) const {
    if (!spans_) return false;
    low = high = 0;
    if (skips(i)) return true;
    range(i, hint, low, high);
    hint = high;
    low = std::min(low, high);
    return true;
  }

  void tell_road() const {
    take_road(tree_      ? Road::ranges_by_tree
              : ascends_ ? Road::ranges_ascending
                         : Road::ranges_by_one);
  }
  bool counts_from_ranges() const {
    return others_.empty() && highest_.empty() && !is_strict(choice_.above) &&
           !is_strict(choice_.below);
  }

 private:
  // all rows of a range of positions
  void add_all(std::size_t low, std::size_t high,
               std::vector<Row>& rows) const {
    const std::size_t before = rows.size();
    if (low >= high) return;
    rows.resize(before + high - low);
    for (std::size_t k = low; k < high; ++k)
      rows[before + k - low] = sorted_.row(k);
    put_in_order(before, rows);
  }
  void put_in_order(std::size_t before, std::vector<Row>& rows) const {
    if (!sorted_.rows_ascend() && rows.size() > before + 1)
      std::sort(rows.begin() + static_cast<std::ptrdiff_t>(before), rows.end());
  }
  static bool is_strict(const Comparison* rule) {
    return rule && (rule->op == Compare::less || rule->op == Compare::greater);
  }

  void index_second(const Context& context) {
    same_ = choice_.above->right == choice_.below->right;
    if (same_) return;
    const T* second = choice_.below->template right_as<T>();
    second_.resize(sorted_.size());
    for_rows(context, second_.size(),
             [&](std::size_t k) { second_[k] = second[sorted_.row(k) - 1]; });
    ascends_ = true;
    for (Row s = 1; s <= static_cast<Row>(sorted_.groups()) && ascends_; ++s)
      for (std::size_t k = sorted_.begin(s); k < sorted_.end(s); ++k)
        ascends_ = ascends_ && !is_missing(second_[k]) &&
                   (k == sorted_.begin(s) || second_[k - 1] <= second_[k]);
    if (ascends_) return;
    for (T& value : second_)
      if (is_missing(value)) value = lowest();
    highest_ = second_;
    for (Row s = 1; s <= static_cast<Row>(sorted_.groups()); ++s)
      for (std::size_t k = sorted_.begin(s) + 1; k < sorted_.end(s); ++k)
        highest_[k] = std::max(highest_[k], highest_[k - 1]);
    if (rows_to_look_at() >
        std::min(few_to_look_at, static_cast<double>(context.chunk_rows)))
      tree_ = std::make_unique<MaxTree<T>>(second_);
  }
  // how many rows a left row has to look at without a tree, by some of them
  double rows_to_look_at() const {
    const std::size_t n = groups_.left_rows;
    const std::size_t looks = std::min<std::size_t>(n, 1000);
    std::size_t rows = 0, looked = 0;
    for (std::size_t look = 0; look < looks; ++look) {
      const std::size_t i = look * (n / looks);
      if (skips(i)) continue;
      std::size_t low, high;
      range(i, 0, low, high);
      rows += high - std::min(low, high);
      ++looked;
    }
    return looked ? static_cast<double>(rows) / static_cast<double>(looked) : 0;
  }
  static constexpr double few_to_look_at = 24;
  static T lowest() {
    if constexpr (std::is_same_v<T, double>) return -INFINITY;
    return INT64_MIN;
  }

  // The first position in [low, high) whose number is not below y: most often
  // one of the last, so it is looked for from there, in growing steps.
  static std::size_t first_second(const std::vector<T>& values, std::size_t low,
                                  std::size_t high, T y) {
    std::size_t step = 1;
    while (high > low && !(values[high - 1] < y)) {
      const std::size_t back = std::min(step, high - low);
      if (values[high - back] < y)
        return partition(high - back, high,
                         [&](std::size_t k) { return values[k] < y; });
      high -= back;
      step *= 2;
    }
    return high;
  }

  // The rules asked of the row at position k. (Right values are read where they
  // stand sorted, side by side, and not where their rows are.)
  Outcome outcome(std::size_t i, std::size_t k) const {
    Outcome all = Outcome::yes;
    if (choice_.above) {
      all = compare(choice_.above->template left_as<T>()[i], sorted_.value(k),
                    *choice_.above);
      if (all == Outcome::no) return all;
    }
    if (choice_.below) {
      const Outcome one = compare(choice_.below->template left_as<T>()[i],
                                  value_below(k), *choice_.below);
      if (one == Outcome::no) return one;
      if (one == Outcome::on_end) all = one;
    }
    if (others_.empty()) return all;
    const Outcome rest =
        compare_rows(others_, i, static_cast<std::size_t>(sorted_.row(k)) - 1);
    return rest == Outcome::yes ? all : rest;
  }
  T value_below(std::size_t k) const {
    if (second_.empty()) return sorted_.value(k);
    // The lowest value may stand for a missing one.
    if (second_[k] != lowest()) return second_[k];
    const T* values = choice_.below->template right_as<T>();
    return values[sorted_.row(k) - 1];
  }

  const Groups& groups_;
  Choice choice_;
  const std::uint8_t* skip_left_;
  SortedGroups<T> sorted_;
  std::vector<Comparison> others_;
  std::vector<T> second_, highest_;
  bool same_ = false, ascends_ = false, spans_ = false;
  std::unique_ptr<MaxTree<T>> tree_;
};

// No comparison can be indexed: every row of the group is tried.
class PlainMatcher {
 public:
  PlainMatcher(const Groups& groups, const std::vector<Comparison>& rules,
               const std::uint8_t* skip_left, const std::uint8_t* skip_right)
      : groups_(groups),
        rules_(rules),
        skip_left_(skip_left),
        skip_right_(skip_right) {}
  bool partners(std::size_t i, std::size_t&, std::vector<Row>& rows) const {
    const Row group = groups_.group[i];
    if (!group || (skip_left_ && skip_left_[i])) return false;
    for (Row k = groups_.starts[group - 1]; k < groups_.starts[group]; ++k) {
      const Row row = groups_.rows[k];
      const auto j = static_cast<std::size_t>(row) - 1;
      if (skip_right_ && skip_right_[j]) continue;
      if (compare_rows(rules_, i, j) == Outcome::yes) rows.push_back(row);
    }
    return false;
  }
  bool span(std::size_t, std::size_t&, std::size_t&, std::size_t&) const {
    return false;
  }
  void tell_road() const { take_road(Road::ranges_tried); }
  bool counts_from_ranges() const { return false; }

 private:
  const Groups& groups_;
  const std::vector<Comparison>& rules_;
  const std::uint8_t* skip_left_;
  const std::uint8_t* skip_right_;
};

struct Part {
  std::vector<Row> counts, rows;
  std::size_t on_end = 0;
};

template <class Matcher>
Part match_rows(const Matcher& matcher, std::size_t begin, std::size_t end,
                std::atomic<std::int64_t>& pairs, double limit) {
  Part part;
  part.counts.resize(end - begin, 0);
  std::size_t hint = 0;
  std::size_t told = 0;  // pairs that the other threads know of
  part.rows.reserve(end - begin);
  for (std::size_t i = begin; i < end; ++i) {
    const std::size_t before = part.rows.size();
    const bool on_end = matcher.partners(i, hint, part.rows);
    part.counts[i - begin] = static_cast<Row>(part.rows.size() - before);
    part.on_end += on_end && part.counts[i - begin] == 0;
    if (part.rows.size() - told < 4096) continue;
    pairs += static_cast<std::int64_t>(part.rows.size() - told);
    told = part.rows.size();
    if (static_cast<double>(pairs) > limit) return part;
  }
  pairs += static_cast<std::int64_t>(part.rows.size() - told);
  return part;
}

template <class Matcher>
PairList match_all(const Context& context, const Matcher& matcher,
                   std::size_t left_rows, double limit) {
  PairList list;
  std::vector<Part> parts(chunk_count(context, left_rows));
  std::atomic<std::int64_t> pairs{0};
  for_chunks(context, left_rows,
             [&](std::size_t k, std::size_t begin, std::size_t end) {
               if (static_cast<double>(pairs) <= limit)
                 parts[k] = match_rows(matcher, begin, end, pairs, limit);
             });
  list.pairs = static_cast<double>(pairs);
  if (list.pairs > limit) return list;
  list.counts.reserve(left_rows);
  list.rows.reserve(static_cast<std::size_t>(list.pairs));
  for (Part& part : parts) {
    list.counts.insert(list.counts.end(), part.counts.begin(),
                       part.counts.end());
    list.rows.insert(list.rows.end(), part.rows.begin(), part.rows.end());
    list.on_end += part.on_end;
    part = Part();
  }
  return list;
}

template <class Matcher>
PairList match_block(const Context& context, const Matcher& matcher,
                     std::size_t left_rows, std::size_t from, double most) {
  PairList list;
  std::size_t hint = 0;
  for (std::size_t i = from; i < left_rows; ++i) {
    if (i % context.chunk_rows == 0 && context.interrupted &&
        context.interrupted())
      throw Interrupted();
    const std::size_t before = list.rows.size();
    const bool on_end = matcher.partners(i, hint, list.rows);
    list.counts.push_back(static_cast<Row>(list.rows.size() - before));
    list.on_end += on_end && list.counts.back() == 0;
    if (static_cast<double>(list.rows.size()) >= most) break;
  }
  list.pairs = static_cast<double>(list.rows.size());
  return list;
}

// How often right rows are used, by one thread: 0, 1, or 2 for more
class Uses {
 public:
  explicit Uses(std::size_t right_rows) : times_(right_rows, 0) {}
  void add(Row row) {
    std::uint8_t& times = times_[row - 1];
    times = static_cast<std::uint8_t>(times + (times < 2));
  }
  // all rows of [begin, end): counted at the ends, summed up later
  void add_span(std::size_t begin, std::size_t end) {
    if (steps_.empty()) steps_.assign(times_.size() + 1, 0);
    ++steps_[begin];
    --steps_[end];
  }
  const std::vector<std::uint8_t>& times() {
    std::int64_t depth = 0;
    for (std::size_t j = 0; j + 1 < steps_.size(); ++j) {
      depth += steps_[j];
      times_[j] = static_cast<std::uint8_t>(
          std::min<std::int64_t>(2, times_[j] + depth));
    }
    steps_.clear();
    return times_;
  }

 private:
  std::vector<std::uint8_t> times_;
  std::vector<std::int64_t> steps_;
};

template <class Matcher>
void fold_row(const Matcher& matcher, std::size_t i, std::size_t& hint,
              std::vector<Row>& rows, Folder& folder, Uses& uses,
              FoldedRanges& folded, std::atomic<std::size_t>& on_end) {
  std::size_t low, high;
  if (matcher.span(i, hint, low, high)) {
    folded.partners[i] = static_cast<Row>(high - low);
    if (low < high) uses.add_span(low, high);
    return folder.span(i, low, high - low);
  }
  rows.clear();
  const bool lies_on_end = matcher.partners(i, hint, rows);
  if (lies_on_end && rows.empty()) ++on_end;
  folded.partners[i] = static_cast<Row>(rows.size());
  for (Row row : rows) uses.add(row);
  folder.add(rows.data(), rows.size());
  folder.close(i);
}

template <class Matcher>
FoldedRanges fold_all(const Context& context, const Matcher& matcher,
                      const Groups& groups, const FoldJobs& jobs) {
  Context each = context;
  each.chunk_rows = std::min<std::size_t>(context.chunk_rows, 8192);
  std::vector<Folder> folders = make_folders(each, jobs);
  std::vector<Uses> uses(folders.size(), Uses(groups.right_rows));
  FoldedRanges folded;
  folded.partners.resize(groups.left_rows);
  std::atomic<std::size_t> on_end{0};
  for_chunks_by_hand(
      each, groups.left_rows,
      [&](std::size_t, std::size_t begin, std::size_t end, Crew::Hand& hand) {
        Folder& folder = folders[hand.number()];
        std::vector<Row> rows;
        std::size_t hint = 0;
        for (std::size_t i = begin; i < end; ++i)
          fold_row(matcher, i, hint, rows, folder, uses[hand.number()], folded,
                   on_end);
        folder.flush();
      });
  folded.on_end = on_end;
  folded.uses = uses[0].times();
  for (std::size_t t = 1; t < uses.size(); ++t) {
    const std::vector<std::uint8_t>& more = uses[t].times();
    for (std::size_t j = 0; j < groups.right_rows; ++j)
      folded.uses[j] =
          static_cast<std::uint8_t>(std::min(2, folded.uses[j] + more[j]));
  }
  return folded;
}

// Owns the description of the rules that its matcher points into.
template <class Matcher>
class RangeSearchOf : public RangeSearch {
 public:
  template <class Make>
  RangeSearchOf(const Groups& groups, const std::vector<Comparison>& rules,
                Make&& make)
      : groups_(groups), rules_(rules), matcher_(make(groups_, rules_)) {
    matcher_.tell_road();
  }
  PairList all(const Context& context, double limit) const override {
    return match_all(context, matcher_, groups_.left_rows, limit);
  }
  PairList block(const Context& context, std::size_t from,
                 double most) const override {
    return match_block(context, matcher_, groups_.left_rows, from, most);
  }
  FoldedRanges fold(const Context& context,
                    const FoldJobs& jobs) const override {
    return fold_all(context, matcher_, groups_, jobs);
  }

 private:
  Groups groups_;
  std::vector<Comparison> rules_;
  Matcher matcher_;
};

template <class T>
RangeSearch* make_indexed(const Context& context, const Groups& groups,
                          const std::vector<Comparison>& rules,
                          const std::uint8_t* skip_left,
                          const std::uint8_t* skip_right) {
  return new RangeSearchOf<RangeMatcher<T>>(
      groups, rules,
      [&](const Groups& own_groups, const std::vector<Comparison>& own_rules) {
        return RangeMatcher<T>(context, own_groups, own_rules,
                               choose(own_rules), skip_left, skip_right);
      });
}

}  // namespace

RangeSearch* RangeSearch::make(const Context& context, const Groups& groups,
                               const std::vector<Comparison>& rules,
                               const std::uint8_t* skip_left,
                               const std::uint8_t* skip_right) {
  const Choice choice = choose(rules);
  const Comparison* key = choice.above ? choice.above : choice.below;
  if (!key)
    return new RangeSearchOf<PlainMatcher>(
        groups, rules,
        [&](const Groups& own_groups,
            const std::vector<Comparison>& own_rules) {
          return PlainMatcher(own_groups, own_rules, skip_left, skip_right);
        });
  if (key->int64)
    return make_indexed<std::int64_t>(context, groups, rules, skip_left,
                                      skip_right);
  return make_indexed<double>(context, groups, rules, skip_left, skip_right);
}

}  // namespace ronda::core
