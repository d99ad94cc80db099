// Cells of text files: rows found by their bytes, and columns of texts as
// values of other types, as R's vectors.
#include "glue_cells.h"

#include "core/text_rows.h"
#include "core/text_values.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

char as_sign(const std::string& text) {
  glue::require(text.size() == 1, "a delimiter or decimal mark");
  return text[0];
}

const char* word_of(core::ColumnType type) {
  static const char* const words[] = {"empty", "flag", "integer", "number",
                                      "int64", "date", "time",    "text"};
  return words[static_cast<std::size_t>(type)];
}

const char* word_of(core::CellKind kind) {
  static const char* const words[] = {"missing", "flag", "number",
                                      "date",    "time", "text"};
  return words[static_cast<std::size_t>(kind)];
}

core::TextColumn as_texts(const CharacterVector& text, double above) {
  glue::require(above >= 0 && above <= static_cast<double>(text.size()),
                "a number of rows");
  const auto first = static_cast<std::size_t>(above);
  const SEXP* texts = STRING_PTR_RO(text) + first;
  return {reinterpret_cast<const void* const*>(texts),
          static_cast<std::size_t>(text.size()) - first, NA_STRING,
          glue::text_characters()};
}

// integers or flags
SEXP whole_values(const core::Context& context, const core::TextColumn& texts,
                  char decimal, SEXPTYPE type) {
  SEXP values = glue::new_vector(type, texts.size);
  int* to = type == LGLSXP ? LOGICAL(values) : INTEGER(values);
  core::put_values(context, texts, decimal,
                   [&](std::size_t i, const core::CellValue& value) {
                     to[i] = value.kind == core::CellKind::missing
                                 ? NA_INTEGER
                                 : static_cast<int>(value.value);
                   });
  return values;
}

// numbers, days or seconds
SEXP double_values(const core::Context& context, const core::TextColumn& texts,
                   char decimal) {
  SEXP values = glue::new_vector(REALSXP, texts.size);
  double* to = REAL(values);
  const double missing = NA_REAL;
  core::put_values(
      context, texts, decimal,
      [&](std::size_t i, const core::CellValue& value) {
        to[i] = value.kind == core::CellKind::missing ? missing : value.value;
      });
  return values;
}

// The values of texts that all are of a type; NULL of texts
RObject values_of(const core::Context& context, const core::TextColumn& texts,
                  char decimal, core::ColumnType type) {
  RObject values;
  switch (type) {
    case core::ColumnType::text:
    case core::ColumnType::empty:
      break;
    case core::ColumnType::flag:
      values = whole_values(context, texts, decimal, LGLSXP);
      break;
    case core::ColumnType::integer:
      values = whole_values(context, texts, decimal, INTSXP);
      break;
    case core::ColumnType::int64:
      values = glue::new_vector(REALSXP, texts.size);
      core::read_int64s(context, texts,
                        reinterpret_cast<std::int64_t*>(REAL(values)));
      values.attr("class") = "integer64";
      break;
    default:
      values = double_values(context, texts, decimal);
      if (type == core::ColumnType::date) values.attr("class") = "Date";
      if (type != core::ColumnType::time) break;
      values.attr("tzone") = "UTC";
      values.attr("class") = CharacterVector::create("POSIXct", "POSIXt");
  }
  return values;
}

// What was seen of a column, so that it can be added up over the pieces of a
// file: how many cells there are of each kind, then the rest in this order.
enum Seen { whole = core::cell_kinds, rounded, beyond, largest, seen_size };

NumericVector as_seen(const core::TextsSeen& seen) {
  NumericVector out(seen_size);
  for (std::size_t k = 0; k < core::cell_kinds; ++k)
    out[static_cast<R_xlen_t>(k)] = static_cast<double>(seen.count[k]);
  out[whole] = seen.whole;
  out[rounded] = seen.rounded > 0;
  out[beyond] = seen.beyond > 0;
  out[largest] = seen.largest;
  return out;
}

core::TextsSeen of_seen(const double* seen) {
  core::TextsSeen out;
  for (std::size_t k = 0; k < core::cell_kinds; ++k) {
    glue::require(seen[k] >= 0 && seen[k] < 1e15, "what was seen of a column");
    out.count[k] = static_cast<std::size_t>(seen[k]);
  }
  out.whole = seen[whole] != 0;
  out.rounded = seen[rounded] != 0;
  out.beyond = seen[beyond] != 0;
  out.largest = seen[largest];
  return out;
}

// no `quote`: none has a meaning
core::TextForm as_form(const std::string& delimiter, const std::string& quote,
                       const std::string& line_end, bool blank_is_row) {
  return {as_sign(delimiter), as_sign(line_end),
          quote.empty() ? '\0' : as_sign(quote), blank_is_row};
}

}  // namespace

