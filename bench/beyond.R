# What goes beyond pairs, each beside its floor: the same work by hand, in the engine or in
# a loop made for the one case. Both numbers come from one run, best of three.
#
#   Rscript bench/beyond.R [rows, default 1e6; folding by a key takes ten times as many]
#
# Written to bench/beyond.csv when rows is 1e6.
arguments <- commandArgs(TRUE)
n <- if (length(arguments)) as.numeric(arguments[1]) else 1e6
library(ronda)
options(ronda.receipt = FALSE)
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3", PKG_LIBS = "-fopenmp")
Rcpp::sourceCpp(code = '
#include <Rcpp.h>
// reads the value of each partner of each left row once
// [[Rcpp::export]]
double read_partners(Rcpp::IntegerVector range, Rcpp::IntegerVector starts,
                     Rcpp::IntegerVector partners, Rcpp::NumericVector v) {
  double total = 0;
  const int* s = starts.begin(); const int* p = partners.begin();
  const double* x = v.begin(); const R_xlen_t n = range.size(); const int* r = range.begin();
#pragma omp parallel for reduction(+ : total) schedule(static)
  for (R_xlen_t i = 0; i < n; i++) {
    if (i + 48 < n) __builtin_prefetch(&s[r[i + 48]]);
    if (i + 32 < n && r[i + 32]) __builtin_prefetch(&p[s[r[i + 32] - 1]]);
    if (i + 16 < n && r[i + 16]) __builtin_prefetch(&x[p[s[r[i + 16] - 1]] - 1]);
    if (r[i]) for (int k = s[r[i] - 1]; k < s[r[i]]; k++) total += x[p[k] - 1];
  }
  return total;
}
// the sum of each window, both sides in order, every value read
// [[Rcpp::export]]
Rcpp::NumericVector sum_windows(Rcpp::NumericVector at, Rcpp::NumericVector t,
                                Rcpp::NumericVector v, double before, double after) {
  const R_xlen_t n = at.size(), m = t.size();
  Rcpp::NumericVector out(n);
  double* o = out.begin(); const double* a = at.begin(); const double* u = t.begin();
  const double* x = v.begin();
#pragma omp parallel for schedule(static)
  for (R_xlen_t i = 0; i < n; i++) {
    R_xlen_t k = std::lower_bound(u, u + m, a[i] - before) - u;
    long double sum = 0;
    for (; k < m && u[k] <= a[i] + after; k++) sum += x[k];
    o[i] = sum;
  }
  return out;
}')

seconds <- function(f) {
  gc(FALSE)
  system.time(f())[["elapsed"]]
}
line <- function(case, rows, ours, other, what) {
  found <- apply(replicate(3, c(seconds(ours), seconds(other))), 1, min)
  data.frame(case, rows, ronda = round(found[1], 3), other = what,
    other_seconds = round(found[2], 3), ratio = round(found[1] / found[2], 2)
  )
}
keyed <- function(n, keys = n) {
  data.frame(k = sample.int(keys, n, TRUE), t = runif(n) * n, v = runif(n))
}

fold_lines <- function(n) {
  set.seed(1)
  left <- data.frame(k = sample.int(n))
  right <- keyed(n)
  fold <- list(
    n = ~ nrow(right), sum = ~ sum(right$v), mean = ~ mean(right$v), max = ~ max(right$v)
  )
  by_key <- line("fold by key: count, sum, mean, max", n,
    function() join_frames(left, right, on = "k", fold = fold),
    function() {
      matches <- pair_rows(left, right, on = "k", expect = "rows-multiply")$matches
      read_partners(matches$range, matches$starts, matches$partners, right$v)
    }, "matching, and each partner's value read once"
  )
  m <- n / 10
  left <- data.frame(t = sort(runif(m) * m))
  right <- data.frame(t = sort(runif(m) * m), v = runif(m))
  sums <- sum_windows(left$t, right$t, right$v, 500, 500)
  ours <- join_frames(left, right, on = around("t", before = 500, after = 500),
    fold = list(sum = ~ sum(right$v))
  )$sum
  stopifnot(identical(ours, sums))
  windows <- line("fold in windows of 1,000: sum", m,
    function() join_frames(left, right, on = around("t", before = 500, after = 500),
      fold = list(sum = ~ sum(right$v))
    ),
    function() sum_windows(left$t, right$t, right$v, 500, 500),
    "a loop that reads each value of each window"
  )
  few <- m / 10
  left <- data.frame(k = seq_len(few))
  right <- keyed(5 * few, few)
  by_r <- line("fold by an R formula", few,
    function() join_frames(left, right, on = "k", fold = list(
      spread = ~ diff(range(right$v))
    )),
    function() vapply(split(right$v, right$k), function(v) diff(range(v)), 0),
    "split() and vapply()"
  )
  rbind(by_key, windows, by_r)
}

pair_lines <- function(n) {
  set.seed(2)
  left <- keyed(n, n / 4)
  right <- keyed(n, n / 4)
  left$id <- seq_len(n)
  pairs <- function(...) pair_rows(left, right, ..., expect = "rows-multiply")
  rbind(
    line("nearest, n = 3", n, function() pairs(nearest("t", n = 3)),
      function() pairs(nearest("t")), "nearest alone"
    ),
    line("once, by key", n, function() pairs("k", repeats = "once"),
      function() pairs("k"), "all pairs"
    ),
    line("once, by distance", n,
      function() pairs(nearest("t", look = "either"), repeats = "once"),
      function() {
        order(left$t, method = "radix")
        order(right$t, method = "radix")
        pairs(nearest("t", look = "either"))
      }, "nearest alone and order() of both sides"
    ),
    line("lowest() of a formula", n,
      function() pairs("k", repeats = lowest(~ abs(left$t - right$t))),
      function() {
        found <- pairs("k")
        rows <- build_frame(found, "inner", take = character(), omit = NULL,
          row_numbers = c("i", "j")
        )
        order(rows$i, abs(left$t[rows$i] - right$t[rows$j]), method = "radix")
      }, "the pairs written out and ordered"
    ),
    line("in_turn() of two keys", n,
      function() pairs(in_turn(c(id = "k"), "k")),
      function() {
        first <- join_frames(left, right, on = c(id = "k"), rows = "anti")
        pairs(c(id = "k"))
        pair_rows(first, right, on = "k", expect = "rows-multiply")
      }, "the two joins and what the first leaves"
    ),
    line("intervals that overlap within a key", n,
      function() key_account(transform(left, to = t + 1), list("k", overlap("t", "to"))),
      function() {
        whole <- transform(left, to = t + 1)
        pair_rows(whole, whole, list("k", overlap("t", "to")), expect = "rows-multiply")
      }, "the pairs alone"
    )
  )
}

# what lies between two neighbours, what two periods share, and the calendar
reach_lines <- function(n) {
  set.seed(5)
  time <- function(days) .POSIXct(1.9e9 + 86400 * days, "UTC")
  left <- data.frame(t = time(runif(n, 0, 2000)))
  right <- data.frame(t = time(runif(n, 0, 2000)), v = runif(n))
  sorted <- lapply(list(left, right), function(x) x[order(x$t), , drop = FALSE])
  between <- function(name, left, right) {
    line(name, n,
      function() join_frames(left, right, on = nearest("t", look = "both"),
        fold = list(v = ~ interpolated(right$v))
      ),
      function() join_frames(left, right, on = nearest("t"), fold = list(v = ~ right$v[1])),
      "nearest() with a fold of the first"
    )
  }
  stays <- transform(left, to = t + 86400 * runif(n))
  shut <- transform(right[seq_len(n / 100), ], to = t + 86400 * runif(n / 100))
  meets <- function(...) overlap("t", "to", ..., shared = c("from", "until", "long"))
  rbind(
    between("both neighbours, interpolated, shuffled", left, right),
    between("both neighbours, interpolated, in order", sorted[[1L]], sorted[[2L]]),
    line("the stretch that periods share, summed", n,
      function() join_frames(stays, shut, on = meets(), fold = list(s = ~ sum(right$long))),
      function() join_frames(stays, shut, on = meets(), rows = "inner",
        expect = "rows-multiply"
      ), "the pairs, with what they share"
    ),
    line("nearest within a month", n,
      function() pair_rows(left, right, on = nearest("t", within = "1 month")),
      function() pair_rows(left, right, on = nearest("t", within = "30 days")),
      "within 30 days"
    ),
    line("once, by a formula", n / 10,
      function() pair_rows(stays[seq_len(n / 10), ], shut, on = overlap("t", "to"),
        repeats = lowest(~ abs(left$t - right$t), once = TRUE), expect = "rows-multiply"
      ),
      function() {
        found <- pair_rows(stays[seq_len(n / 10), ], shut, on = overlap("t", "to"),
          expect = "rows-multiply"
        )
        rows <- build_frame(found, "inner", take = character(), row_numbers = c("i", "j"))
        order(abs(as.numeric(stays$t[rows$i]) - as.numeric(shut$t[rows$j])), rows$i, rows$j,
          method = "radix"
        )
      }, "the pairs written out and ordered"
    )
  )
}

where_line <- function(n) {
  set.seed(3)
  left <- data.frame(x = runif(n) * n)
  right <- data.frame(from = seq_len(n) - 1, to = seq_len(n))
  line("a condition of two comparisons", n,
    function() pair_rows(left, right, on = cross(),
      where = ~ left$x >= right$from & left$x < right$to
    ),
    function() pair_rows(left, right, on = inside("x", "from", "to")), "inside()"
  )
}

difference_line <- function(n, columns = 50L) {
  set.seed(4)
  old <- as.data.frame(c(list(id = seq_len(n)), lapply(seq_len(columns), function(k) {
    if (k %% 3L) runif(n) else sample(letters, n, TRUE)
  })), col.names = c("id", paste0("c", seq_len(columns))))
  new <- old[sample.int(n), ]
  row.names(new) <- NULL
  new$c3[1:9] <- "?"
  pairing <- pair_rows(old, new, on = "id")
  line(sprintf("differences in %d columns", columns), n,
    function() summary(differences(pairing)),
    function() {
      at <- order(new$id)
      vapply(names(old), function(name) sum(old[[name]] != new[[name]][at]), 1L)
    }, "!= of each column, in one order"
  )
}

table <- rbind(
  fold_lines(10 * n), pair_lines(n), reach_lines(n), where_line(n), difference_line(n)
)
print(table, row.names = FALSE)
if (n == 1e6) utils::write.csv(table, "bench/beyond.csv", row.names = FALSE)
