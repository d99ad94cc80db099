// Matching and counting.
#include "glue_match.h"

#include "core/equal_match.h"
#include "core/list_rows.h"
#include "core/once.h"
#include "core/repeated_keys.h"
#include "core/pairs.h"
#include "core/sort_rows.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

List count_list(const core::PairCounts& counts) {
  return List::create(
      _["pairs"] = counts.pairs,
      _["matched_left"] = static_cast<double>(counts.matched_left),
      _["matched_right"] = static_cast<double>(counts.matched_right),
      _["most_left"] = counts.most_left, _["most_right"] = counts.most_right,
      _["on_both"] = counts.on_both);
}

bool has_one_address(SEXP flags, int side) {
  return Rf_isNull(flags) || LOGICAL(flags)[side];
}

// Whether a key stands in several rows of a side without a partner. Texts that
// were not looked at may be equal at different addresses; `only_such`: nothing
// else is.
bool repeats_unmatched(const core::Context& context, const List& columns,
                       const IntegerVector& kinds,
                       const core::Buffer<core::Row>& rows, bool match_missing,
                       bool looked_at, bool only_such) {
  List settled = columns;
  if (!looked_at)
    settled = glue::texts_at_one_address(context, columns, kinds, &rows);
  bool same = true;
  for (R_xlen_t k = 0; k < columns.size(); ++k)
    same = same && (SEXP)settled[k] == (SEXP)columns[k];
  return !(only_such && same) &&
         core::repeats_among(context, glue::as_keys(settled, kinds), rows,
                             match_missing);
}

// tells an index from other pointers
SEXP index_tag() { return Rf_install("ronda_indexed_keys"); }

// All that is counted about equal keys
List counted(const core::Context& context, const core::Match& match,
             const List& matches, const List& left, const IntegerVector& kinds,
             bool match_missing, bool left_looked_at, bool right_repeats) {
  const core::PairsView pairs = glue::as_pairs_unchecked(matches);
  const core::PairCounts counts =
      match.right.repeated
          ? core::count_disjoint(context, pairs)
          : core::single_counts(match.matched_left, match.matched_right);
  const bool left_repeats =
      counts.most_right > 1 ||
      repeats_unmatched(
          context, left, kinds,
          core::unmatched_rows(context, pairs.range, pairs.left_rows),
          match_missing, left_looked_at, false);
  return List::create(
      _["pairs"] = counts.pairs,
      _["matched_left"] = static_cast<double>(counts.matched_left),
      _["matched_right"] = static_cast<double>(counts.matched_right),
      _["most_left"] = counts.most_left, _["most_right"] = counts.most_right,
      _["on_both"] = counts.on_both,
      _["missing_left"] = static_cast<double>(match.missing_left),
      _["missing_right"] = static_cast<double>(match.missing_right),
      _["repeated"] = LogicalVector::create(_["left"] = left_repeats,
                                            _["right"] = right_repeats));
}

}  // namespace

// Matches of every left row with every right row
// [[Rcpp::export(rng = false)]]
List match_everything_(double left_rows, double right_rows) {
  return glue::guarded([&] {
    glue::require(left_rows >= 0 && left_rows < INT_MAX && right_rows >= 0 &&
                      right_rows < INT_MAX,
                  "numbers of rows");
    const core::Context context = glue::current_context();
    const auto left = static_cast<std::size_t>(left_rows);
    const auto right = static_cast<std::size_t>(right_rows);
    Shield<SEXP> range(glue::new_rows(context, left));
    Shield<SEXP> partners(glue::new_rows(context, right));
    int* ranges = INTEGER(range);
    core::for_rows(context, left,
                   [&](std::size_t i) { ranges[i] = right > 0; });
    int* rows = INTEGER(partners);
    core::for_rows(context, right,
                   [&](std::size_t i) { rows[i] = static_cast<int>(i + 1); });
    glue::vouch_for_rows(range, 1);
    return glue::new_matches(range,
                             IntegerVector::create(0, static_cast<int>(right)),
                             partners, right);
  });
}

