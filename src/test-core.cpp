// The core by itself, against loops that are slow and plain.
#include <testthat.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/equal_match.h"
#include "core/gather.h"
#include "core/pairs.h"
#include "core/parallel.h"

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
      case KeyKind::int32: return {kind, ints.data(), nullptr};
      case KeyKind::int64: return {kind, longs.data(), nullptr};
      case KeyKind::text: return {kind, texts.data(), "missing"};
      default: return {kind, reals.data(), nullptr};
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
  std::vector<Row> slot;
  Ranges ranges;
  PairsView view;
  Found(const Context& context, const Keys& left, const Keys& right,
        bool match_missing)
      : slot(left.rows) {
    ranges = match_equal(context, left, right, match_missing, slot.data());
    view.slot = slot.data();
    view.left_rows = left.rows;
    view.right_rows = right.rows;
    if (!ranges.starts.empty()) {
      view.starts = ranges.starts.data();
      view.rows = ranges.rows.data();
      view.slots = ranges.starts.size() - 1;
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
    return static_cast<std::size_t>(
        std::unique(rows.begin(), rows.end()) - rows.begin());
  };
  const auto marks = mark_right(context, found.view);
  const std::size_t marked = std::accumulate(marks.begin(), marks.end(), 0u);
  return counts.pairs == static_cast<double>(pairs.size()) &&
         counts.matched_left == distinct(left) &&
         counts.matched_right == distinct(right) && marked == distinct(right);
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
    }
    expect_true(differ == 0);
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
      std::vector<Row> slot(values.size());
      match_equal(context, keys, keys, false, slot.data());
      bool right = true;
      for (std::size_t i = 0; i < slot.size(); ++i)
        right = right && slot[i] == (shift == 64 ? 1 : static_cast<Row>(i + 1));
      expect_true(right);
    }
  }

  test_that("a missing key is counted once a row") {
    const Side side({KeyKind::real, KeyKind::text}, 200, false);
    std::size_t missing = 0;
    for (int i = 0; i < 200; ++i)
      missing += side.codes[0][i] < 0 || side.codes[1][i] < 0;
    expect_true(count_missing(Context{}, side.keys) == missing);
  }
}

context("loops") {
  test_that("the user's stop is heard, on one thread and on two") {
    for (int threads : {1, 2}) {
      Context context;
      context.threads = threads;
      context.chunk_rows = 10;
      context.interrupted = stop_now;
      expect_error_as(
          for_chunks(context, 1000, [](std::size_t, std::size_t, std::size_t) {}),
          Interrupted);
      expect_error_as(
          for_chunks_in_order(context, 1000, [](std::size_t, std::size_t) {}),
          Interrupted);
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
    std::vector<Row> order(5);
    order_by_row(rows.data(), 5, 3, order.data());
    expect_true((order == std::vector<Row>{3, 4, 1, 2, 5}));
  }
}
