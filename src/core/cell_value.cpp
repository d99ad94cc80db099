#include "cell_value.h"

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <limits>

namespace ronda::core {
namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

bool is_word(const char* at, std::size_t size, const char* word) {
  return std::strlen(word) == size && !std::memcmp(at, word, size);
}

// The parts of a number as they are written
struct NumberText {
  bool plain = false, negative = false, point = false, exponent = false;
  std::uint64_t leading = 0;    // its first 18 significant digits
  int digits = 0, kept = 0;     // significant ones; those in `leading`
  int zeros = 0;                // of these at the end
  int behind = 0;               // digits behind the mark
  int power = 0;                // what the exponent says
  const char* first = nullptr;  // significant digit

  NumberText(const char* at, const char* end, char decimal, bool asked) {
    negative = at != end && *at == '-';
    if (negative) ++at;
    const char* begin = at;
    at = read_digits(at, end);
    const auto before = at - begin;
    if (at != end && *at == decimal) {
      point = true;
      const char* from = ++at;
      at = read_digits(at, end);
      behind = static_cast<int>(at - from);
      if (behind == 0) return;
    }
    const bool zero_first = before > 1 && *begin == '0';
    if (before + behind == 0 || zero_first) return;
    plain = at == end || read_exponent(at, end, asked);
  }

 private:
  const char* read_digits(const char* at, const char* end) {
    for (; at != end && is_digit(*at); ++at) {
      if (!first && *at == '0') continue;
      if (!first) first = at;
      ++digits;
      zeros = *at == '0' ? zeros + 1 : 0;
      if (kept == 18) continue;
      leading = leading * 10 + static_cast<std::uint64_t>(*at - '0');
      ++kept;
    }
    return at;
  }
  // 12E4 may be a code unless numbers were asked for; 1.2e4 and 1e+05 are
  // numbers.
  bool read_exponent(const char* at, const char* end, bool asked) {
    if (*at != 'e' && *at != 'E') return false;
    exponent = true;
    ++at;
    const bool sign = at != end && (*at == '-' || *at == '+');
    const bool minus = sign && *at == '-';
    if (sign) ++at;
    if (at == end || (!sign && !point && !asked)) return false;
    for (; at != end && is_digit(*at); ++at)
      if (power < 100000) power = power * 10 + (*at - '0');
    if (minus) power = -power;
    return at == end;
  }
};

const double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                         1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                         1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

// the text with a point as its decimal mark, and a zero behind it
double slow_double(const char* at, std::size_t size, char decimal) {
  char text[400];
  if (size >= sizeof text) return std::numeric_limits<double>::quiet_NaN();
  std::memcpy(text, at, size);
  text[size] = 0;
  if (char* mark = static_cast<char*>(std::memchr(text, decimal, size)))
    *mark = '.';
  return std::strtod(text, nullptr);
}

// whether the double gives all of the digits back
bool keeps_digits(const NumberText& number, double value, char decimal) {
  const int digits = number.digits - number.zeros;
  if (std::isinf(value)) return false;
  if (digits <= 15) return true;
  if (digits > 100) return false;
  char text[128];
  std::snprintf(text, sizeof text, "%.*e", digits - 1, std::fabs(value));
  const char* back = text;
  int left = digits;
  for (const char* at = number.first; left > 0; ++at) {
    if (*at == decimal) continue;
    if (*back == '.') ++back;
    if (*back++ != *at) return false;
    --left;
  }
  return true;
}

// A text that ends in a 0, read from its beginning on
class TimeReader {
 public:
  explicit TimeReader(const char* at) : at_(at) {}
  bool skip(char sign) {
    if (*at_ != sign) return false;
    ++at_;
    return true;
  }
  bool skip_any(char one, char other) { return skip(one) || skip(other); }
  bool at_end() const { return *at_ == 0; }
  // a number of so many digits that lies in a range; -1 if there is none
  int number(int digits, int least, int most) {
    int value = 0;
    for (int k = 0; k < digits; ++k, ++at_) {
      if (!is_digit(*at_)) return -1;
      value = 10 * value + (*at_ - '0');
    }
    return value < least || value > most ? -1 : value;
  }
  // a fraction such as .25; 0 where there is none, -1 where it has no digits
  double fraction() {
    if (*at_ != '.') return 0;
    char text[48] = "0";
    std::size_t size = 1;
    do {
      text[size++] = *at_++;
    } while (is_digit(*at_));
    return size == 2 ? -1 : std::strtod(text, nullptr);
  }