// Which right rows have each left row's key, and with `count` all that is
// counted about that; `repeated` says whether keys are repeated on either side.
// `one_address`: whether equal texts share one address on the left, and on the
// right.
// [[Rcpp::export(rng = false)]]
List match_equal_(List left, List right, IntegerVector kinds,
                  bool match_missing, bool count,
                  SEXP one_address = R_NilValue) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Keys left_keys = glue::as_keys(left, kinds);
    const core::Keys right_keys = glue::as_keys(right, kinds);
    if (!Rf_isNull(one_address))
      glue::flags(one_address, 2, "the addresses of texts");
    Shield<SEXP> range(glue::new_rows(context, left_keys.rows));
    const core::Match match =
        core::match_equal(context, left_keys, right_keys, match_missing,
                          core::KeyNames::numbers, INTEGER(range));
    Shield<SEXP> starts(match.right.repeated
                            ? glue::new_rows(context, match.right.most + 1)
                            : R_NilValue);
    Shield<SEXP> partners(match.right.repeated
                              ? glue::new_rows(context, match.right.listed)
                              : R_NilValue);
    if (match.right.repeated)
      core::list_rows(context, match.right, INTEGER(starts), INTEGER(partners));
    glue::vouch_for_rows(
        range, static_cast<R_xlen_t>(match.right.repeated ? match.right.most
                                                          : right_keys.rows));
    const List matches =
        glue::new_matches(range, starts, partners, right_keys.rows);
    if (!count)
      return List::create(_["matches"] = matches, _["counts"] = R_NilValue);
    const bool right_repeats =
        match.right.repeated ||
        (!has_one_address(one_address, 1) &&
         repeats_unmatched(
             context, right, kinds,
             core::unmatched_rows(context, match.found, right_keys.rows),
             match_missing, false, true));
    return List::create(_["matches"] = matches,
                        _["counts"] = counted(
                            context, match, matches, left, kinds, match_missing,
                            has_one_address(one_address, 0), right_repeats));
  });
}

// The keys of a right side, indexed once for many left sides: list(index,
// starts, partners, rows); NULL for more than two columns. Equal texts share
// one address.
// [[Rcpp::export(rng = false)]]
SEXP index_right_(List right, IntegerVector kinds, bool match_missing) {
  return glue::guarded([&]() -> SEXP {
    const core::Context context = glue::current_context();
    const core::Keys keys = glue::as_keys(right, kinds);
    std::unique_ptr<core::RightIndex> index = core::index_right(
        context, keys, match_missing, core::KeyNames::numbers);
    if (!index) return R_NilValue;
    const core::Grouping& named = index->right;
    Shield<SEXP> starts(
        named.repeated ? glue::new_vector(INTSXP, named.most + 1) : R_NilValue);
    Shield<SEXP> partners(
        named.repeated ? glue::new_vector(INTSXP, named.listed) : R_NilValue);
    if (named.repeated)
      core::list_rows(context, named, INTEGER(starts), INTEGER(partners));
    index->right.key = core::Buffer<core::Row>();
    XPtr<core::RightIndex> kept(index.release(), true, index_tag(), R_NilValue);
    return List::create(_["index"] = kept, _["starts"] = (SEXP)starts,
                        _["partners"] = (SEXP)partners, _["kinds"] = kinds);
  });
}

// As match_equal_(), of an index
// [[Rcpp::export(rng = false)]]
List match_indexed_(List index, List left, IntegerVector kinds,
                    bool match_missing, bool count) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    SEXP kept = glue::part(index, "index");
    glue::require(TYPEOF(kept) == EXTPTRSXP &&
                      R_ExternalPtrTag(kept) == index_tag() &&
                      R_ExternalPtrAddr(kept) != nullptr,
                  "an index of right rows");
    const core::RightIndex& right =
        *static_cast<core::RightIndex*>(R_ExternalPtrAddr(kept));
    const IntegerVector own = glue::part(index, "kinds");
    glue::require(own.size() == kinds.size() &&
                      std::equal(own.begin(), own.end(), kinds.begin()),
                  "kinds of keys");
    const core::Keys keys = glue::as_keys(left, kinds);
    Shield<SEXP> range(glue::new_vector(INTSXP, keys.rows));
    const core::Match match = right.look_up(context, keys, INTEGER(range));
    const List matches =
        glue::new_matches(range, glue::part(index, "starts"),
                          glue::part(index, "partners"), right.rows);
    glue::as_pairs(context, matches);  // (its lists may have been changed)
    return List::create(
        _["matches"] = matches,
        _["counts"] =
            count ? SEXP(counted(context, match, matches, left, kinds,
                                 match_missing, true, right.right.repeated))
                  : R_NilValue);
  });
}

