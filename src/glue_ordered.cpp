// Ordered rules: ranges, windows, nearest.
#include "glue_ordered.h"

#include <algorithm>
#include <cmath>
#include <memory>

#include "core/nearest_match.h"
#include "core/nearest_merge.h"
#include "core/nearest_rounds.h"
#include "core/once.h"
#include "core/range_match.h"
#include "core/standing.h"
#include "glue.h"
#include "glue_fold.h"
#include "options.h"

using namespace Rcpp;
using namespace ronda;

namespace {

// Groups of right rows from the matches of the same() rules; where those keep
// no ranges every right row is a group of its own.
struct OwnedGroups {
  std::vector<core::Row> starts, rows;
  core::Groups view;
  OwnedGroups(const core::Context& context, SEXP matches) {
    const core::PairsView pairs = glue::as_pairs(context, matches);
    view.group = pairs.range;
    view.left_rows = pairs.left_rows;
    view.right_rows = pairs.right_rows;
    if (pairs.starts) {
      view.starts = pairs.starts;
      view.rows = pairs.partners;
      view.groups = pairs.ranges;
      return;
    }
    starts.resize(view.right_rows + 1);
    rows.resize(view.right_rows);
    for (std::size_t k = 0; k < view.right_rows; ++k) {
      starts[k + 1] = rows[k] = static_cast<core::Row>(k + 1);
    }
    view.starts = starts.data();
    view.rows = rows.data();
    view.groups = view.right_rows;
  }
};

bool has_no_value(double value) { return value != value; }

std::vector<core::Comparison> as_rules(const List& rules,
                                       const core::Groups& groups) {
  std::vector<core::Comparison> out;
  for (R_xlen_t k = 0; k < rules.size(); ++k) {
    const List rule = rules[k];
    core::Comparison one;
    one.op = glue::as_compare(as<std::string>(rule["op"]));
    one.int64 = as<bool>(rule["int64"]);
    one.end = as<bool>(rule["end"]);
    one.left = glue::doubles(glue::part(rule, "left"), groups.left_rows,
                             "left values of a rule");
    one.right = glue::doubles(glue::part(rule, "right"), groups.right_rows,
                              "right values of a rule");
    out.push_back(one);
  }
  return out;
}

const std::uint8_t* as_flags(SEXP flags, std::size_t rows) {
  return flags == R_NilValue
             ? nullptr
             : glue::bytes(flags, static_cast<R_xlen_t>(rows), "rows left out");
}

core::Nearest as_nearest(const List& spec, std::size_t left_rows,
                         std::size_t right_rows) {
  core::Nearest nearest;
  nearest.int64 = as<bool>(spec["int64"]);
  nearest.left = glue::doubles(glue::part(spec, "left"), left_rows,
                               "left values of nearest()");
  nearest.right = glue::doubles(glue::part(spec, "right"), right_rows,
                                "right values of nearest()");
  nearest.within = as<double>(spec["within"]);
  glue::require(nearest.within >= 0, "the distance of nearest()");
  if (spec.containsElementNamed("least")) {
    glue::require(!nearest.int64, "the bounds of nearest()");
    nearest.lowest = static_cast<const double*>(
        glue::doubles(spec["least"], left_rows, "the bounds of nearest()"));
    nearest.highest = static_cast<const double*>(
        glue::doubles(spec["most"], left_rows, "the bounds of nearest()"));
  }
  nearest.equal = as<bool>(spec["equal"]);
  const double n = as<double>(spec["n"]);
  glue::require(n >= 1, "how many rows nearest() takes");
  nearest.n = static_cast<std::size_t>(std::min(n, 2147483647.0));
  nearest.look = glue::as_look(as<std::string>(spec["look"]));
  nearest.ties = glue::as_ties(as<std::string>(spec["ties"]));
  return nearest;
}

// Each left row has its own range, or its one partner where none has more.
List as_matches(const core::Context& context, const core::PairList& list,
                std::size_t right_rows) {
  const auto n = static_cast<R_xlen_t>(list.counts.size());
  Shield<SEXP> kept(glue::new_rows(context, list.counts.size()));
  int* range = INTEGER(kept);
  bool single = true;
  for (core::Row count : list.counts) single = single && count <= 1;
  if (single) {
    std::size_t at = 0;
    for (R_xlen_t i = 0; i < n; ++i)
      range[i] = list.counts[i] ? list.rows[at++] : 0;
    glue::vouch_for_rows(kept, static_cast<R_xlen_t>(right_rows));
    return glue::new_matches(kept, R_NilValue, R_NilValue, right_rows);
  }
  IntegerVector starts(glue::new_vector(INTSXP, list.counts.size() + 1));
  starts[0] = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    range[i] = list.counts[i] ? static_cast<int>(i + 1) : 0;
    starts[i + 1] = starts[i] + list.counts[i];
  }
  glue::vouch_for_rows(kept, n);
  const IntegerVector partners = glue::as_rows(list.rows);
  return glue::new_matches(kept, starts, partners, right_rows);
}

