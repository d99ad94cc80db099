#include "glue.h"

#include <chrono>
#include <cstring>

#include "core/threads.h"
#include "gather_values.h"

namespace ronda::glue {
namespace {

void check_interrupt(void*) { R_CheckUserInterrupt(); }

using Clock = std::chrono::steady_clock;
Clock::time_point last_asked;

// Asking R costs more than a small join, so it is asked ten times a second.
bool user_interrupts() {
  const Clock::time_point now = Clock::now();
  if (now - last_asked < std::chrono::milliseconds(100)) return false;
  last_asked = now;
  return !R_ToplevelExec(check_interrupt, nullptr);
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

const void* column_data(SEXP column, core::KeyKind kind) {
  if (kind == core::KeyKind::text) return STRING_PTR_RO(column);
  return DATAPTR_RO(column);
}

}  // namespace

core::Context current_context() {
  core::Context context;
  context.threads = core::usable_threads(
      static_cast<int>(number_option("ronda.threads", 0)));
  context.chunk_rows = static_cast<std::size_t>(
      number_option("ronda.chunk_rows", 1 << 17));
  context.path = path_option();
  context.interrupted = user_interrupts;
  last_asked = Clock::now();
  return context;
}

core::Keys as_keys(const Rcpp::List& columns,
                   const Rcpp::IntegerVector& kinds) {
  core::Keys keys;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    const auto kind = static_cast<core::KeyKind>(kinds[k]);
    keys.columns.push_back({kind, column_data(column, kind), NA_STRING});
    keys.rows = static_cast<std::size_t>(Rf_xlength(column));
  }
  return keys;
}

core::PairsView as_pairs(const Rcpp::IntegerVector& slot, SEXP starts,
                         SEXP rows, int right_rows) {
  core::PairsView pairs;
  pairs.slot = slot.begin();
  pairs.left_rows = static_cast<std::size_t>(slot.size());
  pairs.right_rows = static_cast<std::size_t>(right_rows);
  if (starts != R_NilValue) {
    pairs.starts = INTEGER(starts);
    pairs.rows = INTEGER(rows);
    pairs.slots = static_cast<std::size_t>(Rf_xlength(starts)) - 1;
  }
  return pairs;
}

SEXP stop_no_memory() {
  Rcpp::Shield<SEXP> call(Rf_lang1(Rf_install("stop_no_memory")));
  return Rf_eval(call, R_FindNamespace(Rf_mkString("ronda")));
}

// Memory for several columns may take several collections in a row, so the
// user is asked between them.
SEXP new_vector(SEXPTYPE type, std::size_t n) {
  return unwinding([&] {
    if (n > 1 << 16) R_CheckUserInterrupt();
    return plain_vector(type, n);
  });
}

SEXP plain_vector(SEXPTYPE type, std::size_t n) {
  SEXP out = Rf_allocVector(type, static_cast<R_xlen_t>(n));
  // (text and lists are filled by R itself, before a hint could help)
  if (type != STRSXP && type != VECSXP)
    core::advise_large_pages(DATAPTR(out), n * value_width(type));
  return out;
}

Rcpp::IntegerVector as_rows(const core::Row* rows, std::size_t n) {
  Rcpp::IntegerVector out(new_vector(INTSXP, n));
  std::copy(rows, rows + n, out.begin());
  return out;
}

}  // namespace ronda::glue

// Seconds on a clock that never goes back
// [[Rcpp::export(rng = false)]]
double now_() {
  using namespace std::chrono;
  return duration<double>(steady_clock::now().time_since_epoch()).count();
}