// The first row of each row's key (0: missing); NULL when no key is repeated
// and none is missing.
// [[Rcpp::export(rng = false)]]
SEXP group_rows_(List keys, IntegerVector kinds, bool match_missing) {
  return glue::guarded([&]() -> SEXP {
    const core::Context context = glue::current_context();
    const List settled = glue::texts_at_one_address(context, keys, kinds);
    core::Grouping grouping =
        core::group_rows(context, glue::as_keys(settled, kinds), match_missing);
    if (grouping.key.empty()) return R_NilValue;
    return glue::own_rows(context, std::move(grouping.key));
  });
}

// How many rows have each row's key, from what group_rows_() gave (0: missing)
// [[Rcpp::export(rng = false)]]
IntegerVector key_times_(IntegerVector first) {
  return glue::guarded([&] {
    const R_xlen_t n = first.size();
    glue::check_rows(glue::current_context(), first.begin(), n, 0, n,
                     "first rows");
    core::Buffer<core::Row> counts(static_cast<std::size_t>(n) + 1,
                                   core::Start::zero);
    for (int row : first) ++counts[static_cast<std::size_t>(row)];
    counts[0] = 0;
    Shield<SEXP> times(
        glue::new_rows(glue::current_context(), static_cast<std::size_t>(n)));
    int* out = INTEGER(times);
    for (R_xlen_t i = 0; i < n; ++i)
      out[i] = counts[static_cast<std::size_t>(first[i])];
    return IntegerVector((SEXP)times);
  });
}

// The distinct keys, from what group_rows_() gave and flags of the rows that
// matched: list(row (the first of each), rows (how many have it), alone (none
// of them matched))
// [[Rcpp::export(rng = false)]]
List distinct_keys_(IntegerVector first, LogicalVector matched) {
  return glue::guarded([&] {
    const R_xlen_t n = first.size();
    glue::require(matched.size() == n, "flags of rows");
    glue::check_rows(glue::current_context(), first.begin(), n, 0, n,
                     "first rows");
    core::Buffer<core::Row> rows_of(static_cast<std::size_t>(n) + 1,
                                    core::Start::zero);
    std::vector<bool> is_matched(static_cast<std::size_t>(n) + 1);
    R_xlen_t keys = 0;
    for (R_xlen_t i = 0; i < n; ++i) {
      const auto key = static_cast<std::size_t>(first[i]);
      ++rows_of[key];
      if (matched[i]) is_matched[key] = true;
      keys += first[i] == i + 1;
    }
    IntegerVector row(keys), rows(keys);
    LogicalVector alone(keys);
    for (R_xlen_t i = 0, k = 0; i < n; ++i) {
      const auto key = static_cast<std::size_t>(i + 1);
      if (first[i] != i + 1) continue;
      row[k] = first[i];
      rows[k] = rows_of[key];
      alone[k++] = !is_matched[key];
    }
    return List::create(_["row"] = row, _["rows"] = rows, _["alone"] = alone);
  });
}

// [[Rcpp::export(rng = false)]]
double count_missing_(List keys, IntegerVector kinds) {
  return glue::guarded([&] {
    return static_cast<double>(core::count_missing(glue::current_context(),
                                                   glue::as_keys(keys, kinds)));
  });
}

// [[Rcpp::export(rng = false)]]
List count_pairs_(List matches) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    return count_list(
        core::count_pairs(context, glue::as_pairs(context, matches)));
  });
}

// how many left rows have more than one partner
// [[Rcpp::export(rng = false)]]
double count_several_(List matches) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    return static_cast<double>(
        core::count_several(context, glue::as_pairs(context, matches)));
  });
}

// the first (or last) partner of each left row, 0 where it has none
// [[Rcpp::export(rng = false)]]
IntegerVector one_partner_(List matches, bool last) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    Shield<SEXP> chosen(glue::new_rows(context, pairs.left_rows));
    core::one_partner(context, pairs, last, INTEGER(chosen));
    return IntegerVector((SEXP)chosen);
  });
}

// Of each left row's partners the one with the lowest (or highest) value in a
// column of the right frame: missing ones lose, of equal ones the first wins; 0
// where there are none
// [[Rcpp::export(rng = false)]]
IntegerVector best_partner_(List matches, SEXP column, int kind,
                            bool descending) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    const core::Keys keys =
        glue::as_keys(List::create(column), IntegerVector::create(kind));
    glue::require(keys.rows == pairs.right_rows, "a column");
    Shield<SEXP> chosen(glue::new_rows(context, pairs.left_rows));
    core::best_partner(context, pairs,
                       {keys.columns[0], descending, glue::text_characters()},
                       INTEGER(chosen));
    return IntegerVector((SEXP)chosen);
  });
}

