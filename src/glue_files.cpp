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
