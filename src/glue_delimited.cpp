// Csv and tsv files, and cells: what the core finds, as R's vectors.
#include "glue_delimited.h"

#include "core/typed_columns.h"
#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

char as_sign(const std::string& text) {
  glue::require(text.size() == 1, "a delimiter or decimal mark");
  return text[0];
}

core::Delimited lay_out(const core::Context& context, const RawVector& bytes,
                        const std::string& delimiter) {
  return core::lay_out(context, reinterpret_cast<const char*>(bytes.begin()),
                       static_cast<std::size_t>(bytes.size()),
                       as_sign(delimiter));
}

SEXP utf8(const std::string& text) {
  return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
}

NumericVector as_numbers(const std::vector<std::size_t>& rows) {
  return NumericVector(rows.begin(), rows.end());
}

const char* word_of(core::Fault fault) {
  static const char* const words[] = {"none",     "utf16",  "zero",
                                      "unclosed", "ragged", "encoding"};
  return words[static_cast<std::size_t>(fault)];
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

List as_list(const core::FaultAt& fault) {
  auto number = [](std::size_t n) { return static_cast<double>(n); };
  return List::create(
      _["fault"] = word_of(fault.fault), _["byte"] = number(fault.byte),
      _["line"] = number(fault.line), _["row"] = number(fault.row),
      _["column"] = number(fault.column), _["cells"] = number(fault.cells));
}

CharacterVector names_of(const core::Delimited& file) {
  CharacterVector names(static_cast<R_xlen_t>(file.names.size()));
  for (std::size_t k = 0; k < file.names.size(); ++k)
    names[static_cast<R_xlen_t>(k)] = utf8(file.names[k]);
  return names;
}

// the text of one cell; empty where there is none
std::string text_at(const core::Delimited& file, std::size_t column,
                    std::size_t row) {
  for (const core::Block& block : file.blocks) {
    if (&block != &file.blocks.back() && (&block)[1].row <= row) continue;
    core::CellReader reader(file, block);
    core::Cell cell;
    for (std::size_t at = block.row; reader.next_row(); ++at)
      for (std::size_t k = 0; reader.next_cell(cell); ++k)
        if (at == row && k == column) return core::cell_text(cell);
  }
  return {};
}

// doubles as R's integers or flags
template <class Vector>
Vector as_whole(const core::Context& context, const double* values,
                std::size_t n) {
  Vector out(no_init(static_cast<R_xlen_t>(n)));
  int* to = &out[0];
  core::for_rows(context, n, [&](std::size_t i) {
    to[i] = values[i] != values[i] ? NA_INTEGER : static_cast<int>(values[i]);
  });
  return out;
}

SEXP with_class(SEXP values, const CharacterVector& names) {
  Rf_setAttrib(values, R_ClassSymbol, names);
  return values;
}

SEXP as_vector(const core::Context& context, core::ColumnType type, SEXP values,
               std::size_t rows) {
  switch (type) {
    case core::ColumnType::flag:
      return as_whole<LogicalVector>(context, REAL(values), rows);
    case core::ColumnType::integer:
      return as_whole<IntegerVector>(context, REAL(values), rows);
    case core::ColumnType::text:
    case core::ColumnType::empty:
      return R_NilValue;
    case core::ColumnType::int64:
      return with_class(values, CharacterVector::create("integer64"));
    case core::ColumnType::date:
      return with_class(values, CharacterVector::create("Date"));
    case core::ColumnType::time:
      Rf_setAttrib(values, Rf_install("tzone"), CharacterVector::create("UTC"));
      return with_class(values, CharacterVector::create("POSIXct", "POSIXt"));
    default:
      return values;
  }
}

// What was seen of a column, so that it can be added up over the pieces of a
// file: how many cells there are of each kind, then the rest in this order.
enum Seen {
  whole = core::cell_kinds,
  all_quoted,
  needs_quotes,
  rounded,
  largest,
  empty_texts,
  beyond,  // some number is no 64-bit integer
  seen_size
};

NumericVector as_seen(const core::ColumnSeen& seen, core::ColumnType type) {
  NumericVector out(seen_size);
  for (std::size_t k = 0; k < core::cell_kinds; ++k)
    out[static_cast<R_xlen_t>(k)] = static_cast<double>(seen.count[k]);
  out[whole] = seen.whole;
  out[all_quoted] = seen.all_quoted;
  out[needs_quotes] = seen.needs_quotes;
  out[rounded] = seen.rounded > 0;
  out[largest] = seen.largest;
  out[empty_texts] = !seen.empty_texts.empty();
  const bool is_int64 =
      core::settle_type(seen, false).type == core::ColumnType::int64;
  out[beyond] = is_int64 && type == core::ColumnType::text;
  return out;
}

core::ColumnSeen of_seen(const NumericVector& seen) {
  glue::require(seen.size() == seen_size, "what was seen of a column");
  core::ColumnSeen out;
  for (std::size_t k = 0; k < core::cell_kinds; ++k) {
    const double count = seen[static_cast<R_xlen_t>(k)];
    glue::require(count >= 0 && count < 1e15, "what was seen of a column");
    out.count[k] = static_cast<std::size_t>(count);
  }
  out.whole = seen[whole] != 0;
  out.all_quoted = seen[all_quoted] != 0;
  out.needs_quotes = seen[needs_quotes] != 0;
  out.rounded = seen[rounded] != 0;
  out.largest = seen[largest];
  if (seen[empty_texts] != 0) out.empty_texts.push_back(1);
  return out;
}

}  // namespace

