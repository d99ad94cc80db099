# Ordered rules beside the floor's loop and the same work by hand.
#
#   Rscript bench/ordered.R [rows] [folder of the floor]
#
# Ratios of the best of three in one process, the contenders in turn. Results
# are compared first. Written to bench/ordered.csv when rows is 1e7.
arguments <- commandArgs(TRUE)
sizes <- if (length(arguments)) as.numeric(arguments[1]) else c(1e6, 1e7)
floor <- if (length(arguments) > 1) arguments[2] else "../shared/floor"
library(ronda)
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3 -march=native", PKG_LIBS = "-fopenmp")
Rcpp::sourceCpp(file.path(floor, "floor.cpp"))
options(ronda.receipt = FALSE)

seconds <- function(f) {
  gc(FALSE)
  system.time(f())[["elapsed"]]
}
best <- function(runs, times = 3) {
  apply(replicate(times, vapply(runs, seconds, 0)), 1, min)
}
line <- function(case, n, runs, what) {
  found <- best(runs)
  data.frame(case, rows = n, ronda = found[["ronda"]], other = what,
    other_seconds = found[["other"]],
    ratio = round(found[["ronda"]] / found[["other"]], 2)
  )
}

readings <- function(n, groups) {
  g <- sort(sample.int(groups, n, TRUE))
  t <- runif(n, 0, 1e6)
  t <- t[order(g, t, method = "radix")]
  data.frame(g = g, t = t, v = runif(n))
}

nearest_lines <- function(n, groups) {
  set.seed(1)
  l <- readings(n, groups)[c("g", "t")]
  r <- readings(n, groups)
  on <- list("g", nearest("t"))
  if (groups == 1L) on <- on[2]
  ours <- function(l, r) join_frames(l, r, on = on, take = "v")
  floor <- function() touch(floor_nearest(l$g, l$t, r$g, r$t, r$v))
  stopifnot(identical(ours(l, r)$v, floor_nearest(l$g, l$t, r$g, r$t, r$v)[[3]]))
  sorted <- line(sprintf("nearest, sorted, %d groups", groups), n, list(
    ronda = function() touch(ours(l, r)), other = floor
  ), "floor")
  ls <- l[sample.int(n), ]
  rs <- r[sample.int(n), ]
  row.names(ls) <- row.names(rs) <- NULL
  shuffled <- line(sprintf("nearest, shuffled, %d groups", groups), n, list(
    ronda = function() touch(ours(ls, rs)),
    other = function() {
      order(ls$g, ls$t, method = "radix")
      order(rs$g, rs$t, method = "radix")
      floor()
    }
  ), "floor and order() of both sides")
  rbind(sorted, shuffled)
}

band_line <- function(n) {
  set.seed(2)
  bands <- data.frame(from = 0:999, to = 1:1000, fare = runif(1000))
  points <- data.frame(km = runif(n, -5, 1005))
  ours <- function() join_frames(points, bands, on = inside("km", "from", "to"))
  hand <- function() {
    i <- findInterval(points$km, c(bands$from, 1000))
    i[i == 0L | i > 1000L] <- NA
    data.frame(points, bands[i, ], row.names = NULL)
  }
  # what is written by hand without naming rows
  lean <- function() {
    i <- findInterval(points$km, c(bands$from, 1000))
    i[i == 0L | i > 1000L] <- NA
    list(points$km, bands$from[i], bands$to[i], bands$fare[i])
  }
  stopifnot(identical(ours()$fare, lean()[[4]]))
  line("inside, 1,000 bands", n, list(
    ronda = function() touch(ours()), other = lean
  ), "findInterval() and [")
}

overlap_lines <- function() {
  found <- vapply(c(1e4, 1e5, 1e6), function(n) {
    set.seed(3)
    intervals <- function() {
      from <- runif(n, 0, n)
      data.frame(from, to = from + runif(n, 0, 2))
    }
    x <- intervals()
    y <- intervals()
    min(replicate(3, seconds(function() {
      join_frames(x, y, on = overlap("from", "to", "from", "to"),
        rows = "inner", expect = "rows-multiply"
      )
    })))
  }, 0)
  n <- c(1e4, 1e5, 1e6)
  data.frame(case = "overlap, about 2 each", rows = n, ronda = found,
    other = "seconds per n log n, to that of 1e4", other_seconds = NA,
    ratio = round((found / (n * log(n))) / (found[1] / (1e4 * log(1e4))), 2)
  )
}

condition_line <- function(n = 1e5) {
  set.seed(4)
  x <- data.frame(t = runif(n), a = runif(n) < 0.5)
  y <- data.frame(t = runif(n), b = runif(n) < 0.5)
  data.frame(case = "nearest with a condition half pass, 1 group", rows = n,
    ronda = seconds(function() {
      join_frames(x, y, on = nearest("t"), where = ~ left$a == right$b)
    }), other = "", other_seconds = NA, ratio = NA
  )
}

table <- do.call(rbind, c(
  lapply(sizes, function(n) {
    rbind(nearest_lines(n, 1L), nearest_lines(n, 10000L), band_line(n))
  }),
  list(overlap_lines(), condition_line())
))
print(table, row.names = FALSE, digits = 3)
if (1e7 %in% sizes) {
  utils::write.csv(table, "bench/ordered.csv", row.names = FALSE)
}
