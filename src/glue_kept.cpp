// Joins made again. A plan depends on what was asked and on the names and types
// of columns, never on a row: where all of these are as they were, the plan
// that R made before (R/frame_kept.R) is filled in here, in one call, by the
// functions that R calls one by one. Whatever is out of the common (an
// expectation that fails, a note to make) is left to R, which begins anew.
#include <algorithm>
#include <cmath>

#include "core/roads.h"
#include "gather_values.h"
#include "glue.h"
#include "glue_calls.h"
#include "glue_frames.h"

using namespace Rcpp;
using namespace ronda;

namespace {

using glue::part;

bool flag_at(SEXP flags, R_xlen_t k) {
  const int* values = glue::flags(flags, -1, "flags of a plan");
  glue::require(k < Rf_xlength(flags), "flags of a plan");
  return values[k] == TRUE;
}
bool flag_of(const List& record, const char* name) {
  return flag_at(part(record, name), 0);
}

// Whether a plan is the one --------------------------------------------------

bool same_value(SEXP x, SEXP y) {
  constexpr int as_identical_does = 16;
  return x == y || (TYPEOF(x) == TYPEOF(y) &&
                    R_compute_identical(x, y, as_identical_does));
}

bool is_formula(SEXP x) {
  return TYPEOF(x) == LANGSXP && Rf_inherits(x, "formula") && Rf_length(x) == 2;
}

// (formulas are the same where their code is: each call has a place of its own)
bool same_choice(SEXP x, SEXP y) {
  if (x == y) return true;
  if (is_formula(x) && is_formula(y)) return same_value(CADR(x), CADR(y));
  if (TYPEOF(x) != VECSXP || TYPEOF(y) != VECSXP || OBJECT(x) || OBJECT(y))
    return same_value(x, y);
  if (Rf_xlength(x) != Rf_xlength(y) ||
      !same_value(Rf_getAttrib(x, R_NamesSymbol),
                  Rf_getAttrib(y, R_NamesSymbol)))
    return false;
  for (R_xlen_t k = 0; k < Rf_xlength(x); ++k)
    if (!same_choice(VECTOR_ELT(x, k), VECTOR_ELT(y, k))) return false;
  return true;
}

// `strict`: all its attributes matter, as values are compared or put together
bool like_column(SEXP x, SEXP like, bool strict) {
  if (TYPEOF(x) != TYPEOF(like)) return false;
  if (ATTRIB(x) == R_NilValue || ATTRIB(like) == R_NilValue)
    return ATTRIB(x) == ATTRIB(like);
  if (strict) return same_value(ATTRIB(x), ATTRIB(like));
  return !IS_S4_OBJECT(x) && glue::is_flat(x) &&
         same_value(Rf_getAttrib(x, R_ClassSymbol),
                    Rf_getAttrib(like, R_ClassSymbol));
}

bool like_frame(SEXP frame, SEXP like, SEXP strict) {
  glue::check_list(like, "columns of a plan");
  if (TYPEOF(frame) != VECSXP || Rf_xlength(frame) != Rf_xlength(like) ||
      !same_value(Rf_getAttrib(frame, R_ClassSymbol),
                  Rf_getAttrib(like, R_ClassSymbol)) ||
      !same_value(Rf_getAttrib(frame, R_NamesSymbol),
                  Rf_getAttrib(like, R_NamesSymbol)) ||
      !glue::has_plain_attributes(frame))
    return false;
  const int rows = std::abs(glue::row_count(frame));
  for (R_xlen_t k = 0; k < Rf_xlength(frame); ++k) {
    SEXP x = VECTOR_ELT(frame, k);
    if (!like_column(x, VECTOR_ELT(like, k), flag_at(strict, k)) ||
        Rf_xlength(x) != rows)
      return false;
  }
  return true;
}

// whether what the code of a formula calls is still R's own
bool calls_base(SEXP formula, SEXP functions) {
  SEXP place = Rf_getAttrib(formula, Rf_install(".Environment"));
  if (TYPEOF(place) != ENVSXP) return false;
  for (R_xlen_t k = 0; k < Rf_xlength(functions); ++k) {
    SEXP name = Rf_installTrChar(STRING_ELT(functions, k));
    if (Rcpp_fast_eval(name, place) != Rcpp_fast_eval(name, R_BaseEnv))
      return false;
  }
  return true;
}

bool calls_base_functions(const List& record, const List& choices) {
  SEXP functions = part(record, "functions");
  glue::check_text(functions, "functions of a plan");
  if (Rf_xlength(functions) == 0) return true;
  SEXP where = part(choices, "where");
  if (where != R_NilValue && !calls_base(where, functions)) return false;
  SEXP folds = part(choices, "fold");
  for (R_xlen_t k = 0; k < Rf_xlength(folds); ++k)
    if (!calls_base(VECTOR_ELT(folds, k), functions)) return false;
  return true;
}

bool is_plan_of(const List& record, SEXP left, SEXP right, SEXP on, SEXP rows,
                const List& choices) {
  return same_value(rows, part(record, "rows")) &&
         same_choice(on, part(record, "on")) &&
         same_choice(choices, part(record, "choices")) &&
         like_frame(left, part(record, "left"), part(record, "strict_left")) &&
         like_frame(right, part(record, "right"),
                    part(record, "strict_right")) &&
         calls_base_functions(record, choices);
}

// Matching -------------------------------------------------------------------

// What is filled in for one join
struct Filling {
  const List& record;
  SEXP left, right;
  int left_rows, right_rows;
  List matches, candidates, counts;
};

SEXP column_at(SEXP frame, int place) {
  glue::require(place >= 1 && place <= Rf_xlength(frame),
                "the place of a column");
  return VECTOR_ELT(frame, place - 1);
}

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

double count_of(const Filling& f, const char* name) {
  return as<double>(f.counts[name]);
}

// Whether the candidates are as they are expected to be
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

// repeats = "first" or "last"
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

// The frame ------------------------------------------------------------------

// Which rows each line of the result is made from, 0 for none; `left_as_is`:
// every left row once, in order
struct Lines {
  std::vector<int> left, right;
  bool left_as_is = false;
  R_xlen_t size() const { return static_cast<R_xlen_t>(left.size()); }
  void add(int left_row, int right_row) {
    left.push_back(left_row);
    right.push_back(right_row);
  }
};

Lines lines_of(const Filling& f) {
  enum { pairs_out, left_matched, left_alone, right_alone };
  SEXP type = part(f.record, "type");
  const core::PairsView pairs = glue::as_pairs_unchecked(f.matches);
  Lines lines;
  for (int i = 0; i < f.left_rows; ++i) {
    const int partners = pairs.partner_count(static_cast<std::size_t>(i));
    if (flag_at(type, pairs_out)) {
      for (int k = 0; k < partners; ++k)
        lines.add(i + 1, pairs.partner(static_cast<std::size_t>(i), k));
    } else if (flag_at(type, left_matched) && partners > 0) {
      lines.add(i + 1, pairs.partner(static_cast<std::size_t>(i), 0));
    }
    if (flag_at(type, left_alone) && partners == 0) lines.add(i + 1, 0);
  }
  lines.left_as_is = lines.size() == f.left_rows;
  for (int i = 0; lines.left_as_is && i < f.left_rows; ++i)
    lines.left_as_is = lines.left[static_cast<std::size_t>(i)] == i + 1;
  if (!flag_at(type, right_alone)) return lines;
  const LogicalVector matched = matched_right_(f.matches);
  for (int j = 0; j < f.right_rows; ++j)
    if (!matched[j]) lines.add(0, j + 1);
  lines.left_as_is = lines.left_as_is && lines.size() == f.left_rows;
  return lines;
}

// x[rows] with its attributes; missing where rows is 0
SEXP picked(const core::Context& context, SEXP x,
            const std::vector<int>& rows) {
  Shield<SEXP> out(
      Rf_allocVector(TYPEOF(x), static_cast<R_xlen_t>(rows.size())));
  if (!rows.empty()) glue::gather_values(context, x, rows.data(), out);
  if (ATTRIB(x) != R_NilValue) SHALLOW_DUPLICATE_ATTRIB(out, x);
  return out;
}

IntegerVector as_integers(const std::vector<int>& rows) {
  return IntegerVector(rows.begin(), rows.end());
}

SEXP origin_of(const Lines& lines, SEXP levels) {
  IntegerVector codes(lines.size());
  for (R_xlen_t k = 0; k < codes.size(); ++k) {
    const auto at = static_cast<std::size_t>(k);
    codes[k] = lines.right[at] == 0 ? 1 : lines.left[at] == 0 ? 2 : 3;
  }
  codes.attr("levels") = levels;
  codes.attr("class") = "factor";
  return codes;
}

IntegerVector numbers_of(const std::vector<int>& rows) {
  IntegerVector out = as_integers(rows);
  std::replace(out.begin(), out.end(), 0, NA_INTEGER);
  return out;
}

// What fold_pairs_() made of each formula, in the type that R gives it; an
// empty list where R has more to do
List folded(const core::Context& context, const Filling& f) {
  const List folds = part(f.record, "folds");
  List specs(folds.size()), out(folds.size());
  for (R_xlen_t k = 0; k < folds.size(); ++k) {
    const List fold = folds[k];
    const int place = as<int>(fold["column"]);
    specs[k] = List::create(
        _["by"] = fold["by"], _["na_rm"] = fold["na_rm"],
        _["values"] = place == 0 ? R_NilValue : column_at(f.right, place));
  }
  const List found = part(fold_pairs_(f.matches, specs, false), "folds");
  for (R_xlen_t k = 0; k < folds.size(); ++k) {
    const List one = found[k], fold = folds[k];
    if (as<double>(one["too_large"]) > 0 || as<double>(one["no_value"]) > 0)
      return List();
    SEXP like = fold["like"];
    glue::require(TYPEOF(like) == INTSXP || TYPEOF(like) == REALSXP ||
                      TYPEOF(like) == LGLSXP,
                  "what a fold gives");
    const Shield<SEXP> value(
        Rf_coerceVector(part(one, "values"), TYPEOF(like)));
    SHALLOW_DUPLICATE_ATTRIB(value, like);
    out[k] = value;
  }
  return out;
}

// (as R/frame_kept.R has them)
enum From {
  from_left = 1,
  from_right,
  both_sides,
  together,
  origin,
  partners,
  left_numbers,
  right_numbers,
  fold
};

// `changed`: by name, how many cells collisions = "update" changed. An empty
// list where columns should agree and don't.
List columns_of(const core::Context& context, const Filling& f,
                const Lines& lines, const List& folds, NumericVector& changed) {
  const IntegerVector from = part(f.record, "from");
  const IntegerVector at_left = part(f.record, "at_left");
  const IntegerVector at_right = part(f.record, "at_right");
  glue::check_text(part(f.record, "names"), "names");
  const CharacterVector names = part(f.record, "names");
  glue::check_text(part(f.record, "hows"), "how columns are put together");
  const CharacterVector hows = part(f.record, "hows");
  glue::check_text(part(f.record, "class"), "a class");
  glue::check_text(part(f.record, "levels"), "levels");
  glue::require(at_left.size() == from.size() &&
                    at_right.size() == from.size() &&
                    names.size() == from.size() && hows.size() == from.size(),
                "the columns of a plan");
  List columns(from.size());
  R_xlen_t folds_done = 0;
  auto left_column = [&](SEXP x) {
    glue::require(x != R_NilValue, "the place of a column");
    return lines.left_as_is ? x : picked(context, x, lines.left);
  };
  for (R_xlen_t k = 0; k < from.size(); ++k) {
    SEXP x = at_left[k] ? column_at(f.left, at_left[k]) : R_NilValue;
    SEXP y = at_right[k] ? column_at(f.right, at_right[k]) : R_NilValue;
    switch (from[k]) {
      case from_left:
        columns[k] = left_column(x);
        break;
      case from_right:
        glue::require(y != R_NilValue, "the place of a column");
        columns[k] = picked(context, y, lines.right);
        break;
      case both_sides:
        columns[k] = left_column(x);
        if (!lines.left_as_is)
          columns[k] = patch_(columns[k], as_integers(lines.left), y,
                              as_integers(lines.right));
        break;
      case together: {
        const std::string how = as<std::string>(hows[k]);
        const List merged = merge_values_(x, y, as_integers(lines.left),
                                          as_integers(lines.right), how);
        if (as<bool>(merged["differ"])) return List();
        columns[k] = part(merged, "values");
        if (how == "update")
          changed.push_back(as<double>(merged["changed"]),
                            as<std::string>(names[k]));
        break;
      }
      case origin:
        columns[k] = origin_of(lines, part(f.record, "levels"));
        break;
      case partners:
        columns[k] = picked(context, partner_counts_(f.candidates), lines.left);
        break;
      case left_numbers:
        columns[k] = numbers_of(lines.left);
        break;
      case right_numbers:
        columns[k] = numbers_of(lines.right);
        break;
      case fold:
        glue::require(folds_done < folds.size(), "what is folded");
        columns[k] = left_column(folds[folds_done++]);
        break;
      default:
        glue::stop_unsound("where a column comes from");
    }
  }
  // (its own: there is code that writes into names in place)
  columns.attr("names") = Rf_shallow_duplicate(names);
  columns.attr("class") = part(f.record, "class");
  columns.attr("row.names") =
      IntegerVector::create(NA_INTEGER, -static_cast<int>(lines.size()));
  return columns;
}

double pair_limit(const Filling& f) {
  SEXP asked = part(f.record, "max_rows");
  if (asked != R_NilValue) return Rf_asReal(asked);
  return std::max(1e6, 10.0 * (f.left_rows + f.right_rows));
}

// list(frame, told): `told` is what a receipt is made of. FALSE where R has
// more to do than this
SEXP fill_in(const List& record, SEXP left, SEXP right, double start) {
  const core::Context context = glue::current_context();
  const int left_rows = glue::row_count(left);
  const int right_rows = glue::row_count(right);
  Filling f{record, left,   right, std::abs(left_rows), std::abs(right_rows),
            List(), List(), List()};
  const double check = now_();
  const double limit = pair_limit(f);
  if (!match(f, limit) || !as_expected(f)) return Rf_ScalarLogical(FALSE);
  keep_one_partner(f);
  const double matched = now_();
  const bool folds = Rf_xlength(part(record, "folds")) > 0;
  const double pairs = count_of(f, "pairs");
  // (columns of more may wait until they are looked at)
  if (pairs >= as<double>(part(f.record, "few_pairs")) ||
      (!folds && pairs > limit) || (folds && count_of(f, "matched_left") == 0))
    return Rf_ScalarLogical(FALSE);
  const List values = folds ? folded(context, f) : List();
  if (folds && values.size() == 0) return Rf_ScalarLogical(FALSE);
  const Lines lines = lines_of(f);
  NumericVector changed(0);
  const List frame = columns_of(context, f, lines, values, changed);
  if (frame.size() == 0) return Rf_ScalarLogical(FALSE);
  core::take_road(core::Road::joined_again);
  const List told = List::create(
      _["record"] = record, _["counts"] = f.counts,
      _["sizes"] = IntegerVector::create(f.left_rows, f.right_rows),
      _["row_names"] = LogicalVector::create(left_rows > 0, right_rows > 0),
      _["changed"] = changed.size() > 0 ? SEXP(changed) : R_NilValue,
      _["several"] =
          count_of(f, "most_left") > 1 ? count_several_(f.matches) : 0.0,
      _["n"] = static_cast<double>(lines.size()),
      _["tells"] = Rf_GetOption1(Rf_install("ronda.receipt")),
      _["clock"] = NumericVector::create(start, check, matched, now_()));
  return List::create(_["frame"] = frame, _["told"] = told);
}

bool is_set(const char* option) {
  return Rf_GetOption1(Rf_install(option)) != R_NilValue;
}

}  // namespace