 private:
  const char* at_;
};

// days from 1970-01-01 on
int day_number(int year, int month, int day) {
  year -= month <= 2;
  const int era = (year + 400) / 400 - 1;  // (no year is before -1)
  const int of_era = year - era * 400;
  const int of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  const int days = of_era * 365 + of_era / 4 - of_era / 100 + of_year;
  return era * 146097 + days - 719468;
}

int days_of_month(int year, int month) {
  static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
  return month == 2 && leap ? 29 : days[month - 1];
}

// What follows a day and its T: 10:05, 10:05:30, 10:05:30.25; then nothing, Z,
// or an offset such as +02:00. Fractions are kept apart, so that only their sum
// is rounded. False where it is something else.
bool read_clock(TimeReader& text, double& seconds, double& fraction) {
  const int hour = text.number(2, 0, 23);
  if (hour < 0 || !text.skip(':')) return false;
  const int minute = text.number(2, 0, 59);
  if (minute < 0) return false;
  int second = 0;
  if (text.skip(':')) {
    second = text.number(2, 0, 59);
    fraction = text.fraction();
    if (second < 0 || fraction < 0) return false;
  }
  int offset = 0;
  const bool ahead = text.skip('+');
  if (ahead || text.skip('-')) {
    const int hours = text.number(2, 0, 14);
    text.skip(':');
    const int minutes = text.number(2, 0, 59);
    if (hours < 0 || minutes < 0) return false;
    offset = (ahead ? 60 : -60) * (hours * 60 + minutes);
  } else {
    text.skip('Z');
  }
  seconds = hour * 3600 + minute * 60 + second - offset;
  return text.at_end();
}

CellValue read_time(const char* at, std::size_t size) {
  CellValue out;
  char copy[48];
  if (size < 10 || size >= sizeof copy) return out;
  std::memcpy(copy, at, size);
  copy[size] = 0;
  TimeReader text(copy);
  const int year = text.number(4, 0, 9999);
  if (year < 0 || !text.skip('-')) return out;
  const int month = text.number(2, 1, 12);
  if (month < 0 || !text.skip('-')) return out;
  const int day = text.number(2, 1, days_of_month(year, month));
  if (day < 0) return out;
  const double days = day_number(year, month, day);
  double seconds = 0, fraction = 0;
  if (text.at_end()) {
    out.kind = CellKind::date;
    out.value = days;
  } else if (text.skip_any('T', ' ') && read_clock(text, seconds, fraction)) {
    out.kind = CellKind::time;
    out.value = days * 86400 + seconds + fraction;
  }
  return out;
}

CellValue read_flag(const char* at, std::size_t size) {
  static const char* const words[] = {"TRUE",  "FALSE", "true",
                                      "false", "True",  "False"};
  CellValue out;
  for (std::size_t k = 0; k < 6; ++k) {
    if (!is_word(at, size, words[k])) continue;
    out.kind = CellKind::flag;
    out.value = k % 2 == 0;
  }
  return out;
}

}  // namespace

CellValue read_number(const char* at, std::size_t size, char decimal,
                      bool asked) {
  CellValue out;
  const char* end = at + size;
  while (at != end && *at == ' ') ++at;
  size = static_cast<std::size_t>(end - at);
  const double infinite = std::numeric_limits<double>::infinity();
  if (is_word(at, size, "Inf")) out.value = infinite;
  if (is_word(at, size, "-Inf")) out.value = -infinite;
  if (is_word(at, size, "NaN"))
    out.value = std::numeric_limits<double>::quiet_NaN();
  if (out.value != 0) {
    out.kind = CellKind::number;
    return out;
  }
  const NumberText number(at, end, decimal, asked);
  if (!number.plain || size > 350) return out;
  out.kind = CellKind::number;
  // No integer can keep the sign of -0.
  out.whole = !number.point && !number.exponent &&
              (number.digits > 0 || !number.negative);
  const int scale = number.power - number.behind;
  if (number.digits <= 15 && scale >= -22 && scale <= 22) {
    out.value = static_cast<double>(number.leading);
    out.value =
        scale < 0 ? out.value / powers[-scale] : out.value * powers[scale];
    if (number.negative) out.value = -out.value;
    return out;
  }
  out.value = slow_double(at, size, decimal);
  out.kept = keeps_digits(number, out.value, decimal);
  return out;
}

CellValue read_cell(const char* at, std::size_t size, char decimal) {
  if (size == 0) return {};
  const char first = *at;
  if (first == 'T' || first == 'F' || first == 't' || first == 'f')
    return read_flag(at, size);
  if (size >= 10 && at[4] == '-' && is_digit(first)) return read_time(at, size);
  if (is_digit(first) || first == '-' || first == decimal || first == ' ' ||
      first == 'I' || first == 'N')
    return read_number(at, size, decimal, false);
  return {};
}

bool read_int64(const char* at, std::size_t size, std::int64_t& value) {
  const char* end = at + size;
  while (at != end && *at == ' ') ++at;
  const bool negative = at != end && *at == '-';
  if (negative) ++at;
  std::uint64_t sum = 0;
  for (; at != end; ++at) {
    if (!is_digit(*at)) return false;
    const auto digit = static_cast<std::uint64_t>(*at - '0');
    if (sum > (static_cast<std::uint64_t>(INT64_MAX) - digit) / 10)
      return false;
    sum = sum * 10 + digit;
  }
  value = negative ? -static_cast<std::int64_t>(sum)
                   : static_cast<std::int64_t>(sum);
  return true;
}

}  // namespace ronda::core