List as_matches(const core::Context& context,
                const std::vector<core::Row>& partner_of,
                std::size_t right_rows) {
  Shield<SEXP> range(glue::new_rows(context, partner_of.size()));
  std::copy(partner_of.begin(), partner_of.end(), INTEGER(range));
  glue::vouch_for_rows(range, static_cast<R_xlen_t>(right_rows));
  return glue::new_matches(range, R_NilValue, R_NilValue, right_rows);
}

}  // namespace

// A search reads the vectors it was made from, so they ride along as the
// pointer's protected value.
template <class Search>
struct OwnedSearch {
  OwnedGroups groups;
  std::unique_ptr<Search> search;
};
using OwnedRanges = OwnedSearch<core::RangeSearch>;
using OwnedRounds = OwnedSearch<core::OutwardSearch>;

namespace {

SEXP tag_of(const OwnedRanges*) { return Rf_install("ronda_ranges"); }
SEXP tag_of(const OwnedRounds*) { return Rf_install("ronda_rounds"); }

template <class Owned>
SEXP as_pointer(std::unique_ptr<Owned> made, const List& kept) {
  SEXP tag = tag_of(made.get());
  return XPtr<Owned>(made.release(), true, tag, kept);
}

// the search that R kept for us, if it is one of that kind
template <class Owned>
Owned& search_of(SEXP pointer) {
  glue::require(TYPEOF(pointer) == EXTPTRSXP &&
                    R_ExternalPtrTag(pointer) ==
                        tag_of(static_cast<const Owned*>(nullptr)) &&
                    R_ExternalPtrAddr(pointer),
                "a search");
  return *static_cast<Owned*>(R_ExternalPtrAddr(pointer));
}

}  // namespace

// The bounds of intervals with what is missing settled, and the rows that pair
// with nothing, as flags; how many of them are reversed, empty or lack a bound.
// Unchanged bounds are returned as they came; `skip` is NULL where none is set.
// [[Rcpp::export(rng = false)]]
List interval_bounds_(NumericVector from, NumericVector to, bool open_ended,
                      bool closed) {
  return glue::guarded([&] {
    const R_xlen_t n = from.size();
    glue::require(to.size() == n, "the bounds of intervals");
    const core::Context context = glue::current_context();
    NumericVector low = from, high = to;
    if (open_ended) {
      low = clone(from);
      high = clone(to);
      std::replace_if(low.begin(), low.end(), has_no_value,
                      -static_cast<double>(INFINITY));
      std::replace_if(high.begin(), high.end(), has_no_value,
                      static_cast<double>(INFINITY));
    }
    const double *a = low.begin(), *b = high.begin();
    std::atomic<std::int64_t> reversed{0}, empty{0}, blank{0};
    auto for_each = [&](auto&& flag) {
      core::for_chunks(context, static_cast<std::size_t>(n),
                       [&](std::size_t, std::size_t begin, std::size_t end) {
                         std::int64_t over = 0, none = 0, missing = 0;
                         for (std::size_t k = begin; k < end; ++k) {
                           const bool is_blank = a[k] != a[k] || b[k] != b[k];
                           const bool is_over = a[k] > b[k];
                           const bool is_none = a[k] == b[k] && !closed;
                           missing += is_blank;
                           over += is_over;
                           none += is_none;
                           flag(k, is_blank || is_over);
                         }
                         reversed += over;
                         empty += none;
                         blank += missing;
                       });
    };
    for_each([](std::size_t, bool) {});
    const auto count = [](const std::atomic<std::int64_t>& of) {
      return static_cast<double>(of.load());
    };
    const double counts[] = {count(reversed), count(empty), count(blank)};
    RObject skip;
    if (counts[0] + counts[2] > 0) {
      LogicalVector flags(no_init(n));
      int* at = flags.begin();
      for_each([at](std::size_t k, bool flag) { at[k] = flag; });
      skip = flags;
    }
    return List::create(_["from"] = low, _["to"] = high, _["skip"] = skip,
                        _["reversed"] = counts[0], _["empty"] = counts[1],
                        _["missing"] = counts[2]);
  });
}