// The type of a column of a file of which this was seen in its pieces
// [[Rcpp::export(rng = false)]]
std::string settle_type_(List seen, bool name_quoted) {
  return glue::guarded([&]() -> std::string {
    core::ColumnSeen all;
    bool is_beyond = false;
    for (R_xlen_t k = 0; k < seen.size(); ++k) {
      const NumericVector one(
          glue::doubles(seen[k], seen_size, "what was seen of a column"),
          glue::doubles(seen[k], seen_size, "what was seen of a column") +
              seen_size);
      all.add(of_seen(one));
      is_beyond = is_beyond || one[beyond] != 0;
    }
    const core::ColumnType type = core::settle_type(all, name_quoted).type;
    if (type == core::ColumnType::int64 && is_beyond) return "text";
    return word_of(type);
  });
}

// Where the last whole row of a piece of a file ends that begins with a row:
// how many bytes and lines there are up to there.
// [[Rcpp::export(rng = false)]]
NumericVector whole_rows_(RawVector bytes, std::string delimiter,
                          std::string line_end) {
  return glue::guarded([&] {
    std::size_t lines = 0;
    const std::size_t size =
        core::whole_rows(reinterpret_cast<const char*>(bytes.begin()),
                         static_cast<std::size_t>(bytes.size()),
                         as_sign(delimiter), as_sign(line_end), lines);
    return NumericVector::create(static_cast<double>(size),
                                 static_cast<double>(lines));
  });
}

// A delimited text file, given as its bytes: names, rows, what is wrong with
// it, and of each column its type, its values (none of text), what most of its
// cells are, the first that is something else, and the rows of quoted cells
// that without quotes would be missing. `as_text`: names of columns that are
// text, whatever they hold.
// [[Rcpp::export(rng = false)]]
List read_delimited_(RawVector bytes, std::string delimiter,
                     std::string decimal, CharacterVector as_text) {
  return glue::guarded([&]() -> List {
    const core::Context context = glue::current_context();
    const core::Delimited file = lay_out(context, bytes, delimiter);
    const CharacterVector names = names_of(file);
    const std::size_t columns = file.names.size();
    List fault = as_list(file.fault);
    if (file.fault.fault != core::Fault::none || columns == 0)
      return List::create(_["fault"] = fault, _["names"] = names,
                          _["rows"] = 0.0);
    std::vector<bool> is_text(columns, false);
    for (std::size_t k = 0; k < columns; ++k)
      for (const auto& name : as_text)
        if (file.names[k] == Rf_translateCharUTF8(name)) is_text[k] = true;
    List values(static_cast<R_xlen_t>(columns));
    const auto new_values = [&](std::size_t k) {
      SEXP column = glue::new_vector(REALSXP, file.rows);
      values[static_cast<R_xlen_t>(k)] = column;
      return REAL(column);
    };
    const core::TypedColumns typed = core::type_columns(
        context, file, as_sign(decimal), is_text, new_values);
    List found(static_cast<R_xlen_t>(typed.found.size()));
    for (std::size_t k = 0; k < typed.found.size(); ++k) {
      const core::ColumnFound& column = typed.found[k];
      const core::ColumnSeen& seen = typed.seen[k];
      const auto at = static_cast<R_xlen_t>(k);
      CharacterVector odd(1);
      odd[0] = utf8(column.odd_row ? text_at(file, k, column.odd_row) : "");
      found[at] = List::create(
          _["type"] = word_of(column.type),
          _["values"] = as_vector(context, column.type, values[at], file.rows),
          _["most"] = word_of(column.most),
          _["there"] = static_cast<double>(seen.there()),
          _["others"] = static_cast<double>(column.others), _["odd"] = odd,
          _["odd_line"] = static_cast<double>(
              column.odd_row ? core::line_of(file, column.odd_row) : 0),
          _["seen"] = as_seen(seen, column.type),
          _["name_quoted"] = static_cast<bool>(file.quoted_names[k]),
          _["empty_texts"] = as_numbers(seen.empty_texts),
          _["na_texts"] = as_numbers(seen.na_texts));
    }
    return List::create(_["fault"] = as_list(typed.fault), _["names"] = names,
                        _["rows"] = static_cast<double>(file.rows),
                        _["blank_lines"] = file.blank_lines,
                        _["columns"] = found);
  });
}