// The frame of a join that one of `plans` was made for, and what a receipt is
// made of: list(frame, told). NULL where none was, FALSE where one was but R
// has more to do.
// [[Rcpp::export(rng = false)]]
SEXP join_again_(List plans, SEXP left, SEXP right, SEXP on, SEXP rows,
                 List choices) {
  return glue::guarded([&]() -> SEXP {
    const double start = now_();
    for (R_xlen_t k = 0; k < plans.size(); ++k) {
      const List record = plans[k];
      if (!is_plan_of(record, left, right, on, rows, choices)) continue;
      if (is_set("ronda.max_rows") ||
          TYPEOF(Rf_GetOption1(Rf_install("ronda.deferred"))) == STRSXP)
        return Rf_ScalarLogical(FALSE);
      return fill_in(record, left, right, start);
    }
    return R_NilValue;
  });
}

// A frame without rows that tells what its columns are; NULL where some column
// is not plain values, or the frame's class may keep more than them.
// [[Rcpp::export(rng = false)]]
SEXP columns_like_(List frame, CharacterVector classes) {
  if (!glue::has_plain_attributes(frame)) return R_NilValue;
  auto is_known = [&](SEXP name) {
    return std::any_of(classes.begin(), classes.end(), [&](SEXP one) {
      return Rf_NonNullStringMatch(one, name);
    });
  };
  List out(frame.size());
  for (R_xlen_t k = 0; k < frame.size(); ++k) {
    SEXP x = frame[k];
    if (!(Rf_isVectorAtomic(x) || TYPEOF(x) == VECSXP) || IS_S4_OBJECT(x) ||
        !glue::is_flat(x))
      return R_NilValue;
    SEXP own = OBJECT(x) ? Rf_getAttrib(x, R_ClassSymbol) : R_NilValue;
    for (R_xlen_t c = 0; c < Rf_xlength(own); ++c)
      if (!is_known(STRING_ELT(own, c))) return R_NilValue;
    const Shield<SEXP> none(Rf_allocVector(TYPEOF(x), 0));
    if (ATTRIB(x) != R_NilValue) SHALLOW_DUPLICATE_ATTRIB(none, x);
    out[k] = none;
  }
  out.attr("names") = frame.attr("names");
  out.attr("class") = frame.attr("class");
  out.attr("row.names") = IntegerVector(0);
  return out;
}
