// The core by itself, against loops that are slow and plain.
#include "catch.h"

#include <algorithm>
#include <memory>
#include <numeric>
#include <random>
#include <string>
#include <tuple>

#include "core/equal_match.h"
#include "core/list_rows.h"
#include "core/repeated_keys.h"
#include "core/gather.h"
#include "core/gather_lines.h"
#include "core/nearest_match.h"
#include "core/nearest_rounds.h"
#include "core/standing.h"
#include "core/nearest_merge.h"
#include "core/range_match.h"
#include "core/pairs.h"
#include "core/parallel.h"
#include "core/partition.h"
#include "core/search.h"
#include "core/sort_rows.h"

using namespace ronda::core;

namespace {

std::mt19937 dice(7);
int roll(int most) { return std::uniform_int_distribution<>(0, most)(dice); }

struct Column {
  KeyKind kind;
  std::vector<std::int32_t> ints;
  std::vector<double> reals;
  std::vector<std::int64_t> longs;
  std::vector<const void*> texts;
  KeyColumn view() const {
    switch (kind) {
      case KeyKind::int32:
        return {kind, ints.data(), nullptr};
      case KeyKind::int64:
        return {kind, longs.data(), nullptr};
      case KeyKind::text:
        return {kind, texts.data(), "missing"};
      default:
        return {kind, reals.data(), nullptr};
    }
  }
};

const void* const words[] = {"a", "b", "c", "d"};
const void* const no_text = "missing";

// Values and the number (-1: missing) that stands for each when comparing
Column make_column(KeyKind kind, int n, bool wide, std::vector<int>& codes) {
  Column column{kind, {}, {}, {}, {}};
  for (int i = 0; i < n; ++i) {
    const int code = roll(4) - 1;
    codes.push_back(code);
    const int step = wide ? 400000000 : 1;
    column.ints.push_back(code < 0 ? INT32_MIN : code * step);
    column.longs.push_back(code < 0 ? INT64_MIN
                                    : code * (std::int64_t{step} << 8));
    const double part = kind == KeyKind::day ? 0.1 * roll(9) : 0.0;
    column.reals.push_back(code < 0 ? std::nan("") : code * step + part);
    column.texts.push_back(code < 0 ? no_text : words[code]);
  }
  for (const void*& text : column.texts)
    if (text == no_text) text = column.view().missing_text;
  return column;
}

struct Side {
  std::vector<Column> columns;
  std::vector<std::vector<int>> codes;
  Keys keys;
  Side(const std::vector<KeyKind>& kinds, int n, bool wide) {
    for (KeyKind kind : kinds) {
      codes.emplace_back();
      columns.push_back(make_column(kind, n, wide, codes.back()));
    }
    for (const Column& column : columns) keys.columns.push_back(column.view());
    keys.rows = static_cast<std::size_t>(n);
  }
};

bool equal_rows(const Side& left, int i, const Side& right, int j,
                bool match_missing) {
  for (std::size_t k = 0; k < left.codes.size(); ++k) {
    const int a = left.codes[k][i], b = right.codes[k][j];
    if (a != b || (a < 0 && !match_missing)) return false;
  }
  return true;
}

using Pair = std::pair<Row, Row>;

std::vector<Pair> slow_pairs(const Side& left, const Side& right,
                             bool match_missing, bool keep) {
  std::vector<Pair> pairs;
  for (int i = 0; i < static_cast<int>(left.keys.rows); ++i) {
    bool any = false;
    for (int j = 0; j < static_cast<int>(right.keys.rows); ++j)
      if (equal_rows(left, i, right, j, match_missing)) {
        pairs.emplace_back(i + 1, j + 1);
        any = true;
      }
    if (!any && keep) pairs.emplace_back(i + 1, 0);
  }
  return pairs;
}

struct Found {
  std::vector<Row> range, starts, rows;
  Match match;
  PairsView view;
  Found(const Context& context, const Keys& left, const Keys& right,
        bool match_missing)
      : range(left.rows) {
    match = match_equal(context, left, right, match_missing, KeyNames::numbers,
                        range.data());
    view.range = range.data();
    view.left_rows = left.rows;
    view.right_rows = right.rows;
    if (match.right.repeated) {
      starts.resize(match.right.most + 1);
      rows.resize(match.right.listed);
      list_rows(context, match.right, starts.data(), rows.data());
      view.starts = starts.data();
      view.partners = rows.data();
      view.ranges = match.right.most;
    }
  }
};

std::vector<Pair> fast_pairs(const Context& context, const PairsView& view,
                             bool keep) {
  const Expansion expansion(context, view, keep);
  std::vector<Row> left(expansion.size()), right(expansion.size());
  expansion.write(left.data(), right.data());
  std::vector<Pair> pairs;
  for (std::size_t k = 0; k < left.size(); ++k)
    pairs.emplace_back(left[k], right[k]);
  return pairs;
}

bool counts_agree(const Context& context, const Found& found,
                  const std::vector<Pair>& pairs) {
  const PairCounts counts = count_pairs(context, found.view);
  std::vector<Row> left, right;
  for (const Pair& pair : pairs) {
    left.push_back(pair.first);
    right.push_back(pair.second);
  }
  auto distinct = [](std::vector<Row> rows) {
    std::sort(rows.begin(), rows.end());
    return static_cast<std::size_t>(std::unique(rows.begin(), rows.end()) -
                                    rows.begin());
  };
  const PairCounts same = count_disjoint(context, found.view);
  const Match& match = found.match;
  if (same.pairs != counts.pairs || same.on_both != counts.on_both ||
      same.matched_left != counts.matched_left ||
      same.matched_right != counts.matched_right ||
      same.most_left != counts.most_left ||
      same.most_right != counts.most_right ||
      match.matched_left != counts.matched_left)
    return false;
  if (!match.right.repeated && match.matched_right != counts.matched_right)
    return false;
  const std::size_t n = found.view.left_rows;
  std::vector<Row> first(n, 0), last(n, 0), chosen(n);
  for (const Pair& pair : pairs) {
    last[pair.first - 1] = pair.second;
    if (!first[pair.first - 1]) first[pair.first - 1] = pair.second;
  }
  one_partner(context, found.view, false, chosen.data());
  if (chosen != first) return false;
  one_partner(context, found.view, true, chosen.data());
  if (chosen != last) return false;
  const auto marks = mark_right(context, found.view);
  const std::size_t marked = std::accumulate(marks.begin(), marks.end(), 0u);
  if (!match.right.repeated) {
    const std::size_t m = found.view.right_rows;
    const auto alone = unmatched_rows(context, match.found, m);
    if (alone.size() + marked != m) return false;
    for (const Row row : alone)
      if (marks[static_cast<std::size_t>(row) - 1]) return false;
  }
  return counts.pairs == static_cast<double>(pairs.size()) &&
         counts.matched_left == distinct(left) &&
         counts.matched_right == distinct(right) && marked == distinct(right);
}

// whether two rows without partner have one key
bool slow_repeats(const Side& side, const Found& found, bool match_missing) {
  for (int i = 0; i < static_cast<int>(side.keys.rows); ++i)
    for (int j = 0; j < i; ++j)
      if (found.range[i] == 0 && found.range[j] == 0 &&
          equal_rows(side, i, side, j, match_missing))
        return true;
  return false;
}

std::size_t slow_missing(const Side& side) {
  std::size_t rows = 0;
  for (std::size_t i = 0; i < side.keys.rows; ++i) {
    bool missing = false;
    for (const auto& codes : side.codes) missing = missing || codes[i] < 0;
    rows += missing;
  }
  return rows;
}

bool stop_now() { return true; }

}  // namespace

