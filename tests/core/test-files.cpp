// Rows and cells of text files, as the core sees them by itself.
#include "catch.h"

#include <cmath>
#include <cstdlib>
#include <cstring>
#include <random>
#include <string>
#include <vector>

#include "core/text_rows.h"
#include "core/text_values.h"

using namespace ronda::core;

namespace {

CellValue read(const std::string& text, char decimal = '.') {
  return read_cell(text.data(), text.size(), decimal);
}

RowsSeen see(const std::string& text, bool is_end = true,
             bool blank_is_row = false) {
  return see_rows(text.data(), text.size(), {',', '\n', '"', blank_is_row},
                  is_end, text.size());
}

// a column of these texts; an empty one is missing
struct Column {
  explicit Column(const std::vector<std::string>& texts) {
    for (const std::string& text : texts)
      at.push_back(text.empty() ? nullptr : text.c_str());
  }
  TextColumn view() const { return {at.data(), at.size(), nullptr, {}}; }
  std::vector<const void*> at;
};

ColumnType type_of(const std::vector<std::string>& texts) {
  return settle_type(see_texts(Context{}, Column(texts).view(), '.')).type;
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

  test_that("rows end where they were put, wherever a file is cut") {
    std::mt19937 dice(5);
    const std::vector<std::string> pieces = {
        "a", "1", ",", "\"\"", "\n", "\r\n", " ", "", "NA", "\xc3\xa9", "5"};
    bool same = true;
    for (int round = 0; round < 400; ++round) {
      const std::size_t columns = 1 + dice() % 4;
      const std::size_t rows = dice() % 30;
      std::string text;
      std::size_t blank = 0;
      for (std::size_t row = 0; row < rows; ++row) {
        for (std::size_t k = 0; k < columns; ++k) {
          text += k ? ",\"" : "\"";
          for (auto n = dice() % 4; n > 0; --n)
            text += pieces[dice() % pieces.size()];
          text += '"';
        }
        if (columns > 1 && dice() % 5 == 0) {
          text += "\n  ";
          ++blank;
        }
        text += '\n';
      }
      const RowsSeen whole = see(text);
      same = same && whole.rows == rows && whole.size == text.size() &&
             whole.blank == blank && !whole.opened;
      const std::size_t cut = text.empty() ? 0 : dice() % text.size();
      const RowsSeen first = see(text.substr(0, cut), false);
      const RowsSeen rest = see(text.substr(first.size));
      same = same && first.rows + rest.rows == rows &&
             first.lines + rest.lines == whole.lines;
    }
    expect_true(same);
  }

  test_that("what is wrong with a file is found where it is") {
    expect_true(see(std::string("a,b\n1,\0", 7)).zero == 7);
    const RowsSeen open = see("a,b\n1,2\n\n3,\"x\ny\n");
    expect_true((open.opened == 4 && open.rows == 2 && open.size == 9));
    expect_true(see("1,\"x\ny\"\n\n2,\n").last == 4);
    expect_true(see("1,5\" pipe\n2,y").rows == 2);
    expect_true(
        (see("1\n\n2", true, true).rows == 3 && see("1\n2", false).rows == 1));
    expect_true((see("a").ascii && !see("\xc3\xa9").ascii));
  }

  test_that("a column has the type that all of its texts have") {
    expect_true(type_of({"1", "", "-3"}) == ColumnType::integer);
    expect_true(type_of({"1", "2147483648"}) == ColumnType::number);
    expect_true(type_of({"1", "9007199254740993"}) == ColumnType::int64);
    expect_true(type_of({"1", "9223372036854775808"}) == ColumnType::text);
    expect_true(type_of({"1", "0.12345678901234567890"}) == ColumnType::text);
    expect_true(type_of({"1.5", "007"}) == ColumnType::text);
    expect_true(type_of({"", ""}) == ColumnType::empty);
    expect_true(type_of({"TRUE", "false"}) == ColumnType::flag);
    // on threads, in small pieces, as at once
    std::mt19937 dice(9);
    const std::vector<std::string> words = {
        "1", "2.5", "", "2031-05-01", "x", "9007199254740993"};
    bool same = true;
    for (int round = 0; round < 200; ++round) {
      std::vector<std::string> texts(dice() % 200);
      const std::size_t some = 1 + dice() % words.size();
      for (std::string& text : texts) text = words[dice() % some];
      const Column column(texts);
      Context pieces;
      pieces.threads = 3;
      pieces.chunk_rows = 1 + dice() % 7;
      std::vector<double> one(texts.size() + 1), other(texts.size() + 1);
      const TypeFound a = settle_type(see_texts(Context{}, column.view(), '.'));
      const TypeFound b = settle_type(see_texts(pieces, column.view(), '.'));
      put_values(
          pieces, column.view(), '.',
          [&](std::size_t i, const CellValue& v) { other[i] = v.value; });
      for (std::size_t i = 0; i < texts.size(); ++i)
        one[i] = value_at(column.view(), i, '.').value;
      same = same && a.type == b.type && a.others == b.others &&
             a.odd_row == b.odd_row && one == other;
    }
    expect_true(same);
  }
}
