// What is wrong with a text file, byte by byte.
#include <Rcpp.h>

using namespace Rcpp;

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
  NumericVector out = NumericVector::create(inside, last, closed, line, opened,
                                            zero);
  out.names() = state.names();
  return out;
}