context("equality") {
  test_that("every kind, path and thread count finds the same pairs") {
    const KeyKind kinds[] = {KeyKind::int32, KeyKind::real, KeyKind::day,
                             KeyKind::int64, KeyKind::text};
    int differ = 0;
    for (int round = 0; round < 1500; ++round) {
      Context context;
      context.path = static_cast<Path>(roll(2));
      context.threads = 1 + roll(1);
      context.chunk_rows = roll(1) ? 3 : 1 << 17;
      std::vector<KeyKind> types(1 + roll(3));
      for (KeyKind& type : types) type = kinds[roll(4)];
      const bool wide = roll(1), match_missing = roll(1);
      const Side left(types, roll(20), wide), right(types, roll(20), wide);
      const Found found(context, left.keys, right.keys, match_missing);
      const auto pairs = slow_pairs(left, right, match_missing, false);
      differ += fast_pairs(context, found.view, false) != pairs;
      differ += fast_pairs(context, found.view, true) !=
                slow_pairs(left, right, match_missing, true);
      differ += !counts_agree(context, found, pairs);
      differ += found.match.missing_left != slow_missing(left);
      differ += found.match.missing_right != slow_missing(right);
      const auto alone =
          unmatched_rows(context, found.range.data(), left.keys.rows);
      differ += repeats_among(context, left.keys, alone, match_missing) !=
                slow_repeats(left, found, match_missing);
    }
    expect_true(differ == 0);
  }

  test_that("an index finds what matching finds, one or two columns") {
    int differ = 0;
    for (int round = 0; round < 120; ++round) {
      std::vector<int> codes;
      std::vector<Column> lefts, rights;
      Keys left{{}, static_cast<std::size_t>(roll(60))};
      Keys right{{}, static_cast<std::size_t>(roll(60))};
      const int columns = 1 + roll(1);
      for (int k = 0; k < columns; ++k) {
        const auto kind = static_cast<KeyKind>(roll(4));
        const bool wide = roll(1) == 0;
        lefts.push_back(
            make_column(kind, static_cast<int>(left.rows), wide, codes));
        rights.push_back(
            make_column(kind, static_cast<int>(right.rows), wide, codes));
      }
      for (int k = 0; k < columns; ++k) {
        left.columns.push_back(lefts[k].view());
        right.columns.push_back(rights[k].view());
      }
      Context context;
      context.threads = 1 + round % 2;
      context.chunk_rows = round % 3 ? 7 : 1 << 17;
      const bool match_missing = round % 2 == 0;
      Buffer<Row> found(left.rows), expected(left.rows);
      const auto index =
          index_right(context, right, match_missing, KeyNames::first_rows);
      const Match one = index->look_up(context, left, found.data());
      const Match other = match_equal(context, left, right, match_missing,
                                      KeyNames::first_rows, expected.data());
      differ += !std::equal(found.begin(), found.end(), expected.begin());
      differ += one.matched_left != other.matched_left ||
                one.matched_right != other.matched_right ||
                one.missing_left != other.missing_left ||
                one.missing_right != other.missing_right ||
                one.right.repeated != other.right.repeated;
    }
    expect_true(differ == 0);
  }

  test_that("equal keys of two frames fall into one part, missing ones apart") {
    int differ = 0, used = 0;
    for (int round = 0; round < 100; ++round) {
      const auto kind = static_cast<KeyKind>(roll(4));
      std::vector<int> codes[2];
      Column sides[2];
      Grouping parts[2];
      PartitionBy by;
      by.parts = static_cast<std::size_t>(1 + roll(6));
      by.match_missing = roll(1) == 0;
      Context context;
      context.threads = 1 + round % 2;
      context.chunk_rows = 5;
      const int n = 1 + roll(40);
      const bool wide = roll(1) == 0;
      for (int side = 0; side < 2; ++side) {
        sides[side] = make_column(kind, n, wide, codes[side]);
        const Keys keys{{sides[side].view()}, static_cast<std::size_t>(n)};
        parts[side] = part_rows(context, keys, by);
      }
      for (int i = 0; i < n; ++i) {
        const Row part = parts[0].key[i];
        used += part > 1;
        differ += part < 1 || part > static_cast<Row>(by.parts);
        if (codes[0][i] < 0 && !by.match_missing)
          differ += part != static_cast<Row>(i % by.parts) + 1;
        for (int j = 0; j < n; ++j)
          if (codes[0][i] == codes[1][j] &&
              (codes[0][i] >= 0 || by.match_missing))
            differ += part != parts[1].key[j];
      }
    }
    expect_true(differ == 0);
    expect_true(used > 0);
  }

  test_that("keys chosen against the table are found as fast as others") {
    // equal low bits, equal high bits, one value only
    const std::size_t n = 200000;
    for (int shift : {0, 16, 40, 64}) {
      std::vector<std::int64_t> values(n);
      for (std::size_t i = 0; i < n; ++i)
        values[i] = shift == 64 ? 7 : static_cast<std::int64_t>(i) << shift;
      const Keys keys{{{KeyKind::int64, values.data(), nullptr}},
                      values.size()};
      Context context;
      context.path = Path::hashed;
      std::vector<Row> range(values.size());
      match_equal(context, keys, keys, false, KeyNames::first_rows,
                  range.data());
      bool right = true;
      for (std::size_t i = 0; i < range.size(); ++i)
        right =
            right && range[i] == (shift == 64 ? 1 : static_cast<Row>(i + 1));
      expect_true(right);
    }
  }

  test_that("a key repeated among many unmatched ones is found") {
    const std::size_t n = 60000;
    for (const bool twice : {false, true}) {
      std::vector<double> values(n);
      for (std::size_t i = 0; i < n; ++i) values[i] = i * 0.37;
      if (twice) values[n - 1] = values[n - 2];
      values[0] = values[1] = std::nan("");
      const Keys keys{{{KeyKind::real, values.data(), nullptr}}, n};
      FoundRows found(Context{}, n);
      found.unite(Context{});
      const auto rows = unmatched_rows(Context{}, found, n);
      expect_true(repeats_among(Context{}, keys, rows, false) == twice);
      expect_true(repeats_among(Context{}, keys, rows, true));
    }
  }
}

