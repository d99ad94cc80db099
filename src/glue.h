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
#include "glue_rows.h"
#include "glue_text.h"
#include "options.h"
#include "r_internals.h"

namespace ronda::glue {

// Stops unless the columns are of these kinds and equally long.
core::Keys as_keys(const Rcpp::List& columns, const Rcpp::IntegerVector& kinds);

// What pairs, as R keeps it (R/matches.R); stops unless all row numbers lie
// within the frames.
core::PairsView as_pairs(const core::Context& context, SEXP matches);
// the same without a look at the row numbers: for what the engine has just
// made, and for what is looked at as it is used
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

// The error of memory that ran out, as all errors of ours: with a class, and
// what to write instead. It leaves by a jump.
SEXP stop_no_memory();

// a new vector of `n` values of a type, its memory in large pages
SEXP new_vector(SEXPTYPE type, std::size_t n);
// the same outside of guarded(), where a jump harms nothing
SEXP plain_vector(SEXPTYPE type, std::size_t n);

Rcpp::IntegerVector as_rows(const core::Row* rows, std::size_t n);
inline Rcpp::IntegerVector as_rows(const std::vector<core::Row>& rows) {
  return as_rows(rows.data(), rows.size());
}

// A jump that was asked for when the last piece of work was done already, or
// when memory ran out, is not forgotten.
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

double now_();