// The line of a delimited text that a row begins on; 0 where there is none.
// [[Rcpp::export(rng = false)]]
double line_of_row_(RawVector bytes, std::string delimiter, double row) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Delimited file = lay_out(context, bytes, delimiter);
    if (!(row >= 1) || row > static_cast<double>(file.rows)) return 0.0;
    return static_cast<double>(
        core::line_of(file, static_cast<std::size_t>(row)));
  });
}

// The cells of some columns of a delimited text, as a delimited text of their
// own: without blank lines, NA where nothing stands, and numbers as names.
// `columns` are counted from 1 on.
// [[Rcpp::export(rng = false)]]
RawVector cells_of_columns_(RawVector bytes, std::string delimiter,
                            IntegerVector columns) {
  return glue::guarded([&] {
    const core::Context context = glue::current_context();
    const core::Delimited file = lay_out(context, bytes, delimiter);
    std::vector<bool> wanted(file.names.size(), false);
    for (const int column : columns) {
      glue::require(
          column >= 1 && static_cast<std::size_t>(column) <= wanted.size(),
          "the number of a column");
      wanted[static_cast<std::size_t>(column) - 1] = true;
    }
    std::string out;
    for (const int column : columns) {
      if (!out.empty()) out += file.delimiter;
      out += std::to_string(column);
    }
    out += '\n';
    core::Cell cell;
    for (const core::Block& block : file.blocks) {
      core::CellReader reader(file, block);
      while (reader.next_row()) {
        bool first = true;
        for (std::size_t k = 0; reader.next_cell(cell); ++k) {
          if (k >= wanted.size() || !wanted[k]) continue;
          if (!first) out += file.delimiter;
          first = false;
          out.append(cell.at - (cell.quoted ? 1 : 0), cell.behind);
          if (!cell.quoted && cell.size() == 0) out += "NA";
        }
        out += '\n';
      }
    }
    return RawVector(out.begin(), out.end());
  });
}

// Whether a delimited text is one that all readers read alike: no carriage
// return, and quotes only around whole cells, doubled inside.
// [[Rcpp::export(rng = false)]]
bool is_plainly_quoted_(RawVector bytes, std::string delimiter) {
  return glue::guarded([&]() -> bool {
    glue::require(delimiter.size() == 1, "the sign between columns");
    const auto* at = reinterpret_cast<const char*>(RAW(bytes));
    const char* end = at + bytes.size();
    auto ends_cell = [&](const char* sign) {
      return sign == end || *sign == delimiter[0] || *sign == '\n';
    };
    while (at < end) {
      if (*at == '"') {
        for (++at; at < end && (*at != '"' || (at + 1 < end && at[1] == '"'));
             ++at) {
          if (*at == '\r') return false;
          if (*at == '"') ++at;
        }
        if (at == end || !ends_cell(++at)) return false;
      }
      for (; !ends_cell(at); ++at)
        if (*at == '"' || *at == '\r') return false;
      ++at;
    }
    return true;
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

// Texts as a file has them: in quotes where they hold a delimiter, a quote or a
// line break, or would be taken for missing; and all of them where they would
// be read as another type than text.
// [[Rcpp::export(rng = false)]]
CharacterVector quoted_texts_(CharacterVector text, std::string delimiter) {
  return glue::guarded([&]() -> CharacterVector {
    const std::string special = delimiter + "\"\n\r";
    const char mark = as_sign(delimiter);
    core::ColumnSeen seen;
    bool others = false;
    for (R_xlen_t i = 0; i < text.size() && !others; ++i) {
      SEXP one = STRING_ELT(text, i);
      if (one == NA_STRING) continue;
      const char* at = CHAR(one);
      const core::Cell cell{at, at + LENGTH(one), false, true, at};
      if (cell.size() == 0) continue;
      const core::CellValue value = core::read_cell(cell.at, cell.size(), '.');
      seen.see(cell, value, 1, mark);
      others = value.kind == core::CellKind::text;
    }
    const bool all =
        !others && seen.there() > 0 &&
        core::settle_type(seen, false).type != core::ColumnType::text;
    CharacterVector out(text.size());
    std::string quoted;
    for (R_xlen_t i = 0; i < text.size(); ++i) {
      if (i % 100000 == 0) glue::check_user();
      SEXP one = STRING_ELT(text, i);
      out[i] = one;
      if (one == NA_STRING) continue;
      const char* at = CHAR(one);
      const bool needed = all || *at == 0 || !std::strcmp(at, "NA") ||
                          std::strpbrk(at, special.c_str()) != nullptr;
      if (!needed) continue;
      quoted = '"';
      for (; *at; ++at) {
        if (*at == '"') quoted += '"';
        quoted += *at;
      }
      quoted += '"';
      out[i] = Rf_mkCharLenCE(quoted.data(), static_cast<int>(quoted.size()),
                              Rf_getCharCE(one));
    }
    return out;
  });
}