// Where the rows of a piece of a text file end that begins with a row, up to
// row `most` (R/io_text.R)
// [[Rcpp::export(rng = false)]]
List see_rows_(RawVector bytes, std::string delimiter, std::string quote,
               std::string line_end, bool blank_is_row, bool is_end,
               double most) {
  return glue::guarded([&]() -> List {
    const core::TextForm form =
        as_form(delimiter, quote, line_end, blank_is_row);
    const auto size = static_cast<std::size_t>(bytes.size());
    const core::RowsSeen seen = core::see_rows(
        reinterpret_cast<const char*>(bytes.begin()), size, form, is_end,
        most < static_cast<double>(size) ? static_cast<std::size_t>(most)
                                         : size);
    auto number = [](std::size_t n) { return static_cast<double>(n); };
    return List::create(
        _["size"] = number(seen.size), _["rows"] = number(seen.rows),
        _["lines"] = number(seen.lines), _["blank"] = number(seen.blank),
        _["last"] = number(seen.last), _["opened"] = number(seen.opened),
        _["zero"] = number(seen.zero), _["ascii"] = seen.ascii);
  });
}

// The rows of a text file alone, each ended by "\n": blank lines are left out
// where they are no rows
// [[Rcpp::export(rng = false)]]
RawVector with_newlines_(RawVector bytes, std::string delimiter,
                         std::string quote, std::string line_end,
                         bool blank_is_row) {
  return glue::guarded([&]() -> RawVector {
    const std::string rows =
        core::with_newlines(reinterpret_cast<const char*>(bytes.begin()),
                            static_cast<std::size_t>(bytes.size()),
                            as_form(delimiter, quote, line_end, blank_is_row));
    return RawVector(rows.begin(), rows.end());
  });
}

// Texts as values, the first `above` left out: the type that all of them have
// where none would change by it, the values (none of texts), what most of them
// are, how many there are and how many of these are something else, the first
// of these, and what was seen.
// [[Rcpp::export(rng = false)]]
List values_of_texts_(CharacterVector text, std::string decimal, double above) {
  return glue::guarded([&]() -> List {
    const core::Context context = glue::current_context();
    const char mark = as_sign(decimal);
    const core::TextColumn texts = as_texts(text, above);
    const core::TextsSeen seen = core::see_texts(context, texts, mark);
    const core::TypeFound found = core::settle_type(seen);
    auto number = [](std::size_t n) { return static_cast<double>(n); };
    return List::create(
        _["type"] = word_of(found.type),
        _["values"] = values_of(context, texts, mark, found.type),
        _["most"] = word_of(found.most), _["there"] = number(seen.there()),
        _["others"] = number(found.others), _["odd"] = number(found.odd_row),
        _["seen"] = as_seen(seen));
  });
}

// The type of a column of a file of which this was seen in its pieces
// [[Rcpp::export(rng = false)]]
std::string settle_type_(List seen) {
  return glue::guarded([&]() -> std::string {
    core::TextsSeen all;
    for (R_xlen_t k = 0; k < seen.size(); ++k)
      all.add(of_seen(
          glue::doubles(seen[k], seen_size, "what was seen of a column")));
    return word_of(core::settle_type(all).type);
  });
}

// Texts as doubles, with plus signs and leading zeros or without; missing where
// they are no numbers.
// [[Rcpp::export(rng = false)]]
NumericVector numbers_(CharacterVector text, std::string decimal) {
  return glue::guarded([&]() -> NumericVector {
    NumericVector value(no_init(text.size()));
    const char mark = as_sign(decimal);
    std::string bare;
    for (R_xlen_t i = 0; i < text.size(); ++i) {
      if (i % 100000 == 0) glue::check_user();
      value[i] = NA_REAL;
      SEXP one = STRING_ELT(text, i);
      if (one == NA_STRING) continue;
      const char* at = CHAR(one);
      while (*at == ' ') ++at;
      const bool minus = *at == '-';
      if (minus || *at == '+') ++at;
      while (*at == '0' && at[1] >= '0' && at[1] <= '9') ++at;
      bare = minus ? "-" : "";
      bare += at;
      const core::CellValue cell =
          core::read_number(bare.data(), bare.size(), mark, true);
      if (cell.kind == core::CellKind::number) value[i] = cell.value;
    }
    return value;
  });
}

// Texts as days, or as seconds in UTC: list(kind, value), `kind` "date" or
// "time" where all of them are one such, else "none".
// [[Rcpp::export(rng = false)]]
List times_(CharacterVector text) {
  return glue::guarded([&]() -> List {
    NumericVector value(no_init(text.size()));
    core::CellKind kind = core::CellKind::missing;
    for (R_xlen_t i = 0; i < text.size(); ++i) {
      if (i % 100000 == 0) glue::check_user();
      value[i] = NA_REAL;
      SEXP one = STRING_ELT(text, i);
      if (one == NA_STRING) continue;
      const core::CellValue cell = core::read_cell(
          CHAR(one), static_cast<std::size_t>(LENGTH(one)), '.');
      const bool is_time = cell.kind == core::CellKind::date ||
                           cell.kind == core::CellKind::time;
      if (!is_time || (kind != core::CellKind::missing && kind != cell.kind))
        return List::create(_["kind"] = "none", _["value"] = R_NilValue);
      kind = cell.kind;
      value[i] = cell.value;
    }
    return List::create(
        _["kind"] = kind == core::CellKind::missing ? "none" : word_of(kind),
        _["value"] = value);
  });
}