// [[Rcpp::export(rng = false)]]
SEXP range_search_(List matches, List rules, SEXP skip_left, SEXP skip_right) {
  return glue::guarded([&]() -> SEXP {
    const core::Context context = glue::current_context();
    std::unique_ptr<OwnedRanges> made(
        new OwnedRanges{OwnedGroups(context, matches), nullptr});
    const core::Groups& groups = made->groups.view;
    made->search.reset(
        core::RangeSearch::make(context, groups, as_rules(rules, groups),
                                as_flags(skip_left, groups.left_rows),
                                as_flags(skip_right, groups.right_rows)));
    const List kept = List::create(matches, rules, skip_left, skip_right);
    return as_pointer(std::move(made), kept);
  });
}

// Of matches with one partner a left row at the most, those for which all
// comparisons hold: list(matches, on_end)
// [[Rcpp::export(rng = false)]]
List filter_single_(List matches, List rules, SEXP skip_left, SEXP skip_right) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    glue::require(!pairs.starts, "matches with one partner a row");
    core::Groups rows;
    rows.left_rows = pairs.left_rows;
    rows.right_rows = pairs.right_rows;
    const std::vector<core::Comparison> all = as_rules(rules, rows);
    const std::uint8_t* not_left = as_flags(skip_left, rows.left_rows);
    const std::uint8_t* not_right = as_flags(skip_right, rows.right_rows);
    Shield<SEXP> range(glue::new_rows(context, rows.left_rows));
    int* kept = INTEGER(range);
    std::atomic<std::int64_t> on_end{0};
    core::for_chunks(context, rows.left_rows,
                     [&](std::size_t, std::size_t begin, std::size_t end) {
                       std::int64_t ends = 0;
                       for (std::size_t i = begin; i < end; ++i) {
                         const core::Row row = pairs.range[i];
                         kept[i] = 0;
                         if (!row || (not_left && not_left[i]) ||
                             (not_right && not_right[row - 1]))
                           continue;
                         const core::Outcome outcome = core::compare_rows(
                             all, i, static_cast<std::size_t>(row) - 1);
                         if (outcome == core::Outcome::yes) kept[i] = row;
                         ends += outcome == core::Outcome::on_end;
                       }
                       on_end += ends;
                     });
    glue::vouch_for_rows(range, static_cast<R_xlen_t>(rows.right_rows));
    return List::create(_["matches"] = glue::new_matches(
                            range, R_NilValue, R_NilValue, rows.right_rows),
                        _["on_end"] = static_cast<double>(on_end.load()));
  });
}

// All pairs; `matches` is NULL when they are more than `limit`.
// [[Rcpp::export(rng = false)]]
List range_all_(SEXP search, double limit) {
  return glue::guarded([&] {
    OwnedRanges& ranges = search_of<OwnedRanges>(search);
    const core::PairList list =
        ranges.search->all(glue::current_context(), limit);
    RObject matches;
    if (list.pairs <= limit)
      matches = as_matches(glue::current_context(), list,
                           ranges.groups.view.right_rows);
    return List::create(_["matches"] = matches, _["pairs"] = list.pairs,
                        _["on_end"] = static_cast<double>(list.on_end));
  });
}

