#include "glue_plain_data.h"

#include <string>

#include "glue.h"

using namespace Rcpp;
using namespace ronda;

namespace {

// what may not be in a file, in words
const char* kind_in_words(SEXP x) {
  switch (TYPEOF(x)) {
    case PROMSXP:
      return "a promise";
    case CLOSXP:
    case SPECIALSXP:
    case BUILTINSXP:
      return "a function";
    case ENVSXP:
      return "an environment";
    case LANGSXP:
    case SYMSXP:
    case EXPRSXP:
    case DOTSXP:
      return "a piece of code";
    case BCODESXP:
      return "compiled code";
    case EXTPTRSXP:
    case WEAKREFSXP:
      return "an address in memory";
    case S4SXP:
      return "an S4 object";
    default:
      return "an object that is no vector";
  }
}

struct Found {
  std::string where, what, class_name;
};

class Search {
 public:
  explicit Search(const CharacterVector& known) : known_(known) {}

  // whether x is plain data; else what is not, and where
  bool is_plain(SEXP x, int depth) {
    if (depth > 200) return found("", "nested too deeply");
    if (Rf_isS4(x) && !is_known(x)) return false;
    switch (TYPEOF(x)) {
      case NILSXP:
      case LGLSXP:
      case INTSXP:
      case REALSXP:
      case CPLXSXP:
      case STRSXP:
      case RAWSXP:
        break;
      case VECSXP:
        if (!parts_are_plain(x, depth)) return false;
        break;
      case S4SXP:
        break;
      default:
        return found("", kind_in_words(x));
    }
    return attributes_are_plain(x, depth);
  }

  Found result;

 private:
  bool found(const std::string& where, const char* what) {
    result.where = where;
    result.what = what;
    return false;
  }
  // puts a step before what was found
  bool within(const std::string& step) {
    result.where = result.where.empty() ? step : step + ", " + result.where;
    return false;
  }

  bool is_known(SEXP x) {
    SEXP name = Rf_getAttrib(x, R_ClassSymbol);
    if (TYPEOF(name) == STRSXP && Rf_xlength(name) > 0)
      result.class_name = Rf_translateCharUTF8(STRING_ELT(name, 0));
    for (R_xlen_t k = 0; k < known_.size(); ++k)
      if (result.class_name == CHAR(STRING_ELT(known_, k))) return true;
    return found("", "an S4 object of an unknown class");
  }

  bool parts_are_plain(SEXP x, int depth) {
    for (R_xlen_t k = 0; k < Rf_xlength(x); ++k) {
      if (is_plain(VECTOR_ELT(x, k), depth + 1)) continue;
      SEXP names = Rf_getAttrib(x, R_NamesSymbol);
      return within(
          TYPEOF(names) == STRSXP && k < Rf_xlength(names)
              ? "`" + std::string(Rf_translateCharUTF8(STRING_ELT(names, k))) +
                    "`"
              : "element " + std::to_string(k + 1));
    }
    return true;
  }

  // Looked up in R's own list of classes: nothing found there is run.
  bool attributes_are_plain(SEXP x, int depth) {
    return glue::every_attribute(x, [&](SEXP tag, SEXP value) {
      return is_plain(value, depth + 1) ||
             within("attribute `" +
                    std::string(Rf_translateCharUTF8(PRINTNAME(tag))) + "`");
    });
  }

  CharacterVector known_;
};

}  // namespace

// The first thing in x, at any depth, that is not plain data: c(where, what,
// class of an S4 object); nothing where all is. `known`: S4 classes that may
// be. No value is looked at, so nothing of x can run.
// [[Rcpp::export(rng = false)]]
CharacterVector not_plain_data_(SEXP x, CharacterVector known) {
  return glue::guarded([&]() -> CharacterVector {
    Search search(known);
    if (search.is_plain(x, 0)) return CharacterVector(0);
    CharacterVector out(3);
    out[0] = String(search.result.where, CE_UTF8);
    out[1] = search.result.what;
    out[2] = String(search.result.class_name, CE_UTF8);
    return out;
  });
}
