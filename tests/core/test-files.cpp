// Cells and delimited files, as the core reads them by itself.
#include "catch.h"

#include <cmath>
#include <cstdlib>
#include <cstring>
#include <random>
#include <string>
#include <vector>

#include "core/typed_columns.h"

using namespace ronda::core;

namespace {

CellValue read(const std::string& text, char decimal = '.') {
  return read_cell(text.data(), text.size(), decimal);
}

Delimited lay(const std::string& text, char delimiter = ',') {
  return lay_out(Context{}, text.data(), text.size(), delimiter);
}

// all cells of a file, row by row
std::vector<std::string> cells_of(const Delimited& file) {
  std::vector<std::string> out;
  for (const Block& block : file.blocks) {
    CellReader reader(file, block);
    Cell cell;
    while (reader.next_row())
      while (reader.next_cell(cell)) out.push_back(cell_text(cell));
  }
  return out;
}

}  // namespace

context("files") {
  test_that("numbers are the nearest double to what is written, or none") {
    std::mt19937_64 dice(3);
    bool same = true;
    for (int k = 0; k < 20000; ++k) {
      char text[64];
      double value;
      const std::uint64_t bits = dice();
      std::memcpy(&value, &bits, sizeof value);
      if (!std::isfinite(value)) continue;
      const int digits = static_cast<int>(dice() % 17) + 1;
      if (k % 2) value = std::fmod(value, 1e6);
      std::snprintf(text, sizeof text, k % 2 ? "%.*f" : "%.*e", digits, value);
      const CellValue found = read(text);
      const double wanted = std::strtod(text, nullptr);
      same = same && found.kind == CellKind::number &&
             (found.value == wanted &&
              std::signbit(found.value) == std::signbit(wanted));
    }
    expect_true(same);
    for (const char* text : {"007", "+1", "1,5", "12E4", "1.", ".", "-", "1e",
                             "0x1A", "1 000", "--1", "1e5x", "T", "Infx", ""})
      expect_true(read(text).kind == CellKind::text);
    expect_true(read("1,5", ',').value == 1.5);
    expect_true(read("1.5", ',').kind == CellKind::text);
    expect_true((read("7").whole && !read("7.0").whole && !read("-0").whole));
    expect_false(read("0.12345678901234567890").kept);
    std::int64_t whole = 0;
    expect_true(
        (read_int64("-9223372036854775807", 20, whole) && whole == -INT64_MAX));
    expect_false(read_int64("9223372036854775808", 19, whole));
  }

  test_that("days and times are what they say, or text") {
    expect_true(read("1970-01-02").value == 1);
    expect_true(read("2031-05-01T10:05:00.25Z").value == 1935396300.25);
    expect_true(read("2031-05-01 10:05").value == 1935396300);
    expect_true(read("2031-05-01T12:05+02:00").value == 1935396300);
    expect_true(read("2032-02-29").kind == CellKind::date);
    for (const char* text :
         {"2031-02-29", "2031-13-01", "2031-05-01T24:00", "2031-05-01T10:60",
          "2031-05-01T10:05x", "2031-5-01", "2031-05-01T10:05:00."})
      expect_true(read(text).kind == CellKind::text);
  }

  test_that("cells come out as they were put in, whatever is in them") {
    std::mt19937 dice(5);
    const std::vector<std::string> pieces = {
        "a", "1", ",", "\"", "\n", "\r\n", " ", "", "NA", "\xc3\xa9", "5\""};
    bool same = true;
    for (int round = 0; round < 400; ++round) {
      const std::size_t columns = 1 + dice() % 4;
      std::string text;
      std::vector<std::string> wanted;
      for (std::size_t k = 0; k < columns; ++k)
        text += (k ? ",c" : "c") + std::to_string(k);
      text += '\n';
      const std::size_t rows = dice() % 30;
      for (std::size_t row = 0; row < rows; ++row) {
        for (std::size_t k = 0; k < columns; ++k) {
          std::string cell;
          for (auto n = dice() % 4; n > 0; --n)
            cell += pieces[dice() % pieces.size()];
          wanted.push_back(cell);
          if (k) text += ',';
          text += '"';
          for (const char sign : cell)
            text += sign == '"' ? std::string("\"\"") : std::string(1, sign);
          text += '"';
        }
        if (columns > 1 && dice() % 5 == 0) text += "\n  ";
        text += '\n';
      }
      const Delimited file = lay(text);
      same = same && file.fault.fault == Fault::none && file.rows == rows &&
             cells_of(file) == wanted;
    }
    expect_true(same);
  }

  test_that("what is wrong with a file is found where it is") {
    expect_true(lay("\xff\xfe").fault.fault == Fault::utf16);
    const std::string zero("a,b\n1,\0", 7);
    expect_true(lay(zero).fault.byte == 7);
    const Delimited open = lay("a,b\n1,2\n\n3,\"x\ny\n");
    expect_true((open.fault.fault == Fault::unclosed && open.fault.line == 4));
    const auto fault_of = [](const std::string& text) {
      const Delimited file = lay(text);
      std::vector<double> values(file.rows + 1);
      return type_columns(Context{}, file, '.',
                          std::vector<bool>(file.names.size(), true),
                          [&](std::size_t) { return values.data(); })
          .fault;
    };
    expect_true(fault_of("a,b\n1,\"x\ny\"\n\n2\n").line == 5);
    expect_true(fault_of("a,b\n1,2\n1,2,3\n").cells == 3);
    expect_true(fault_of("a,b\n1,2\n1,\xff\n").column == 2);
    expect_true(line_of(lay("a,b\n1,\"x\ny\"\n\n2,\n"), 2) == 5);
    expect_true((is_utf8("\xe2\x82\xac", 3) && !is_utf8("\xe2\x82", 2) &&
                 !is_utf8("\xc0\x80", 2) && !is_utf8("\xed\xa0\x80", 3)));
  }
}
