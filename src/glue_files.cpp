// Texts as files have them: numbers, days and times; and what goes to stdout.
#include "glue_files.h"

#include <cerrno>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <string>
#include <system_error>

#include "glue.h"

#include <sys/stat.h>
#ifdef _WIN32
#include <fcntl.h>
#include <io.h>
#else
#include <fcntl.h>
#include <unistd.h>
#endif

using namespace Rcpp;
using namespace ronda;

// Adds a line to the end of a file in one piece, so that lines of several
// processes stay whole; "" when it is there, else what is wrong. What a full
// disk took of it is taken off again.
// [[Rcpp::export(rng = false)]]
String append_line_(String path, String line) {
  return glue::guarded([&]() -> String {
    const std::string name = path.get_cstring();
    std::string text = line.get_cstring();
    text += '\n';
    std::error_code failed;
    auto before = std::filesystem::file_size(name, failed);
    if (failed) before = 0;
#ifdef _WIN32
    const int file =
        _open(name.c_str(), _O_WRONLY | _O_APPEND | _O_CREAT | _O_BINARY,
              _S_IREAD | _S_IWRITE);
    if (file < 0) return std::strerror(errno);
    const auto written =
        _write(file, text.data(), static_cast<unsigned>(text.size()));
    const int wrong = errno;
    _close(file);
#else
    const int file = open(name.c_str(), O_WRONLY | O_APPEND | O_CREAT, 0666);
    if (file < 0) return std::strerror(errno);
    const auto written = write(file, text.data(), text.size());
    const int wrong = written < 0 ? errno : ENOSPC;
    close(file);
#endif
    const bool whole = written == static_cast<decltype(written)>(text.size());
    if (whole) return "";
    std::filesystem::resize_file(name, before, failed);
    return std::strerror(wrong);
  });
}

// Writes a text to stdout; "" when all of it was written, else what is wrong.
// R's own ways of writing there don't say that a disk is full or that nobody
// reads.
// [[Rcpp::export(rng = false)]]
String write_stdout_(CharacterVector text) {
  return glue::guarded([&]() -> String {
    std::fflush(nullptr);
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
  });
}

// Makes an empty file that only its owner may read; FALSE where there is one of
// that name already. (Of two processes that ask at the same moment one is told
// that it made it.)
// [[Rcpp::export(rng = false)]]
bool create_file_(std::string path) {
  return glue::guarded([&]() -> bool {
#ifdef _WIN32
    std::FILE* file = std::fopen(path.c_str(), "wx");
    return file && std::fclose(file) == 0;
#else
    const int file = open(path.c_str(), O_CREAT | O_EXCL | O_WRONLY, 0600);
    return file >= 0 && close(file) == 0;
#endif
  });
}

// "file", "folder", "other" (a device, a pipe), or "none"
// [[Rcpp::export(rng = false)]]
std::string file_kind_(std::string path) {
  return glue::guarded([&]() -> std::string {
    struct stat facts;
    if (stat(path.c_str(), &facts) != 0) return "none";
    if ((facts.st_mode & S_IFMT) == S_IFREG) return "file";
    return (facts.st_mode & S_IFMT) == S_IFDIR ? "folder" : "other";
  });
}

// Whether two paths lead to one file, by whatever links
// [[Rcpp::export(rng = false)]]
bool same_file_(std::string path, std::string other) {
  return glue::guarded([&]() -> bool {
    std::error_code wrong;
    return std::filesystem::equivalent(path, other, wrong) && !wrong;
  });
}

// How many bytes are free where a folder is; NA where that can't be told
// [[Rcpp::export(rng = false)]]
double free_bytes_(std::string folder) {
  return glue::guarded([&]() -> double {
    std::error_code wrong;
    const auto room = std::filesystem::space(folder, wrong);
    return wrong ? NA_REAL : static_cast<double>(room.available);
  });
}

// Gives a file the mode of another and, where we may, its owner and group
// [[Rcpp::export(rng = false)]]
void take_after_(std::string path, std::string other) {
  glue::guarded([&] {
    struct stat facts;
    if (stat(other.c_str(), &facts) != 0) return;
#ifndef _WIN32
    if (chown(path.c_str(), facts.st_uid, facts.st_gid) != 0) {
      // not ours to give: the group alone, or else as it is
      const int given =
          chown(path.c_str(), static_cast<uid_t>(-1), facts.st_gid);
      static_cast<void>(given);
    }
#endif
    chmod(path.c_str(), facts.st_mode & 07777);
  });
}

namespace {

// A number of up to four decimal places, as most measured ones are, as text:
// its digits are those of a whole number that, divided, gives it back. False
// for any other.
bool short_decimal(double x, char* text) {
  const double size = std::fabs(x);
  if (!(size < 1e10)) return false;
  for (int places = 1, power = 10; places <= 4; ++places, power *= 10) {
    const double whole = std::nearbyint(size * power);
    if (whole / power != size) continue;
    auto digits = static_cast<long long>(whole);
    const long long before = digits / power;
    char* at = text;
    if (x < 0) *at++ = '-';
    at += std::snprintf(at, 16, "%lld", before) + places + 1;
    *at = '\0';
    for (int k = 1; k <= places; ++k, digits /= 10)
      at[-k] = static_cast<char>('0' + digits % 10);
    at[-places - 1] = '.';
    return true;
  }
  return false;
}

}  // namespace

// Doubles as texts of as few digits, 15 to 17, as give the same double back (R
// reads some of 16 digits a little off, so R can't tell)
// [[Rcpp::export(rng = false)]]
CharacterVector shortest_texts_(NumericVector x) {
  return glue::guarded([&]() -> CharacterVector {
    CharacterVector out(x.size());
    char text[32];
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      if (i % 100000 == 0) glue::check_user();
      if (!R_finite(x[i])) {
        out[i] = NA_STRING;
        continue;
      }
      if (x[i] == std::trunc(x[i]) && std::fabs(x[i]) < 1e15) {
        // -0 keeps its sign.
        std::snprintf(text, sizeof text, "%.0f", x[i]);
        out[i] = text;
        continue;
      }
      if (short_decimal(x[i], text)) {
        out[i] = text;
        continue;
      }
      for (int digits = 15; digits <= 17; ++digits) {
        std::snprintf(text, sizeof text, "%.*g", digits, x[i]);
        if (std::strtod(text, nullptr) == x[i]) break;
      }
      // Whole numbers that large would be taken for integers.
      if (std::fabs(x[i]) >= 9007199254740992.0 && !std::strpbrk(text, ".e"))
        std::strcat(text, ".0");
      out[i] = text;
    }
    return out;
  });
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

// Days, or seconds with `clock`, as 2031-05-01 or 2031-05-01T10:05:00Z;
// fractions are cut off. Missing where there is none, or a year that has not
// four digits.
// [[Rcpp::export(rng = false)]]
CharacterVector time_texts_(NumericVector x, bool clock) {
  return glue::guarded([&]() -> CharacterVector {
    CharacterVector out(x.size());
    char text[] = "0000-00-00T00:00:00Z";
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
      out[i] = Rf_mkCharLen(text, clock ? 20 : 10);
    }
    return out;
  });
}