// What each of `folds` makes of the partners; no pair is kept. list(folds,
// partners, uses, on_end): `uses` says of right rows only 0, 1, or 2 for more
// [[Rcpp::export(rng = false)]]
List range_fold_(SEXP search, List folds) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    OwnedRanges& ranges = search_of<OwnedRanges>(search);
    const core::Groups& groups = ranges.groups.view;
    const glue::Folds asked(context, folds, groups.left_rows,
                            groups.right_rows);
    const core::FoldedRanges found = ranges.search->fold(context, asked.jobs());
    return List::create(
        _["folds"] = asked.results(),
        _["partners"] = glue::as_rows(found.partners),
        _["uses"] = IntegerVector(found.uses.begin(), found.uses.end()),
        _["on_end"] = static_cast<double>(found.on_end));
  });
}

// Pairs of the left rows from `from` (1-based) on until there are `most`;
// `from` is the left row to go on with.
// [[Rcpp::export(rng = false)]]
List range_block_(SEXP search, double from, double most) {
  return glue::guarded([&] {
    OwnedRanges& ranges = search_of<OwnedRanges>(search);
    glue::require(from >= 1 && most >= 1, "where a block begins");
    const auto first = static_cast<std::size_t>(from) - 1;
    const core::PairList list =
        ranges.search->block(glue::current_context(), first, most);
    IntegerVector left(glue::new_vector(INTSXP, list.rows.size()));
    R_xlen_t at = 0;
    for (std::size_t k = 0; k < list.counts.size(); ++k)
      for (core::Row c = 0; c < list.counts[k]; ++c)
        left[at++] = static_cast<int>(first + k + 1);
    return List::create(
        _["left"] = left, _["right"] = glue::as_rows(list.rows),
        _["on_end"] = static_cast<double>(list.on_end),
        _["from"] = from + static_cast<double>(list.counts.size()));
  });
}

// `matches` is NULL when pairs are more than `limit`.
// [[Rcpp::export(rng = false)]]
List match_nearest_(List matches, List nearest, List rules, SEXP skip_left,
                    SEXP skip_right, double limit, bool mark_near = false) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const OwnedGroups owned(context, matches);
    const core::Groups& groups = owned.view;
    const core::NearestPairs found = core::match_nearest(
        context, groups,
        as_nearest(nearest, groups.left_rows, groups.right_rows),
        as_rules(rules, groups), as_flags(skip_left, groups.left_rows),
        as_flags(skip_right, groups.right_rows), limit, mark_near);
    const bool single = found.list.counts.empty();
    RObject made;
    if (!found.too_many)
      made = single ? as_matches(context, found.partner_of, groups.right_rows)
                    : as_matches(context, found.list, groups.right_rows);
    return List::create(
        _["matches"] = made, _["pairs"] = found.list.pairs,
        _["tied"] = glue::as_rows(found.tied),
        _["candidates"] = found.candidates,
        _["near"] = RawVector(found.near.begin(), found.near.end()));
  });
}

// The closest pairs first, each row once: matches
// [[Rcpp::export(rng = false)]]
List match_once_(List matches, List nearest, SEXP skip_left, SEXP skip_right) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const OwnedGroups owned(context, matches);
    const core::Groups& groups = owned.view;
    Shield<SEXP> range(glue::new_vector(INTSXP, groups.left_rows));
    std::fill_n(INTEGER(range), groups.left_rows, 0);
    core::once_nearest(context, groups,
                       as_nearest(nearest, groups.left_rows, groups.right_rows),
                       as_flags(skip_left, groups.left_rows),
                       as_flags(skip_right, groups.right_rows), INTEGER(range));
    return glue::new_matches(range, R_NilValue, R_NilValue, groups.right_rows);
  });
}

// [[Rcpp::export(rng = false)]]
SEXP outward_search_(List matches, List nearest, List rules, SEXP skip_left,
                     SEXP skip_right) {
  return glue::guarded([&]() -> SEXP {
    const core::Context context = glue::current_context();
    std::unique_ptr<OwnedRounds> made(
        new OwnedRounds{OwnedGroups(context, matches), nullptr});
    const core::Groups& groups = made->groups.view;
    made->search.reset(core::OutwardSearch::make(
        context, groups,
        as_nearest(nearest, groups.left_rows, groups.right_rows),
        as_rules(rules, groups), as_flags(skip_left, groups.left_rows),
        as_flags(skip_right, groups.right_rows)));
    const List kept =
        List::create(matches, nearest, rules, skip_left, skip_right);
    return as_pointer(std::move(made), kept);
  });
}

