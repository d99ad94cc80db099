# Joins beside the same work written by hand with match() and `[`, and beside
# the loops of a floor file where one is given.
#
#   Rscript bench/joins.R [rows] [folder of the floor]
#
# The folder holds workload.R (the cases) and floor.cpp. Every figure is the
# best of three in one process, the contenders in turn; results are compared
# column by column first, and every column is read inside the timed part.
arguments <- commandArgs(TRUE)
n <- as.numeric(c(arguments, "1e7")[1])
floor <- if (length(arguments) > 1) arguments[2] else "../shared/floor"
library(ronda)
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3 -march=native", PKG_LIBS = "-fopenmp")
Rcpp::sourceCpp(file.path(floor, "floor.cpp"))
source(file.path(floor, "workload.R"))
options(ronda.receipt = FALSE)

same_columns <- function(x, y) {
  length(x) == length(y) && all(mapply(function(a, b) {
    identical(as.vector(a), as.vector(b))
  }, x, y))
}
seconds <- function(f) {
  gc(FALSE)
  system.time(f())[["elapsed"]]
}

run_case <- function(name) {
  w <- make_case(name, n)
  z <- for_floor(w, name)
  ours <- function() {
    touch(join_frames(w$left, w$right, on = w$on, rows = w$rows))
  }
  runs <- list(
    ronda = ours,
    floor = function() touch(run_floor(z)),
    by_hand = function() touch(by_hand(w))
  )
  stopifnot(same_columns(
    join_frames(w$left, w$right, on = w$on, rows = w$rows), by_hand(w)
  ))
  times <- replicate(3, vapply(runs, seconds, 0))
  best <- apply(times, 1, min)
  data.frame(
    case = name, rows = n, ronda = best[["ronda"]], floor = best[["floor"]],
    by_hand = best[["by_hand"]],
    to_floor = round(best[["ronda"]] / best[["floor"]], 2),
    faster_than_by_hand = round(best[["by_hand"]] / best[["ronda"]], 2)
  )
}

table <- do.call(rbind, lapply(c(star_cases, key_cases), run_case))
print(table, row.names = FALSE)
cat(sprintf("geometric mean to the floor, first five: %.2f\n",
  exp(mean(log(table$to_floor[1:5])))
))
if (n == 1e7) {
  utils::write.csv(table, "bench/joins.csv", row.names = FALSE)
}
