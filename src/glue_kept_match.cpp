// The rows of a join made again are matched and counted, by the functions that
// R calls one by one.
#include "glue_kept_match.h"

#include <algorithm>
#include <climits>
#include <cmath>

#include "core/pairs.h"
#include "glue.h"
#include "glue_columns.h"
#include "glue_kept_plan.h"
#include "glue_match.h"
#include "glue_ordered.h"
#include "glue_text.h"

using namespace Rcpp;
using namespace ronda;

namespace ronda::kept {

using glue::part;

SEXP column_at(SEXP frame, int place) {
  glue::require(place >= 1 && place <= Rf_xlength(frame),
                "the place of a column");
  return VECTOR_ELT(frame, place - 1);
}

double count_of(const Filling& f, const char* name) {
  return as<double>(f.counts[name]);
}

namespace {

bool has_missing(SEXP doubles) {
  const double* values = REAL(doubles);
  return std::any_of(values, values + Rf_xlength(doubles),
                     [](double value) { return std::isnan(value); });
}

struct KeySides {
  List left, right;
  IntegerVector kinds;
  LogicalVector one_address = LogicalVector::create(TRUE, TRUE);
};

KeySides keys_of(const Filling& f) {
  const IntegerVector left = part(f.record, "keys_left");
  const IntegerVector right = part(f.record, "keys_right");
  glue::require(left.size() == right.size(), "the places of keys");
  KeySides keys{List(left.size()), List(left.size()), part(f.record, "kinds")};
  for (R_xlen_t k = 0; k < left.size(); ++k) {
    keys.left[k] = column_at(f.left, left[k]);
    keys.right[k] = column_at(f.right, right[k]);
    if (keys.kinds[k] != static_cast<int>(core::KeyKind::text)) continue;
    const List texts = comparable_texts_(keys.left[k], keys.right[k]);
    keys.left[k] = part(texts, "left");
    keys.right[k] = part(texts, "right");
    const int* plain = LOGICAL(part(texts, "one_address"));
    for (int side = 0; side < 2; ++side)
      keys.one_address[side] = keys.one_address[side] && plain[side];
  }
  return keys;
}

// the right rows among which other rules than same() look
List groups_of(const Filling& f, const List& found_keys) {
  return found_keys.size() > 0 ? as<List>(part(found_keys, "matches"))
                               : match_everything_(f.left_rows, f.right_rows);
}

// the comparisons that `where` comes to, their columns fetched
List comparisons_of(const Filling& f) {
  const List asked = part(f.record, "comparisons");
  List out(asked.size());
  for (R_xlen_t k = 0; k < asked.size(); ++k) {
    const List one = asked[k];
    const Shield<SEXP> left(
        as_doubles_(column_at(f.left, as<int>(one["left"]))));
    const Shield<SEXP> right(
        as_doubles_(column_at(f.right, as<int>(one["right"]))));
    out[k] = List::create(_["left"] = (SEXP)left, _["op"] = one["op"],
                          _["right"] = (SEXP)right, _["int64"] = false,
                          _["end"] = false);
  }
  return out;
}

// the words of nearest() with its two columns
List nearest_of(const Filling& f) {
  List spec(Rf_shallow_duplicate(part(f.record, "nearest")));
  for (const char* side : {"left", "right"}) {
    SEXP frame = side[0] == 'l' ? f.left : f.right;
    spec[side] = as_doubles_(column_at(frame, as<int>(spec[side])));
  }
  return spec;
}

// Whether all gaps are whole hours, and none is zero: a note says so
bool all_whole_hours(const List& spec, const List& matches) {
  const core::PairsView pairs = glue::as_pairs_unchecked(matches);
  const double* left = REAL(part(spec, "left"));
  const double* right = REAL(part(spec, "right"));
  for (std::size_t i = 0; i < pairs.left_rows; ++i) {
    if (pairs.partner_count(i) == 0) continue;
    const double hours = (left[i] - right[pairs.partner(i, 0) - 1]) / 3600;
    if (!std::isfinite(hours) || hours == 0 || hours != std::round(hours))
      return false;
  }
  return true;
}

// All that is counted where more than equal keys decides
void count_by_pairs(Filling& f, const KeySides& keys, SEXP right_candidates) {
  const core::Context context = glue::current_context();
  const core::PairCounts counts =
      core::count_pairs(context, glue::as_pairs(context, f.matches));
  auto missing = [&](const List& side) {
    return keys.kinds.size() > 0 ? count_missing_(side, keys.kinds) : 0.0;
  };
  const auto matched_left = static_cast<double>(counts.matched_left);
  const auto matched_right = static_cast<double>(counts.matched_right);
  f.counts = List::create(
      _["pairs"] = counts.pairs, _["matched_left"] = matched_left,
      _["matched_right"] = matched_right, _["most_left"] = counts.most_left,
      _["most_right"] = counts.most_right, _["on_both"] = counts.on_both,
      _["missing_left"] = missing(keys.left),
      _["missing_right"] = missing(keys.right),
      _["repeated"] = LogicalVector::create(_["left"] = counts.most_right > 1,
                                            _["right"] = counts.most_left > 1),
      _["candidates_left"] = matched_left,
      _["candidates_right"] =
          Rf_isNull(right_candidates) ? wrap(matched_right) : right_candidates);
}

// nearest(): false where R has something to say of it
bool match_nearest(Filling& f, const KeySides& keys, const List& found_keys) {
  const List spec = nearest_of(f);
  if (has_missing(part(spec, "left")) || has_missing(part(spec, "right")))
    return false;
  List found;
  bool walked = false;
  if (flag_of(f.record, "walks")) {
    const RObject merged =
        merge_nearest_(keys.left, keys.right, keys.kinds, spec);
    walked = !merged.isNULL();
    if (walked) found = merged;
  }
  if (!walked)
    found = match_nearest_(groups_of(f, found_keys), spec, List(), R_NilValue,
                           R_NilValue, INT_MAX, false);
  f.matches = part(found, "matches");
  if (flag_of(f.record, "times") && all_whole_hours(spec, f.matches))
    return false;
  const double tried = as<double>(found["candidates"]);
  count_by_pairs(f, keys, NumericVector::create(tried < 0 ? NA_REAL : tried));
  const double alone = f.left_rows - as<double>(f.counts["matched_left"]);
  return std::isinf(as<double>(spec["within"])) || alone == 0;
}

bool match_comparisons(Filling& f, const KeySides& keys, const List& found_keys,
                       double limit) {
  const RObject search = range_search_(
      groups_of(f, found_keys), comparisons_of(f), R_NilValue, R_NilValue);
  const List found = range_all_(search, limit);
  if (Rf_isNull(part(found, "matches"))) return false;
  f.matches = part(found, "matches");
  count_by_pairs(f, keys, R_NilValue);
  return true;
}

}  // namespace

bool match(Filling& f, double limit) {
  const KeySides keys = keys_of(f);
  const bool nearest = part(f.record, "nearest") != R_NilValue;
  const bool keyed_only =
      !nearest && Rf_xlength(part(f.record, "comparisons")) == 0;
  List found;
  if (keys.kinds.size() > 0)
    found = match_equal_(keys.left, keys.right, keys.kinds,
                         flag_of(f.record, "match_missing"), keyed_only,
                         keys.one_address);
  if (keyed_only) {
    f.matches = part(found, "matches");
    f.counts = part(found, "counts");
    return true;
  }
  return nearest ? match_nearest(f, keys, found)
                 : match_comparisons(f, keys, found, limit);
}

bool as_expected(const Filling& f) {
  SEXP once = part(f.record, "once");
  SEXP complete = part(f.record, "complete");
  SEXP repeated = part(f.counts, "repeated");
  const double missing =
      count_of(f, "missing_left") + count_of(f, "missing_right");
  return !(flag_at(once, 0) && flag_at(repeated, 0)) &&
         !(flag_at(once, 1) && flag_at(repeated, 1)) &&
         !(flag_at(complete, 0) && count_of(f, "matched_left") < f.left_rows) &&
         !(flag_at(complete, 1) &&
           count_of(f, "matched_right") < f.right_rows) &&
         !(flag_of(f.record, "no_missing") && missing > 0) &&
         !(flag_of(f.record, "warns") &&
           part(f.counts, "on_both") != R_NilValue &&
           as<bool>(f.counts["on_both"]));
}

void keep_one_partner(Filling& f) {
  f.candidates = f.matches;
  const std::string repeats = as<std::string>(part(f.record, "repeats"));
  if (repeats == "all" || Rf_isNull(part(f.matches, "starts"))) return;
  for (const char* side : {"left", "right"}) {
    const std::string name = std::string("candidates_") + side;
    if (!f.counts.containsElementNamed(name.c_str()))
      f.counts[name] = f.counts[std::string("matched_") + side];
  }
  f.matches =
      glue::new_matches(one_partner_(f.matches, repeats == "last"), R_NilValue,
                        R_NilValue, static_cast<std::size_t>(f.right_rows));
  const List kept = count_pairs_(f.matches);
  const CharacterVector names = kept.names();
  for (R_xlen_t k = 0; k < kept.size(); ++k)
    f.counts[std::string(names[k])] = kept[k];
}

}  // namespace ronda::kept
