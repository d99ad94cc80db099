// What is asked of R's vectors beyond its documented interface for C, all of it
// here.
#pragma once
#include <Rcpp.h>

#include <type_traits>

#include "core/text_characters.h"

namespace ronda::glue {

// whether a vector has any attributes
inline bool has_attributes(SEXP x) {
#if R_VERSION >= R_Version(4, 5, 0)
  return ANY_ATTRIB(x);
#else
  return ATTRIB(x) != R_NilValue;
#endif
}

// Whether f(tag, value) holds for every attribute as it stands, without a copy
template <class F>
bool every_attribute(SEXP x, F&& f) {
#if R_VERSION >= R_Version(4, 6, 0)
  auto ask = [](SEXP tag, SEXP value, void* data) -> SEXP {
    return (*static_cast<std::remove_reference_t<F>*>(data))(tag, value)
               ? nullptr
               : R_NilValue;
  };
  return R_mapAttrib(x, ask, &f) == nullptr;
#else
  for (SEXP at = ATTRIB(x); at != R_NilValue; at = CDR(at))
    if (!f(TAG(at), CAR(at))) return false;
  return true;
#endif
}

// whether two elements of text vectors are equal, whatever their encodings
bool is_same_text(SEXP a, SEXP b);

// The values of a vector, to be written. R documents this for all but texts,
// which it wants to be told of one by one, by one thread. Addresses of its
// shared strings may be written all the same into a vector that is younger than
// all of them: the collector never promotes it before them, and that is all it
// is told for. So texts are only written into new vectors, while the vectors
// that they come from are held.
void* writable_values(SEXP x);

// How threads find the characters of a text. R documents CHAR() alone, a call
// for each text; R keeps them at one distance behind a text's address, which
// saves a fifth of the time of sorting texts (bench/NOTES.md). Whether that
// holds is looked at in this R before it is used; else, or with
// options(ronda.characters = "asked"), threads call CHAR(), which only reads.
core::TextCharacters text_characters();

}  // namespace ronda::glue