namespace {

// A number for each row, and groups 1..3 (0: none) of right rows
struct Line {
  std::vector<double> at, until;
  std::vector<std::int32_t> group;
  Line(int n, bool sorted, int groups) {
    for (int i = 0; i < n; ++i) {
      at.push_back(roll(30) == 0 ? std::nan("") : roll(60) / 2.0);
      until.push_back(at.back() + roll(8) - 1);
      group.push_back(groups == 1 ? 1 : 1 + roll(groups - 1));
    }
    if (!sorted) return;
    for (double& value : at)
      if (value != value) value = 0;
    std::vector<std::pair<std::int32_t, double>> both;
    for (int i = 0; i < n; ++i) both.emplace_back(group[i], at[i]);
    std::sort(both.begin(), both.end());
    for (int i = 0; i < n; ++i) std::tie(group[i], at[i]) = both[i];
  }
};

struct Listed {
  std::vector<Row> starts, rows;
  Groups view;
  Listed(const Line& left, const Line& right, int groups) {
    starts.push_back(0);
    for (int g = 1; g <= groups; ++g) {
      for (std::size_t j = 0; j < right.group.size(); ++j)
        if (right.group[j] == g) rows.push_back(static_cast<Row>(j + 1));
      starts.push_back(static_cast<Row>(rows.size()));
    }
    view = {left.group.data(),  left.group.size(),
            right.group.size(), starts.data(),
            rows.data(),        static_cast<std::size_t>(groups)};
  }
};

// at <= left < until
std::vector<Comparison> inside_rules(const Line& left, const Line& right) {
  return {
      {Compare::greater_equal, false, true, left.at.data(), right.at.data()},
      {Compare::less, false, true, left.at.data(), right.until.data()}};
}

// The nearest row at or before, the last of several; 0 for none
Row slow_back(const Line& left, std::size_t i, const Line& right,
              double within) {
  Row best = 0;
  for (std::size_t j = 0; j < right.at.size(); ++j)
    if (right.group[j] == left.group[i] && right.at[j] <= left.at[i] &&
        left.at[i] - right.at[j] <= within &&
        (!best || right.at[j] >= right.at[best - 1]))
      best = static_cast<Row>(j + 1);
  return best;
}

std::vector<Row> slow_inside(const Line& left, std::size_t i,
                             const Line& right) {
  std::vector<Row> rows;
  for (std::size_t j = 0; j < right.at.size(); ++j)
    if (right.group[j] == left.group[i] && right.at[j] <= left.at[i] &&
        left.at[i] < right.until[j])
      rows.push_back(static_cast<Row>(j + 1));
  return rows;
}

}  // namespace

