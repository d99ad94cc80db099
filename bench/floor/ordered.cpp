// Plain loops for ordered rules, each written for its one case: two threads, data
// without missing values, types known, nothing counted, checked or named. A
// yardstick for bench/ordered.R, not part of the package.
#include <Rcpp.h>
#include <omp.h>

#include <algorithm>
#include <vector>

using namespace Rcpp;

namespace {

// Pairs found by two threads, each in left order
struct Pairs {
  std::vector<int> left[2], right[2];
  R_xlen_t size() const {
    return static_cast<R_xlen_t>(left[0].size() + left[1].size());
  }
};

// find(i, rows): appends the right rows (from 0 on) of left row i
template <class Find>
Pairs find_pairs(R_xlen_t n, Find find) {
  Pairs pairs;
#pragma omp parallel num_threads(2)
  {
    const int t = omp_get_thread_num();
    std::vector<int> rows;
    pairs.left[t].reserve(static_cast<std::size_t>(n));
    pairs.right[t].reserve(static_cast<std::size_t>(n));
    for (R_xlen_t i = n * t / 2; i < n * (t + 1) / 2; ++i) {
      rows.clear();
      find(i, rows);
      for (int row : rows) {
        pairs.left[t].push_back(static_cast<int>(i));
        pairs.right[t].push_back(row);
      }
    }
  }
  return pairs;
}

NumericVector picked(const NumericVector& x, const Pairs& pairs, bool right) {
  NumericVector out(no_init(pairs.size()));
  const double* from = x.begin();
  double* to = out.begin();
#pragma omp parallel num_threads(2)
  {
    const int t = omp_get_thread_num();
    const std::vector<int>& rows = right ? pairs.right[t] : pairs.left[t];
    double* own = to + (t ? pairs.left[0].size() : 0);
    for (std::size_t k = 0; k < rows.size(); ++k) own[k] = from[rows[k]];
  }
  return out;
}

}  // namespace

// nearest at or before, in groups; both sides in order of group and time
// [[Rcpp::export]]
List floor_nearest(IntegerVector lg, NumericVector lt, IntegerVector rg,
                   NumericVector rt, NumericVector rv) {
  const R_xlen_t nl = lt.size(), nr = rt.size();
  NumericVector out(no_init(nl));
  R_xlen_t j = 0;
  for (R_xlen_t i = 0; i < nl; ++i) {
    while (j < nr && (rg[j] < lg[i] || (rg[j] == lg[i] && rt[j] <= lt[i]))) ++j;
    out[i] = j && rg[j - 1] == lg[i] ? rv[j - 1] : NA_REAL;
  }
  return List::create(lg, lt, out);
}

// points in bands that follow each other
// [[Rcpp::export]]
List floor_inside(NumericVector km, NumericVector from, NumericVector to,
                  NumericVector fare) {
  const R_xlen_t n = km.size();
  NumericVector f(no_init(n)), t(no_init(n)), v(no_init(n));
  const double *x = km.begin(), *low = from.begin(), *high = to.begin(),
               *value = fare.begin();
  double *of = f.begin(), *ot = t.begin(), *ov = v.begin();
  const R_xlen_t bands = from.size();
#pragma omp parallel for num_threads(2)
  for (R_xlen_t i = 0; i < n; ++i) {
    const R_xlen_t k = std::upper_bound(low, low + bands, x[i]) - low - 1;
    const bool in = k >= 0 && x[i] < high[k];
    of[i] = in ? low[k] : NA_REAL;
    ot[i] = in ? high[k] : NA_REAL;
    ov[i] = in ? value[k] : NA_REAL;
  }
  return List::create(km, f, t, v);
}

// intervals that overlap; `order`: the right ones by where they begin
// [[Rcpp::export]]
List floor_overlap(NumericVector xf, NumericVector xt, NumericVector yf,
                   NumericVector yt, IntegerVector order) {
  const R_xlen_t n = yf.size();
  std::vector<double> begins(static_cast<std::size_t>(n));
  double longest = 0;
  for (R_xlen_t k = 0; k < n; ++k) {
    begins[static_cast<std::size_t>(k)] = yf[order[k] - 1];
    longest = std::max(longest, yt[k] - yf[k]);
  }
  const Pairs pairs = find_pairs(xf.size(), [&](R_xlen_t i, std::vector<int>& rows) {
    auto k = std::lower_bound(begins.begin(), begins.end(), xf[i] - longest) -
             begins.begin();
    for (; k < n && begins[static_cast<std::size_t>(k)] < xt[i]; ++k) {
      const int row = order[k] - 1;
      if (yt[row] > xf[i]) rows.push_back(row);
    }
    std::sort(rows.begin(), rows.end());
  });
  return List::create(picked(xf, pairs, false), picked(xt, pairs, false),
                      picked(yf, pairs, true), picked(yt, pairs, true));
}

// windows; both sides in order of time
// [[Rcpp::export]]
List floor_around(NumericVector lt, NumericVector rt, NumericVector rv,
                  double before, double after) {
  const double *begin = rt.begin(), *end = rt.end();
  const Pairs pairs = find_pairs(lt.size(), [&](R_xlen_t i, std::vector<int>& rows) {
    // (where the row before ended would be nearer, but each is 20 steps away)
    const double* at = std::lower_bound(begin, end, lt[i] - before);
    for (; at < end && *at <= lt[i] + after; ++at)
      rows.push_back(static_cast<int>(at - begin));
  });
  return List::create(picked(lt, pairs, false), picked(rt, pairs, true),
                      picked(rv, pairs, true));
}

// points in intervals that begin in order, and a second comparison
// [[Rcpp::export]]
List floor_two_rules(NumericVector t, NumericVector w, NumericVector from,
                     NumericVector to, NumericVector most) {
  double longest = 0;
  for (R_xlen_t k = 0; k < from.size(); ++k)
    longest = std::max(longest, to[k] - from[k]);
  const double *begin = from.begin(), *end = from.end();
  const Pairs pairs = find_pairs(t.size(), [&](R_xlen_t i, std::vector<int>& rows) {
    const double* at = std::lower_bound(begin, end, t[i] - longest);
    for (; at < end && *at <= t[i]; ++at) {
      const auto row = static_cast<int>(at - begin);
      if (t[i] < to[row] && w[i] <= most[row]) rows.push_back(row);
    }
  });
  return List::create(picked(t, pairs, false), picked(w, pairs, false),
                      picked(from, pairs, true), picked(to, pairs, true),
                      picked(most, pairs, true));
}

// nearest at or before for which a flag is the same; both sides in order of time
// [[Rcpp::export]]
List floor_nearest_where(NumericVector lt, LogicalVector la, NumericVector rt,
                         LogicalVector rb) {
  const R_xlen_t n = lt.size();
  NumericVector out(no_init(n));
  LogicalVector flag(no_init(n));
  const double *begin = rt.begin(), *end = rt.end();
#pragma omp parallel for num_threads(2)
  for (R_xlen_t i = 0; i < n; ++i) {
    R_xlen_t k = std::upper_bound(begin, end, lt[i]) - begin - 1;
    while (k >= 0 && rb[k] != la[i]) --k;
    out[i] = k >= 0 ? rt[k] : NA_REAL;
    flag[i] = k >= 0 ? rb[k] : NA_LOGICAL;
  }
  return List::create(lt, la, out, flag);
}
