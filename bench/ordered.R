# Ordered rules beside plain loops, each written for its one case (bench/floor/ordered.cpp).
#
#   Rscript bench/ordered.R ["1e6 1e7"]
#
# Seconds, the best of some turns, the contenders one after the other in each; results are
# compared first. `target`: the ratio to stay below. Nearest in groups is beside one loop
# over sorted rows, and shuffled beside that and order() of both sides; the others beside
# loops on two threads (and order() where they need it). Written to bench/ordered.csv.
source("bench/common.R")
arguments <- commandArgs(TRUE)
sizes <- as.numeric(strsplit(if (length(arguments)) arguments[1] else "1e6 1e7", " ")[[1]])
library(ronda)
options(ronda.receipt = FALSE)
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3 -march=native", PKG_LIBS = "-fopenmp")
Rcpp::sourceCpp("bench/floor/ordered.cpp")

# (reads a value of each column, so that nothing stays deferred)
touched <- function(x) for (column in x) column[length(column)] + 0

same <- function(x, y) {
  identical(unname(lapply(x, as.vector)), unname(lapply(y, as.vector)))
}

line <- function(case, n, ours, floor, target, beside = "a loop on two threads") {
  if (!same(ours(), floor())) stop(case, ": not what the loop gives")
  found <- best_of_turns(list(
    ronda = function() touched(ours()), floor = function() touched(floor())
  ), 5)
  data.frame(case, rows = n, ronda_s = round(found[["ronda"]], 3),
    beside_s = round(found[["floor"]], 3), ratio = round(found[["ronda"]] / found[["floor"]], 2),
    target = target, beside = beside
  )
}

readings <- function(n, groups) {
  g <- sort(sample.int(groups, n, TRUE))
  t <- runif(n, 0, 1e6)
  t <- t[order(g, t, method = "radix")]
  data.frame(g = g, t = t, v = t / 3) # (rows of one time are alike)
}

in_groups <- function(n, groups) {
  set.seed(1)
  l <- readings(n, groups)[c("g", "t")]
  r <- readings(n, groups)
  on <- if (groups == 1) nearest("t") else list("g", nearest("t"))
  join <- function(l, r) join_frames(l, r, on = on, take = "v")
  floor <- function() floor_nearest(l$g, l$t, r$g, r$t, r$v)
  sorted <- line(sprintf("nearest, sorted, %g groups", groups), n,
    function() join(l, r), floor, 1.3, "a loop"
  )
  i <- sample.int(n)
  j <- sample.int(n)
  ls <- l[i, ]
  rs <- r[j, ]
  row.names(ls) <- row.names(rs) <- NULL
  # (what is compared: the rows in the order of the sorted frame)
  back <- order(i)
  stopifnot(identical(join(ls, rs)$v[back], join(l, r)$v))
  found <- best_of_turns(list(
    ronda = function() touched(join(ls, rs)),
    floor = function() {
      order(ls$g, ls$t, method = "radix")
      order(rs$g, rs$t, method = "radix")
      touched(floor())
    }
  ), 3)
  rbind(sorted, data.frame(case = sprintf("nearest, shuffled, %g groups", groups), rows = n,
    ronda_s = round(found[["ronda"]], 3), beside_s = round(found[["floor"]], 3),
    ratio = round(found[["ronda"]] / found[["floor"]], 2), target = 1.3,
    beside = "a loop, and order() of both sides"
  ))
}

multiply <- "rows-multiply"

inside_line <- function(n) {
  set.seed(2)
  bands <- data.frame(from = 0:999 + 0, to = 1:1000 + 0, fare = runif(1000))
  points <- data.frame(km = runif(n, -5, 1005))
  line("inside, 1,000 bands", n,
    function() join_frames(points, bands, on = inside("km", "from", "to")),
    function() floor_inside(points$km, bands$from, bands$to, bands$fare), 1.5
  )
}

overlap_line <- function(n) {
  set.seed(3)
  intervals <- function() {
    from <- runif(n, 0, n)
    data.frame(from, to = from + runif(n, 0, 2))
  }
  x <- intervals()
  y <- intervals()
  line("overlap, about 2 each, shuffled", n,
    function() join_frames(x, y, on = overlap("from", "to", "from", "to"), rows = "inner",
      expect = multiply
    ),
    function() floor_overlap(x$from, x$to, y$from, y$to, order(y$from, method = "radix")),
    1.5, "a loop on two threads, and order() of the right side"
  )
}

around_line <- function(n) {
  set.seed(4)
  l <- data.frame(t = sort(runif(n, 0, n)))
  r <- data.frame(t = sort(runif(n, 0, n)), v = runif(n))
  line("around, 3 each, in order", n,
    function() join_frames(l, r, on = around("t", before = 2, after = 1), rows = "inner",
      expect = multiply
    ),
    function() floor_around(l$t, r$t, r$v, 2, 1), 1.5
  )
}

two_rules_line <- function(n) {
  set.seed(5)
  l <- data.frame(t = sort(runif(n, 0, n)), w = runif(n))
  from <- sort(runif(n, 0, n))
  r <- data.frame(from, to = from + runif(n, 0, 4), most = runif(n))
  line("inside and a second comparison, in order", n,
    function() join_frames(l, r, on = list(inside("t", "from", "to"), relate("w", "<=", "most")),
      rows = "inner", expect = multiply
    ),
    function() floor_two_rules(l$t, l$w, r$from, r$to, r$most), 1.5
  )
}

where_line <- function(n) {
  set.seed(6)
  l <- data.frame(t = sort(runif(n)), a = runif(n) < 0.5)
  r <- data.frame(t = sort(runif(n)), b = runif(n) < 0.5)
  line("nearest with a condition that half pass", n,
    function() join_frames(l, r, on = nearest("t"), where = ~ left$a == right$b),
    function() floor_nearest_where(l$t, l$a, r$t, r$b), 1.5
  )
}

table <- do.call(rbind, lapply(sizes, function(n) {
  rbind(
    do.call(rbind, lapply(c(1, 100, 1e4, 1e6), in_groups, n = n)), inside_line(n),
    if (n <= 1e6) rbind(overlap_line(n), around_line(n), two_rules_line(n), where_line(n))
  )
}))
print(table, row.names = FALSE)
slower_than_stored(table, "bench/ordered.csv", c("case", "rows"))
store_table(table, "bench/ordered.csv", identical(sizes, c(1e6, 1e7)))
