// What is wrong with a text file, byte by byte; and text written to stdout.
#include "glue.h"

#include <cerrno>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#ifdef _WIN32
#include <io.h>
#else
#include <unistd.h>
#endif

using namespace Rcpp;
using namespace ronda;

// Goes on through a delimited file with some more of its bytes. `state`: inside
// a quoted field; the last byte; whether it closed a field; the line; the line
// where the field was opened; where a byte 0 is among these bytes (0: nowhere).
// [[Rcpp::export(rng = false)]]
NumericVector scan_bytes_(RawVector bytes, int delimiter, NumericVector state) {
  if (state.size() != 6) stop("scan_bytes_(): no state of a scan");
  bool inside = state[0] != 0, closed = state[2] != 0;
  int last = static_cast<int>(state[1]);
  double line = state[3], opened = state[4], zero = 0;
  const Rbyte* byte = bytes.begin();
  for (R_xlen_t i = 0; i < bytes.size(); ++i) {
    const int one = byte[i];
    const bool was_closed = closed;
    closed = false;
    if (one == '"') {
      if (inside) {
        inside = false;
        closed = true;
      } else if (was_closed || last == delimiter || last == '\n' ||
                 last == '\r') {
        inside = true;  // (after a closing quote: it was one of a pair)
        if (!was_closed) opened = line;
      }
    } else if (one == '\n') {
      ++line;
    } else if (one == 0 && zero == 0) {
      zero = static_cast<double>(i + 1);
    }
    last = one;
  }
  NumericVector out =
      NumericVector::create(inside, last, closed, line, opened, zero);
  out.names() = state.names();
  return out;
}

// Writes a text to stdout; "" when all of it was written, else what is wrong.
// (R's own ways of writing there tell nobody when a disk is full or nobody
// reads.)
// [[Rcpp::export(rng = false)]]
String write_stdout_(CharacterVector text) {
  std::fflush(stdout);
  auto* before = SIG_DFL;
#ifdef SIGPIPE
  before = std::signal(SIGPIPE, SIG_IGN);
#endif
  int wrong = 0;
  for (R_xlen_t k = 0; k < text.size() && !wrong; ++k) {
    const char* at = CHAR(STRING_ELT(text, k));
    std::size_t left = std::strlen(at);
    while (left > 0 && !wrong) {
#ifdef _WIN32
      const auto written = _write(
          1, at, static_cast<unsigned>(std::min<std::size_t>(left, 1 << 20)));
#else
      const ssize_t written = write(STDOUT_FILENO, at, left);
#endif
      if (written < 0) {
        if (errno != EINTR) wrong = errno;
        continue;
      }
      at += written;
      left -= static_cast<std::size_t>(written);
    }
  }
#ifdef SIGPIPE
  std::signal(SIGPIPE, before);
#endif
  if (!wrong) return "";
  return wrong == EPIPE ? "EPIPE" : std::strerror(wrong);
}

// Doubles as texts of as few digits, 15 to 17, as give the same double back (R
// reads some of 16 digits a little off, so R can't tell)
// [[Rcpp::export(rng = false)]]
CharacterVector shortest_texts_(NumericVector x) {
  CharacterVector out(x.size());
  char text[32];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i % 100000 == 0) glue::check_user();
    if (!R_finite(x[i])) {
      out[i] = NA_STRING;
      continue;
    }
    for (int digits = 15; digits <= 17; ++digits) {
      std::snprintf(text, sizeof text, "%.*g", digits, x[i]);
      if (std::strtod(text, nullptr) == x[i]) break;
    }
    // (whole numbers that large would be taken for integers)
    if (std::fabs(x[i]) >= 9007199254740992.0 && !std::strpbrk(text, ".e"))
      std::strcat(text, ".0");
    out[i] = text;
  }
  return out;
}

