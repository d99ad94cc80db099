// Ordered rules: ranges, windows, nearest.
#include <memory>

#include "core/nearest_match.h"
#include "core/nearest_merge.h"
#include "core/range_match.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

// Groups of right rows from the matches of the same() rules; where those keep
// no ranges every right row is a group of its own.
struct OwnedGroups {
  std::vector<core::Row> starts, rows;
  core::Groups view;
  OwnedGroups(const IntegerVector& slot, SEXP starts_, SEXP rows_,
              int right_rows) {
    view.group = slot.begin();
    view.left_rows = static_cast<std::size_t>(slot.size());
    view.right_rows = static_cast<std::size_t>(right_rows);
    if (starts_ != R_NilValue) {
      view.starts = INTEGER(starts_);
      view.rows = INTEGER(rows_);
      view.groups = static_cast<std::size_t>(Rf_xlength(starts_)) - 1;
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

core::Compare as_compare(const std::string& op) {
  if (op == "<") return core::Compare::less;
  if (op == "<=") return core::Compare::less_equal;
  if (op == ">") return core::Compare::greater;
  if (op == ">=") return core::Compare::greater_equal;
  if (op == "!=") return core::Compare::unequal;
  stop("as_compare(): no comparison '%s'", op);
}

std::vector<core::Comparison> as_rules(const List& rules) {
  std::vector<core::Comparison> out;
  for (R_xlen_t k = 0; k < rules.size(); ++k) {
    const List rule = rules[k];
    core::Comparison one;
    one.op = as_compare(as<std::string>(rule["op"]));
    one.int64 = as<bool>(rule["int64"]);
    one.end = as<bool>(rule["end"]);
    one.left = REAL(rule["left"]);
    one.right = REAL(rule["right"]);
    out.push_back(one);
  }
  return out;
}

const std::uint8_t* as_flags(SEXP flags) {
  return flags == R_NilValue ? nullptr : RAW(flags);
}

core::Nearest as_nearest(const List& spec) {
  core::Nearest nearest;
  nearest.int64 = as<bool>(spec["int64"]);
  nearest.left = REAL(spec["left"]);
  nearest.right = REAL(spec["right"]);
  nearest.within = as<double>(spec["within"]);
  nearest.equal = as<bool>(spec["equal"]);
  const std::string look = as<std::string>(spec["look"]);
  nearest.look = look == "back"    ? core::Look::back
                 : look == "ahead" ? core::Look::ahead
                                   : core::Look::either;
  const std::string ties = as<std::string>(spec["ties"]);
  nearest.ties = ties == "last"    ? core::Ties::last
                 : ties == "first" ? core::Ties::first
                 : ties == "all"   ? core::Ties::all
                                   : core::Ties::stop;
  return nearest;
}

// Each left row has its own range, or its one partner where none has more.
List as_matches(const core::PairList& list) {
  const auto n = static_cast<R_xlen_t>(list.counts.size());
  IntegerVector slot(glue::new_vector(INTSXP, list.counts.size()));
  bool single = true;
  for (core::Row count : list.counts) single = single && count <= 1;
  if (single) {
    std::size_t at = 0;
    for (R_xlen_t i = 0; i < n; ++i)
      slot[i] = list.counts[i] ? list.rows[at++] : 0;
    return List::create(_["slot"] = slot, _["starts"] = R_NilValue,
                        _["rows"] = R_NilValue);
  }
  IntegerVector starts(glue::new_vector(INTSXP, list.counts.size() + 1));
  starts[0] = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    slot[i] = list.counts[i] ? static_cast<int>(i + 1) : 0;
    starts[i + 1] = starts[i] + list.counts[i];
  }
  return List::create(_["slot"] = slot, _["starts"] = starts,
                      _["rows"] = glue::as_rows(list.rows));
}

List slots_as_matches(const std::vector<core::Row>& slot) {
  return List::create(_["slot"] = glue::as_rows(slot), _["starts"] = R_NilValue,
                      _["rows"] = R_NilValue);
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

// [[Rcpp::export(rng = false)]]
SEXP range_search_(IntegerVector slot, SEXP starts, SEXP rows, int right_rows,
                   List rules, SEXP skip_left, SEXP skip_right) {
  return glue::guarded([&]() -> SEXP {
    std::unique_ptr<OwnedRanges> made(
        new OwnedRanges{OwnedGroups(slot, starts, rows, right_rows), nullptr});
    made->search.reset(core::RangeSearch::make(
        glue::current_context(), made->groups.view, as_rules(rules),
        as_flags(skip_left), as_flags(skip_right)));
    const List kept =
        List::create(slot, starts, rows, rules, skip_left, skip_right);
    return XPtr<OwnedRanges>(made.release(), true, R_NilValue, kept);
  });
}

// All pairs; `matches` is NULL when they are more than `limit`.
// [[Rcpp::export(rng = false)]]
List range_all_(SEXP search, double limit) {
  return glue::guarded([&] {
    XPtr<OwnedRanges> ranges(search);
    const core::PairList list =
        ranges->search->all(glue::current_context(), limit);
    return List::create(
        _["matches"] =
            list.pairs > limit ? R_NilValue : (SEXP)as_matches(list),
        _["pairs"] = list.pairs,
        _["on_end"] = static_cast<double>(list.on_end));
  });
}

// Pairs of the left rows from `from` (1-based) on until there are `most`;
// `from` is the left row to go on with.
// [[Rcpp::export(rng = false)]]
List range_block_(SEXP search, double from, double most) {
  return glue::guarded([&] {
    XPtr<OwnedRanges> ranges(search);
    const auto first = static_cast<std::size_t>(from) - 1;
    const core::PairList list =
        ranges->search->block(glue::current_context(), first, most);
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

// [[Rcpp::export(rng = false)]]
List match_nearest_(IntegerVector slot, SEXP starts, SEXP rows, int right_rows,
                    List nearest, List rules, SEXP skip_left,
                    SEXP skip_right) {
  return glue::guarded([&] {
    const OwnedGroups groups(slot, starts, rows, right_rows);
    const core::NearestPairs found = core::match_nearest(
        glue::current_context(), groups.view, as_nearest(nearest),
        as_rules(rules), as_flags(skip_left), as_flags(skip_right));
    const bool single = found.list.counts.empty();
    return List::create(_["matches"] = single ? slots_as_matches(found.slot)
                                              : as_matches(found.list),
                        _["tied"] = glue::as_rows(found.tied),
                        _["candidates"] = found.candidates);
  });
}

// [[Rcpp::export(rng = false)]]
SEXP outward_search_(IntegerVector slot, SEXP starts, SEXP rows,
                     int right_rows, List nearest, List rules, SEXP skip_left,
                     SEXP skip_right) {
  return glue::guarded([&]() -> SEXP {
    std::unique_ptr<OwnedRounds> made(
        new OwnedRounds{OwnedGroups(slot, starts, rows, right_rows), nullptr});
    made->search.reset(core::OutwardSearch::make(
        glue::current_context(), made->groups.view, as_nearest(nearest),
        as_rules(rules), as_flags(skip_left), as_flags(skip_right)));
    const List kept = List::create(slot, starts, rows, nearest, rules,
                                   skip_left, skip_right);
    return XPtr<OwnedRounds>(made.release(), true, R_NilValue, kept);
  });
}

// [[Rcpp::export(rng = false)]]
List outward_round_(SEXP search, IntegerVector open, double most) {
  return glue::guarded([&] {
    XPtr<OwnedRounds> rounds(search);
    const std::vector<core::Row> rows(open.begin(), open.end());
    const core::Round round =
        rounds->search->next(rows, static_cast<std::size_t>(most));
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
    const core::Nearest spec = as_nearest(nearest);
    const R_xlen_t n = Rf_xlength(nearest["left"]);
    const R_xlen_t right_rows = Rf_xlength(nearest["right"]);
    IntegerVector slot(glue::new_vector(INTSXP, static_cast<std::size_t>(n)));
    const core::MergeResult result = core::merge_nearest(
        glue::current_context(), glue::as_keys(left_keys, kinds),
        glue::as_keys(right_keys, kinds), spec, static_cast<std::size_t>(n),
        static_cast<std::size_t>(right_rows), slot.begin());
    if (!result.sorted) return R_NilValue;
    return List::create(
        _["matches"] = List::create(_["slot"] = slot, _["starts"] = R_NilValue,
                                    _["rows"] = R_NilValue),
        _["candidates"] = result.candidates);
  });
}