// the first partner of each left row that no left row before it has taken, 0
// for none
// [[Rcpp::export(rng = false)]]
IntegerVector once_in_order_(List matches) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    Shield<SEXP> chosen(glue::new_rows(context, pairs.left_rows));
    core::once_in_order(context, pairs, INTEGER(chosen));
    return IntegerVector((SEXP)chosen);
  });
}

// The same of pairs one by one, in the order in which they are to be taken;
// `matches` says how many rows there are
// [[Rcpp::export(rng = false)]]
IntegerVector once_as_listed_(List matches, IntegerVector left,
                              IntegerVector right) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const R_xlen_t n = left.size();
    glue::require(right.size() == n, "row numbers");
    const core::PairsView all = glue::as_pairs(context, matches);
    glue::check_rows(context, left.begin(), n, 1,
                     static_cast<R_xlen_t>(all.left_rows), "row numbers");
    glue::check_rows(context, right.begin(), n, 1,
                     static_cast<R_xlen_t>(all.right_rows), "row numbers");
    Shield<SEXP> chosen(glue::new_rows(context, all.left_rows));
    std::fill_n(INTEGER(chosen), all.left_rows, 0);
    core::once_as_listed(context, left.begin(), right.begin(),
                         static_cast<std::size_t>(n), all.right_rows,
                         INTEGER(chosen));
    return IntegerVector((SEXP)chosen);
  });
}

// One row for each of the keys with the most pairs, or of those that repeat on
// both sides: its range, left rows, right rows.
// [[Rcpp::export(rng = false)]]
List heaviest_ranges_(List matches, int most, bool on_both) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    const core::Buffer<core::Row> uses = core::range_uses(context, pairs);
    IntegerVector heavy =
        glue::as_rows(core::heaviest_ranges(context, pairs, most, on_both));
    IntegerVector left_rows(heavy.size()), sizes(heavy.size());
    for (R_xlen_t k = 0; k < heavy.size(); ++k) {
      left_rows[k] = uses[heavy[k] - 1];
      sizes[k] = pairs.starts
                     ? pairs.starts[heavy[k]] - pairs.starts[heavy[k] - 1]
                     : 1;
    }
    return List::create(_["range"] = heavy, _["left_rows"] = left_rows,
                        _["right_rows"] = sizes);
  });
}

// TRUE for the right rows that have a partner
// [[Rcpp::export(rng = false)]]
LogicalVector matched_right_(List matches) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Buffer<std::uint8_t> marks =
        core::mark_right(context, glue::as_pairs(context, matches));
    return LogicalVector(marks.begin(), marks.end());
  });
}

// where both are TRUE; either may be one flag for all
// [[Rcpp::export(rng = false)]]
LogicalVector both_true_(LogicalVector x, LogicalVector y) {
  return glue::guarded([&] {
    const R_xlen_t n = x.size() == 1 ? y.size() : x.size();
    glue::require(y.size() == n || y.size() == 1, "flags");
    const R_xlen_t x_step = x.size() == 1 ? 0 : 1;
    const R_xlen_t y_step = y.size() == 1 ? 0 : 1;
    LogicalVector out(no_init(n));
    for (R_xlen_t i = 0; i < n; ++i)
      out[i] = x[i * x_step] == TRUE && y[i * y_step] == TRUE;
    return out;
  });
}

// the left rows that have a partner, or those that have none
// [[Rcpp::export(rng = false)]]
IntegerVector left_rows_(IntegerVector range, bool matched) {
  return glue::guarded([&]() -> IntegerVector {
    const int* ranges = range.begin();
    const R_xlen_t n = range.size();
    R_xlen_t rows = 0;
    for (R_xlen_t i = 0; i < n; ++i) rows += (ranges[i] > 0) == matched;
    IntegerVector out(no_init(rows));
    for (R_xlen_t i = 0, at = 0; i < n; ++i)
      if ((ranges[i] > 0) == matched) out[at++] = static_cast<int>(i + 1);
    return out;
  });
}