context("order") {
  test_that("nearest, searched and walked, is what a plain loop finds") {
    int differ = 0, walked = 0;
    for (int round = 0; round < 400; ++round) {
      Context context;
      context.threads = 1 + roll(1);
      context.chunk_rows = roll(1) ? 5 : 1 << 17;
      const int groups = 1 + roll(2), size = roll(9) ? 30 : 700;
      const bool sorted = roll(1);
      const Line left(roll(size), sorted, groups);
      const Line right(roll(size), sorted, groups);
      const Listed listed(left, right, groups);
      Nearest nearest;
      nearest.left = left.at.data();
      nearest.right = right.at.data();
      nearest.within = roll(1) ? INFINITY : roll(5);
      const NearestPairs found = match_nearest(context, listed.view, nearest,
                                               {}, nullptr, nullptr, INFINITY);
      for (std::size_t i = 0; i < left.at.size(); ++i)
        differ +=
            found.partner_of[i] != slow_back(left, i, right, nearest.within);
      const Keys left_keys{{{KeyKind::int32, left.group.data(), nullptr}},
                           left.at.size()};
      const Keys right_keys{{{KeyKind::int32, right.group.data(), nullptr}},
                            right.at.size()};
      std::vector<Row> range(left.at.size());
      const MergeResult merged =
          merge_nearest(context, left_keys, right_keys, nearest, left.at.size(),
                        right.at.size(), range.data());
      walked += merged.sorted;
      if (merged.sorted)
        differ +=
            range != found.partner_of || merged.candidates != found.candidates;
    }
    expect_true(differ == 0);
    expect_true(walked > 100);
  }

  test_that(
      "one pair stands as a plain look at it says, to the last 64-bit "
      "integer") {
    const std::vector<std::int64_t> longs = {
        INT64_MIN,        INT64_MIN + 1,    -9007199254740993, -1,       0,
        9007199254740992, 9007199254740993, INT64_MAX - 1,     INT64_MAX};
    for (double within : {0.0, 1.0, 9007199254740992.0, 1.8e19, HUGE_VAL})
      for (Look look : {Look::back, Look::ahead, Look::either, Look::both})
        for (bool equal : {true, false})
          for (std::size_t l = 0; l < longs.size(); ++l)
            for (std::size_t r = 0; r < longs.size(); ++r) {
              Nearest nearest;
              nearest.int64 = true;
              nearest.left = nearest.right = longs.data();
              nearest.look = look;
              nearest.within = within;
              nearest.equal = equal;
              const Standing one = standing_of(nearest, l, r);
              if (l == 0 || r == 0) {
                expect_true(one.reach == Reach::missing);
                continue;
              }
              const long double apart =
                  std::abs(static_cast<long double>(longs[l]) - longs[r]);
              expect_true(one.high * 4294967296.0L + one.low == apart);
              const bool on_side = l == r  ? equal
                                   : l > r ? look != Look::ahead
                                           : look != Look::back;
              const Reach expected = !on_side          ? Reach::other_side
                                     : apart <= within ? Reach::near
                                                       : Reach::far;
              expect_true(one.reach == expected);
              expect_true(one.sign == (l > r) - (l < r));
            }
  }

  test_that("a place is found wherever it is") {
    for (std::size_t n = 0; n < 20; ++n)
      for (std::size_t from = 0; from <= n; ++from)
        for (std::size_t at = from; at <= n; ++at)
          expect_true(
              partition(from, n, [&](std::size_t k) { return k < at; }) == at);
  }

  test_that("intervals, by range and by tree, are what a plain loop finds") {
    int differ = 0;
    for (int round = 0; round < 300; ++round) {
      Context context;
      context.chunk_rows = roll(1) ? 5 : 1 << 17;
      const int groups = 1 + roll(2), size = roll(9) ? 30 : 500;
      const Line left(roll(size), roll(1), groups);
      const Line right(roll(size), roll(1), groups);
      const Listed listed(left, right, groups);
      const std::vector<Comparison> rules = inside_rules(left, right);
      const std::unique_ptr<RangeSearch> search(
          RangeSearch::make(context, listed.view, rules, nullptr, nullptr));
      const PairList found = search->all(context, 1e9);
      const PairList none = search->all(context, -1);
      differ += none.pairs > 0 && !none.rows.empty();
      std::size_t at = 0;
      for (std::size_t i = 0; i < left.at.size(); ++i) {
        const std::vector<Row> rows = slow_inside(left, i, right);
        differ += rows.size() != static_cast<std::size_t>(found.counts[i]);
        for (Row row : rows)
          differ += at >= found.rows.size() || found.rows[at++] != row;
      }
      std::size_t from = 0, pairs = 0;
      while (from < left.at.size()) {
        const PairList block = search->block(context, from, 3);
        from += block.counts.size();
        pairs += block.rows.size();
      }
      differ += pairs != found.rows.size();
    }
    expect_true(differ == 0);
  }

  test_that(
      "the first interval and the last hold a value, however many there are") {
    Context context;
    context.chunk_rows = 1;  // (so that a tree is made of any)
    for (int n = 2; n < 70; ++n) {
      Line left(1, false, 1), right(n, false, 1);
      left.at[0] = n - 0.5;
      for (int k = 0; k < n; ++k) {
        const auto at = static_cast<std::size_t>(k);
        right.at[at] = k;
        right.until[at] = k == 0 ? 1000 : k + 1;
      }
      const Listed listed(left, right, 1);
      const std::vector<Comparison> rules = inside_rules(left, right);
      const std::unique_ptr<RangeSearch> search(
          RangeSearch::make(context, listed.view, rules, nullptr, nullptr));
      const PairList found = search->all(context, 1e9);
      expect_true(found.rows == (std::vector<Row>{1, n}));
    }
  }
}