namespace {

// A text read as a number: -12.5, 3e-7, Inf, NaN; no plus sign, no leading
// zeros, no marks between digits, blanks before it only
struct NumberText {
  bool plain = false, whole = false, special = false;
  int digits = 0;               // significant ones
  const char* first = nullptr;  // of these
  explicit NumberText(const char* at) {
    while (*at == ' ') ++at;
    if (*at == '-') ++at;
    special = !std::strncmp(at, "Inf", 3) || !std::strncmp(at, "NaN", 3);
    if (special) {
      plain = at[3] == 0;
      return;
    }
    const char* begin = at;
    int all = 0, zeros = 0;  // zeros: those at the end of the significant ones
    auto read_digits = [&] {
      const char* from = at;
      for (; *at >= '0' && *at <= '9'; ++at) {
        if (!first && *at != '0') first = at;
        if (!first) continue;
        ++all;
        zeros = *at == '0' ? zeros + 1 : 0;
      }
      return at - from;
    };
    const auto before = read_digits();
    whole = true;
    auto behind = before;
    if (*at == '.') {
      ++at;
      behind += read_digits();
      whole = false;
    }
    digits = all - zeros;
    if (behind == 0 || (before > 1 && *begin == '0')) return;
    if (*at == 'e' || *at == 'E') {
      whole = false;
      ++at;
      if (*at == '-' || *at == '+') ++at;
      if (*at < '0' || *at > '9') return;
      while (*at >= '0' && *at <= '9') ++at;
    }
    plain = *at == 0;
  }
  // whether the double gives all of the digits back
  bool kept_by(double value) const {
    if (digits <= 15 || special || std::isinf(value))
      return special || !std::isinf(value);
    if (digits > 100) return false;
    char text[128];
    std::snprintf(text, sizeof text, "%.*e", digits - 1, std::fabs(value));
    const char* back = text;
    int left = digits;
    for (const char* at = first; left > 0; ++at) {
      if (*at == '.') continue;
      if (*back == '.') ++back;
      if (*back++ != *at) return false;
      --left;
    }
    return true;
  }
};

}  // namespace

// Texts as doubles, each the nearest to what is written (some readers are off
// in the last digit), missing where a text is no plain number; whether all
// texts are plain numbers of which one is a number proper, whether all are
// whole, and which double keeps fewer digits than were written.
// [[Rcpp::export(rng = false)]]
List plain_numbers_(CharacterVector text) {
  NumericVector value(no_init(text.size()));
  bool plain = true, whole = true, proper = false;
  R_xlen_t rounded = -1;
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if (i % 100000 == 0) glue::check_user();
    value[i] = NA_REAL;
    SEXP one = STRING_ELT(text, i);
    if (one == NA_STRING) continue;
    const NumberText number(CHAR(one));
    plain = plain && number.plain;
    whole = whole && number.whole;
    if (!number.plain) continue;
    proper = proper || !number.special;
    value[i] = std::strtod(CHAR(one), nullptr);
    if (rounded < 0 && !number.kept_by(value[i])) rounded = i;
  }
  return List::create(_["value"] = value, _["plain"] = plain && proper,
                      _["whole"] = whole,
                      _["rounded"] = static_cast<double>(rounded + 1));
}