// how many partners each left row has
// [[Rcpp::export(rng = false)]]
IntegerVector partner_counts_(List matches) {
  return glue::guarded([&] {
    const core::PairsView pairs =
        glue::as_pairs(glue::current_context(), matches);
    IntegerVector counts(no_init(static_cast<R_xlen_t>(pairs.left_rows)));
    for (std::size_t i = 0; i < pairs.left_rows; ++i)
      counts[static_cast<R_xlen_t>(i)] = pairs.partner_count(i);
    return counts;
  });
}

// Left and right row of every line of a result; left is NULL when every left
// row stands once, in order. `right_alone`: the right rows without a partner
// stand at the end.
// [[Rcpp::export(rng = false)]]
List expand_pairs_(List matches, bool keep_unmatched,
                   bool right_alone = false) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::PairsView pairs = glue::as_pairs(context, matches);
    const core::Expansion expansion(context, pairs, keep_unmatched);
    core::Buffer<core::Row> alone;
    if (right_alone) alone = core::unmatched_right(context, pairs);
    const bool keeps = expansion.keeps_left() && alone.empty();
    if (keeps && !pairs.starts)
      return List::create(_["left"] = R_NilValue,
                          _["right"] = glue::part(matches, "range"));
    const std::size_t lines = expansion.size();
    const std::size_t size = lines + alone.size();
    Shield<SEXP> right(glue::new_rows(context, size));
    Shield<SEXP> left(keeps ? R_NilValue : glue::new_rows(context, size));
    expansion.write(keeps ? nullptr : INTEGER(left), INTEGER(right));
    if (!alone.empty()) {
      std::copy(alone.begin(), alone.end(), INTEGER(right) + lines);
      std::fill_n(INTEGER(left) + lines, alone.size(), 0);
    }
    return List::create(_["left"] = (SEXP)left, _["right"] = (SEXP)right);
  });
}

// The order of rows by some columns: stable, missing values last
// [[Rcpp::export(rng = false)]]
IntegerVector sort_rows_(List columns, IntegerVector kinds,
                         LogicalVector descending) {
  return glue::guarded([&] {
    const core::Keys keys = glue::as_keys(columns, kinds);
    glue::require(descending.size() == columns.size(), "the order of columns");
    std::vector<core::SortColumn> by;
    for (const core::KeyColumn& column : keys.columns)
      by.push_back(
          {column, descending[by.size()] == TRUE, glue::text_characters()});
    const core::Context context = glue::current_context();
    Shield<SEXP> order(
        glue::own_rows(context, core::sort_rows(context, by, keys.rows)));
    return IntegerVector((SEXP)order);
  });
}

// At most `most` pairs from partner number `partner` (0-based) of left row
// `row` (1-based) on; `at` says where the next block starts.
// [[Rcpp::export(rng = false)]]
List pair_block_(List matches, double row, double partner, double most) {
  return glue::guarded([&] {
    // Checked as they are used, for there may be many blocks.
    const core::PairsView pairs = glue::as_pairs_unchecked(matches);
    const R_xlen_t listed =
        pairs.starts ? Rf_xlength(glue::part(matches, "partners")) : 0;
    auto check_range = [&](core::Row s) {
      glue::require(s >= 0, "partners");
      if (s == 0 || !pairs.starts) return;
      glue::require(static_cast<std::size_t>(s) <= pairs.ranges &&
                        pairs.starts[s - 1] >= 0 &&
                        pairs.starts[s - 1] <= pairs.starts[s] &&
                        pairs.starts[s] <= listed,
                    "where ranges start");
    };
    glue::require(row >= 1 && partner >= 0 && partner <= INT_MAX && most >= 1,
                  "where a block begins");
    std::vector<core::Row> left, right;
    auto i = static_cast<std::size_t>(row) - 1;
    auto k = static_cast<core::Row>(partner);
    while (i < pairs.left_rows && left.size() < most) {
      check_range(pairs.range[i]);
      const core::Row size = pairs.partner_count(i);
      for (; k < size && left.size() < most; ++k) {
        left.push_back(static_cast<core::Row>(i + 1));
        right.push_back(pairs.partner(i, k));
      }
      if (k < size) break;
      ++i;
      k = 0;
    }
    return List::create(
        _["left"] = glue::as_rows(left), _["right"] = glue::as_rows(right),
        _["at"] = NumericVector::create(static_cast<double>(i) + 1,
                                        static_cast<double>(k)));
  });
}