context("loops") {
  test_that("the user's stop is heard, on one thread and on two") {
    for (int threads : {1, 2}) {
      Context context;
      context.threads = threads;
      context.chunk_rows = 10;
      context.interrupted = stop_now;
      expect_error_as(for_chunks(context, 1000,
                                 [](std::size_t, std::size_t, std::size_t) {}),
                      Interrupted);
      expect_error_as(
          for_chunks_in_order(context, 1000, [](std::size_t, std::size_t) {}),
          Interrupted);
    }
  }

  test_that(
      "what a body throws, in any chunk and on any thread, is thrown on") {
    struct Thrown {
      std::size_t chunk;
    };
    const std::size_t chunks = 12;
    for (const int threads : {1, 2, 3}) {
      Context context;
      context.threads = threads;
      context.chunk_rows = 7;
      for (std::size_t at = 0; at < chunks; ++at) {
        std::size_t thrown = chunks;
        try {
          for_chunks(context, 7 * chunks,
                     [&](std::size_t k, std::size_t, std::size_t) {
                       if (k == at) throw Thrown{k};
                     });
        } catch (const Thrown& what) {
          thrown = what.chunk;
        }
        expect_true(thrown == at);
      }
      // each thread in turn, and all of them at once
      for (int number = 0; number <= threads; ++number) {
        std::atomic<int> waiting{threads};
        bool caught = false;
        try {
          Crew crew(context, static_cast<std::size_t>(threads));
          crew.run([&](Crew::Hand& hand) {
            --waiting;
            while (waiting > 0) std::this_thread::yield();
            if (number == threads ||
                hand.number() == static_cast<std::size_t>(number))
              throw std::bad_alloc();
          });
        } catch (const std::bad_alloc&) {
          caught = true;
        }
        expect_true(caught);
      }
      // what comes afterwards is as if nothing had been
      expect_true(count_rows(context, 100, [](std::size_t) { return true; }) ==
                  100);
    }
  }

  test_that("gather, patch and order do what they say") {
    Context context;
    context.chunk_rows = 2;
    const std::vector<int> from{10, 20, 30};
    const std::vector<Row> rows{3, 0, 1, 1, 0};
    std::vector<int> out(5);
    gather(context, from.data(), rows.data(), 5, -1, out.data());
    expect_true((out == std::vector<int>{30, -1, 10, 10, -1}));
    const std::vector<Row> other{1, 2, 1, 1, 3};
    patch(context, rows.data(), from.data(), other.data(), 5, out.data());
    expect_true((out == std::vector<int>{30, 20, 10, 10, 30}));
  }

  test_that("all columns of a result, of every width, side by side or not") {
    int wrong = 0, rounds_with_copies = 0;
    for (int round = 0; round < 300; ++round) {
      Context context;
      context.threads = 1 + round % 2;
      context.chunk_rows = 3;
      const int right_rows = 97 + roll(200), left_rows = 30 + roll(600);
      std::vector<Row> range(left_rows);
      for (Row& s : range) s = roll(9) ? 1 + roll(right_rows - 1) : 0;
      PairsView pairs;
      pairs.range = range.data();
      pairs.left_rows = left_rows;
      pairs.right_rows = pairs.ranges = right_rows;
      const Expansion lines(context, pairs, round % 3 != 0);
      std::vector<Row> left(lines.size()), right(lines.size());
      lines.write(left.data(), right.data());
      // each column's bytes, and those of a missing value
      std::vector<ColumnJob> jobs(1 + roll(12));
      std::vector<std::vector<unsigned char>> from, to;
      from.reserve(jobs.size());
      to.reserve(jobs.size());
      std::size_t result = 0;
      for (ColumnJob& job : jobs) {
        const int widths[] = {1, 4, 8, 16};
        job.width = widths[roll(3)];
        job.right = roll(4) > 0;
        from.emplace_back(job.width * (job.right ? right_rows : left_rows));
        for (unsigned char& byte : from.back())
          byte = static_cast<unsigned char>(roll(255));
        to.emplace_back(job.width * lines.size() + 16);
        job.from = from.back().data();
        job.to = to.back().data();
        std::fill(job.missing, job.missing + 16, 0xee);
        result += job.width * lines.size();
      }
      // the copies of a round and all columns up to it stay within the memory
      std::size_t written = 0, held = 0;
      for (const ColumnRound& part : rounds_of(context, lines, jobs)) {
        held += part.jobs.size();
        for (const ColumnJob& job : part.jobs)
          written += job.width * lines.size();
        if (part.record == 0) continue;
        ++rounds_with_copies;
        wrong += part.record > 64 || part.jobs.size() < 2;
        wrong += 4 * (part.record * right_rows + written) > 5 * result;
      }
      wrong += held != jobs.size() || written != result;
      gather_lines(context, lines, jobs);
      for (std::size_t k = 0; k < jobs.size(); ++k) {
        const std::size_t width = jobs[k].width;
        for (std::size_t i = 0; i < lines.size(); ++i) {
          const Row row = jobs[k].right ? right[i] : left[i];
          const unsigned char* value =
              row ? &from[k][(row - 1) * width] : jobs[k].missing;
          wrong += !std::equal(value, value + width, &to[k][i * width]);
        }
      }
    }
    expect_true(wrong == 0);
    expect_true(rounds_with_copies > 100);
  }

  test_that("rows are sorted like one by one, through every size of run") {
    int differ = 0;
    for (int round = 0; round < 400; ++round) {
      Context context;
      context.threads = 1 + round % 2;
      context.chunk_rows = round % 3 ? 5 : 1 << 17;
      const int n = roll(round % 10 ? 60 : 9000);
      std::vector<std::int32_t> whole(n);
      std::vector<double> real(n);
      std::vector<std::int64_t> wide(n);
      std::vector<std::string> text(n);
      std::vector<const char*> address(n);
      for (int i = 0; i < n; ++i) {
        whole[i] = roll(9) ? roll(3) - 1 : INT32_MIN;
        real[i] = roll(9) ? (roll(5) - 2) * 0.5 : NAN;
        wide[i] = roll(9) ? std::int64_t{1} << (62 - roll(2)) : INT64_MIN;
        if (!roll(5)) wide[i] = INT64_MAX;
        text[i] = std::string(roll(3) * 7, 'a') + std::string(roll(2), 'b');
        address[i] = roll(9) ? text[i].c_str() : nullptr;
      }
      std::vector<SortColumn> by{{{KeyKind::int32, whole.data(), nullptr}},
                                 {{KeyKind::text, address.data(), nullptr}},
                                 {{KeyKind::real, real.data(), nullptr}},
                                 {{KeyKind::int64, wide.data(), nullptr}}};
      std::rotate(by.begin(), by.begin() + roll(3), by.end());
      by.resize(1 + roll(3));
      for (SortColumn& one : by) one.descending = roll(2) == 0;
      // -1, 0 or 1 as a column wants row a before, beside or after row b
      auto compare = [&](const SortColumn& one, int a, int b) {
        auto signs = [&](bool no_a, bool no_b, auto x, auto y) {
          if (no_a || no_b) return int{no_a} - int{no_b};
          return (x < y ? -1 : y < x ? 1 : 0) * (one.descending ? -1 : 1);
        };
        switch (one.column.kind) {
          case KeyKind::int32:
            return signs(whole[a] == INT32_MIN, whole[b] == INT32_MIN, whole[a],
                         whole[b]);
          case KeyKind::int64:
            return signs(wide[a] == INT64_MIN, wide[b] == INT64_MIN, wide[a],
                         wide[b]);
          case KeyKind::text:
            return signs(!address[a], !address[b], text[a], text[b]);
          default:
            return signs(std::isnan(real[a]), std::isnan(real[b]), real[a],
                         real[b]);
        }
      };
      const Buffer<Row> order = sort_rows(context, by, n);
      for (int k = 1; k < n; ++k) {
        int sign = 0;
        for (const SortColumn& one : by)
          if (sign == 0) sign = compare(one, order[k - 1] - 1, order[k] - 1);
        differ += sign > 0 || (sign == 0 && order[k - 1] > order[k]);
      }
      std::vector<Row> all(order.begin(), order.end());
      std::sort(all.begin(), all.end());
      for (int k = 0; k < n; ++k) differ += all[k] != k + 1;
    }
    expect_true(differ == 0);
  }
}
