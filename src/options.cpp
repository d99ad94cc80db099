#include "options.h"

#include <chrono>
#include <cstring>

#include "core/threads.h"
#include "glue.h"

using namespace ronda;

namespace ronda::glue {
namespace {

using Clock = std::chrono::steady_clock;
Clock::time_point last_asked;
SEXP held_jump = nullptr;  // of R's, until all that the engine holds is let go

// Asking R costs more than a small join, so it is asked ten times a second.
bool user_interrupts() {
  const Clock::time_point now = Clock::now();
  if (now - last_asked < std::chrono::milliseconds(100)) return false;
  last_asked = now;
  try {
    glue::check_user();
  } catch (const Rcpp::LongjumpException& jump) {
    held_jump = jump.token;
    return true;
  }
  return false;
}

double number_option(const char* name, double otherwise) {
  SEXP value = Rf_GetOption1(Rf_install(name));
  if (!Rf_isNumeric(value) || Rf_xlength(value) != 1) return otherwise;
  const double number = Rf_asReal(value);
  return number >= 1 ? number : otherwise;
}

core::Path path_option() {
  SEXP value = Rf_GetOption1(Rf_install("ronda.path"));
  if (TYPEOF(value) != STRSXP || Rf_xlength(value) != 1)
    return core::Path::choose;
  const char* name = CHAR(STRING_ELT(value, 0));
  if (std::strcmp(name, "direct") == 0) return core::Path::direct;
  if (std::strcmp(name, "hashed") == 0) return core::Path::hashed;
  return core::Path::choose;
}

}  // namespace

core::Context current_context() {
  core::Context context;
  context.threads =
      core::usable_threads(static_cast<int>(number_option("ronda.threads", 0)));
  context.chunk_rows =
      static_cast<std::size_t>(number_option("ronda.chunk_rows", 1 << 17));
  context.path = path_option();
  context.interrupted = user_interrupts;
  last_asked = Clock::now();
  return context;
}

core::Compare as_compare(const std::string& op) {
  if (op == "<") return core::Compare::less;
  if (op == "<=") return core::Compare::less_equal;
  if (op == ">") return core::Compare::greater;
  if (op == ">=") return core::Compare::greater_equal;
  if (op == "!=") return core::Compare::unequal;
  if (op == "==") return core::Compare::equal;
  Rcpp::stop("as_compare(): no comparison '%s'", op);
}

core::Look as_look(const std::string& look) {
  if (look == "back") return core::Look::back;
  if (look == "ahead") return core::Look::ahead;
  if (look == "either") return core::Look::either;
  if (look == "both") return core::Look::both;
  Rcpp::stop("as_look(): no side '%s'", look);
}

core::Ties as_ties(const std::string& ties) {
  if (ties == "last") return core::Ties::last;
  if (ties == "first") return core::Ties::first;
  if (ties == "all") return core::Ties::all;
  if (ties == "stop") return core::Ties::stop;
  Rcpp::stop("as_ties(): no choice '%s'", ties);
}

void check_user() {
  unwinding([] {
    R_CheckUserInterrupt();
    return R_NilValue;
  });
}

void resume_jump() {
  if (!held_jump) return;
  SEXP token = held_jump;
  held_jump = nullptr;
  throw Rcpp::LongjumpException(token);
}

}  // namespace ronda::glue
