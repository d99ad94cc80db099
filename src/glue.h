// The border between R and the core: options in, plain pointers through,
// C++ errors out. Everything exported to R runs inside `guarded()`.
#pragma once
#include <Rcpp.h>

#include <functional>
#include <type_traits>

#include "core/context.h"
#include "border.h"
#include "core/key_column.h"
#include "core/pairs.h"

namespace ronda::glue {

// reads the options ronda.threads, ronda.chunk_rows and ronda.path
core::Context current_context();

// (stops unless the columns are of these kinds and equally long)
core::Keys as_keys(const Rcpp::List& columns, const Rcpp::IntegerVector& kinds);
// the same for two frames whose columns are compared
void check_same_keys(const core::Keys& left, const core::Keys& right);

// A text's characters stand that far behind its address in R's memory; threads
// read them there and ask R for nothing.
inline std::ptrdiff_t characters_behind_address() {
  return CHAR(NA_STRING) - reinterpret_cast<const char*>(NA_STRING);
}

// Key columns with texts such that equal ones share one address in some rows (in
// all, without `rows`); other columns as they are
Rcpp::List texts_at_one_address(const core::Context& context,
                         const Rcpp::List& columns,
                         const Rcpp::IntegerVector& kinds,
                         const core::Buffer<core::Row>* rows = nullptr);

// What pairs, as R keeps it (R/matches.R); stops unless all row numbers lie within
// the frames.
core::PairsView as_pairs(const core::Context& context, SEXP matches);
// the same without a look at the row numbers: for what the engine has just made, and
// for what is looked at as it is used
core::PairsView as_pairs_unchecked(SEXP matches);
// a list of the parts, for R
Rcpp::List new_matches(SEXP range, SEXP starts, SEXP partners,
                       std::size_t right_rows);

// R leaves by a jump when memory runs out or an interrupt comes in during a
// collection; this makes it an exception, so that what C++ holds is let go.
template <class Action>
SEXP unwinding(Action&& action) {
  return Rcpp::unwindProtect(std::function<SEXP()>(action));
}

// The error of memory that ran out, as all errors of ours: with a class, and what
// to write instead. It leaves by a jump.
SEXP stop_no_memory();

// a new vector of `n` values of a type, its memory in large pages
SEXP new_vector(SEXPTYPE type, std::size_t n);
// the same outside of guarded(), where a jump harms nothing
SEXP plain_vector(SEXPTYPE type, std::size_t n);

// row numbers that stay inside a join, see glue_rows.cpp
SEXP new_rows(const core::Context& context, std::size_t n);
void keep_rows(SEXP rows);  // they outlive the join
void register_rows(DllInfo* library);
void register_deferred(DllInfo* library);

Rcpp::IntegerVector as_rows(const core::Row* rows, std::size_t n);
inline Rcpp::IntegerVector as_rows(const std::vector<core::Row>& rows) {
  return as_rows(rows.data(), rows.size());
}

// Asks R whether to go on; what R does about it (the user's interrupt, a time limit,
// a handler of somebody's) leaves as R's own jump.
void check_user();
// goes on with the jump that user_interrupts() held back
void resume_jump();

// (A jump may have been asked for when the last piece of work was done already, or
// when memory ran out: it is never forgotten.)
template <class Action>
auto guarded(Action&& action) {
  try {
    if constexpr (std::is_void_v<decltype(action())>) {
      action();
      resume_jump();
    } else {
      auto result = action();
      resume_jump();
      return result;
    }
  } catch (const Rcpp::LongjumpException&) {
    throw;
  } catch (const std::bad_alloc&) {
    resume_jump();
    unwinding(stop_no_memory);
    throw;
  } catch (...) {
    resume_jump();
    throw;
  }
}

}  // namespace ronda::glue