// [[Rcpp::export(rng = false)]]
List outward_round_(SEXP search, IntegerVector open, double most) {
  return glue::guarded([&] {
    OwnedRounds& rounds = search_of<OwnedRounds>(search);
    glue::require(most >= 1, "the size of a round");
    glue::check_rows(glue::current_context(), open.begin(), open.size(), 1,
                     static_cast<R_xlen_t>(rounds.groups.view.left_rows),
                     "open rows");
    const std::vector<core::Row> rows(open.begin(), open.end());
    const core::Round round =
        rounds.search->next(rows, static_cast<std::size_t>(most));
    return List::create(_["left"] = glue::as_rows(round.left),
                        _["right"] = glue::as_rows(round.right),
                        _["point"] = glue::as_rows(round.point));
  });
}

// For frames in order of one key (or none) and time: list(matches,
// candidates), or NULL when they are not in order. `nearest` looks back and
// takes the last.
// [[Rcpp::export(rng = false)]]
SEXP merge_nearest_(List left_keys, List right_keys, IntegerVector kinds,
                    List nearest) {
  return glue::guarded([&]() -> SEXP {
    const R_xlen_t n = Rf_xlength(glue::part(nearest, "left"));
    const R_xlen_t right_rows = Rf_xlength(glue::part(nearest, "right"));
    const core::Nearest spec = as_nearest(nearest, static_cast<std::size_t>(n),
                                          static_cast<std::size_t>(right_rows));
    core::Keys left, right;  // (none: all rows are of one group)
    if (kinds.size() > 0) {
      left = glue::as_keys(left_keys, kinds);
      right = glue::as_keys(right_keys, kinds);
      glue::require(static_cast<R_xlen_t>(left.rows) == n &&
                        static_cast<R_xlen_t>(right.rows) == right_rows,
                    "the length of a key column");
    }
    IntegerVector partner_of(
        glue::new_vector(INTSXP, static_cast<std::size_t>(n)));
    const core::MergeResult result = core::merge_nearest(
        glue::current_context(), left, right, spec, static_cast<std::size_t>(n),
        static_cast<std::size_t>(right_rows), partner_of.begin());
    if (!result.sorted) return R_NilValue;
    return List::create(
        _["matches"] = glue::new_matches(partner_of, R_NilValue, R_NilValue,
                                         static_cast<std::size_t>(right_rows)),
        _["candidates"] = result.candidates);
  });
}

// How right rows stand to left rows for nearest(), pair by pair: `reach` (0
// missing, 1 on the other side, 2 too far, 3 near), the `sign` of left - right,
// and the distance in two halves.
// [[Rcpp::export(rng = false)]]
List standings_(List nearest, IntegerVector left, IntegerVector right) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const R_xlen_t left_rows = Rf_xlength(glue::part(nearest, "left"));
    const R_xlen_t right_rows = Rf_xlength(glue::part(nearest, "right"));
    const core::Nearest spec =
        as_nearest(nearest, static_cast<std::size_t>(left_rows),
                   static_cast<std::size_t>(right_rows));
    const R_xlen_t n = left.size();
    glue::require(right.size() == n, "row numbers");
    glue::check_rows(context, left.begin(), n, 1, left_rows, "row numbers");
    glue::check_rows(context, right.begin(), n, 1, right_rows, "row numbers");
    IntegerVector reach(no_init(n)), sign(no_init(n));
    NumericVector high(no_init(n)), low(no_init(n));
    for (R_xlen_t k = 0; k < n; ++k) {
      const core::Standing one =
          core::standing_of(spec, static_cast<std::size_t>(left[k] - 1),
                            static_cast<std::size_t>(right[k] - 1));
      reach[k] = static_cast<int>(one.reach);
      sign[k] = one.sign;
      high[k] = one.high;
      low[k] = one.low;
    }
    return List::create(_["reach"] = reach, _["sign"] = sign, _["high"] = high,
                        _["low"] = low);
  });
}