namespace {

int digits_at(const char*& at, int n) {
  int value = 0;
  for (int k = 0; k < n; ++k, ++at) {
    if (*at < '0' || *at > '9') return -1;
    value = 10 * value + (*at - '0');
  }
  return value;
}

bool skip_sign(const char*& at, char sign) {
  if (*at != sign) return false;
  ++at;
  return true;
}

// days from 1970-01-01 on
int day_number(int year, int month, int day) {
  year -= month <= 2;
  const int era = (year >= 0 ? year : year - 399) / 400;
  const int of_era = year - era * 400;
  const int of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  const int days = of_era * 365 + of_era / 4 - of_era / 100 + of_year;
  return era * 146097 + days - 719468;
}

enum class TimeText { none, date, time };

// 2031-05-01, or with 10:05, 10:05:30 or 10:05:30.25 behind T or a blank, and a
// Z or none; a day that doesn't exist is none
TimeText read_time(const char* at, double& value) {
  static const int lengths[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const int year = digits_at(at, 4);
  if (year < 0 || !skip_sign(at, '-')) return TimeText::none;
  const int month = digits_at(at, 2);
  if (month < 1 || month > 12 || !skip_sign(at, '-')) return TimeText::none;
  const int day = digits_at(at, 2);
  const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  const int last = month == 2 && !leap ? 28 : lengths[month - 1];
  if (day < 1 || day > last) return TimeText::none;
  const double days = day_number(year, month, day);
  if (*at == 0) {
    value = days;
    return TimeText::date;
  }
  if (*at != 'T' && *at != ' ') return TimeText::none;
  ++at;
  const int hour = digits_at(at, 2);
  if (hour < 0 || hour > 23 || !skip_sign(at, ':')) return TimeText::none;
  const int minute = digits_at(at, 2);
  if (minute < 0 || minute > 59) return TimeText::none;
  double second = 0;
  if (skip_sign(at, ':')) {
    const char* from = at;
    const int whole = digits_at(at, 2);
    if (whole < 0 || whole > 59) return TimeText::none;
    second = whole;
    if (*at == '.') {
      const char* point = at++;
      while (*at >= '0' && *at <= '9') ++at;
      if (at == point + 1) return TimeText::none;
      second = std::strtod(from, nullptr);
    }
  }
  skip_sign(at, 'Z');
  if (*at != 0) return TimeText::none;
  value = days * 86400 + hour * 3600 + minute * 60 + second;
  return TimeText::time;
}

}  // namespace

// Texts as days or as seconds in UTC: list(kind, value), `kind` "date" or
// "time" where all of them are one such, else "none".
// [[Rcpp::export(rng = false)]]
List time_cells_(CharacterVector text) {
  NumericVector value(no_init(text.size()));
  TimeText kind = TimeText::none;
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if (i % 100000 == 0) glue::check_user();
    value[i] = NA_REAL;
    SEXP one = STRING_ELT(text, i);
    if (one == NA_STRING) continue;
    const TimeText own = read_time(CHAR(one), value[i]);
    if (own == TimeText::none || (kind != TimeText::none && own != kind))
      return List::create(_["kind"] = "none", _["value"] = R_NilValue);
    kind = own;
  }
  return List::create(_["kind"] = kind == TimeText::date   ? "date"
                                  : kind == TimeText::time ? "time"
                                                           : "none",
                      _["value"] = value);
}

namespace {

// puts n digits, with leading zeros
void put_digits(char* at, int value, int n) {
  for (int k = n - 1; k >= 0; --k, value /= 10)
    at[k] = static_cast<char>('0' + value % 10);
}

// puts a day as 2031-05-01
void put_day(char* at, int days) {
  days += 719468;
  const int era = (days >= 0 ? days : days - 146096) / 146097;
  const int of_era = days - era * 146097;
  const int years =
      (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
  const int of_year = of_era - (365 * years + years / 4 - years / 100);
  const int part = (5 * of_year + 2) / 153;
  const int month = part < 10 ? part + 3 : part - 9;
  put_digits(at, years + era * 400 + (month <= 2), 4);
  at[4] = at[7] = '-';
  put_digits(at + 5, month, 2);
  put_digits(at + 8, of_year - (153 * part + 2) / 5 + 1, 2);
}

// the days of the years 0001 to 9999
constexpr double first_day = -719162, last_day = 2932896;

}  // namespace

// Days, or seconds with `clock`, as 2031-05-01 or 2031-05-01T10:05:00;
// fractions are cut off. Missing where there is none, or a year that has not
// four digits.
// [[Rcpp::export(rng = false)]]
CharacterVector time_texts_(NumericVector x, bool clock) {
  CharacterVector out(x.size());
  char text[] = "0000-00-00T00:00:00";
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i % 100000 == 0) glue::check_user();
    const double days = std::floor(clock ? x[i] / 86400 : x[i]);
    if (!(days >= first_day && days <= last_day)) {
      out[i] = NA_STRING;
      continue;
    }
    put_day(text, static_cast<int>(days));
    if (clock) {
      const int second = static_cast<int>(std::floor(x[i]) - days * 86400);
      put_digits(text + 11, second / 3600, 2);
      put_digits(text + 14, second / 60 % 60, 2);
      put_digits(text + 17, second % 60, 2);
    }
    out[i] = Rf_mkCharLen(text, clock ? 19 : 10);
  }
  return out;
}
