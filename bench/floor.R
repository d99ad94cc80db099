# The star joins beside what the machine must do for them: two threads that read once and
# write once the bytes that have to be (bench/floor/floor.cpp).
#
#   Rscript bench/floor.R ["1e7 5e7"] [turns]
#
# Seconds, the best of some turns, the contenders one after the other. `ratio`: ronda to
# the sum of the floor's stages, which stand in the columns behind. `stages_ms`: where the
# time of ronda's last run went. Written to bench/floor.csv.
source("bench/common.R")
arguments <- c(commandArgs(TRUE), NA, NA)
sizes <- as.numeric(strsplit(if (is.na(arguments[1])) "1e7 5e7" else arguments[1], " ")[[1]])
turns <- if (is.na(arguments[2])) 7 else as.numeric(arguments[2])
library(ronda)
options(ronda.receipt = FALSE)
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3 -march=native", PKG_LIBS = "-fopenmp")
Rcpp::sourceCpp("bench/floor/floor.cpp")

# The frames of a case: a fact table of n rows, and what it is joined with
star_case <- function(name, n) {
  set.seed(20261123)
  top <- function(k) as.integer(k * 1.1)
  pick <- function(k) sample.int(top(k), k)
  text <- function(i) sprintf("k%08d", i)
  mid <- max(10L, as.integer(n / 1e3))
  fact <- data.frame(
    a = sample.int(11L, n, TRUE), b = sample.int(top(mid), n, TRUE), c = pick(n), v = runif(n)
  )
  other <- function(k, ...) data.frame(..., w = runif(k))
  middle <- other(mid, a = sample.int(11L, mid, TRUE), b = pick(mid))
  case <- function(left, right, on, rows) list(left = left, right = right, on = on, rows = rows)
  switch(name,
    small_inner = case(fact, other(10, a = pick(10L)), "a", "inner"),
    medium_inner = case(fact, middle, "b", "inner"),
    medium_left = case(fact, middle, "b", "left"),
    text_inner = case(
      data.frame(t = text(fact$b), v = fact$v), data.frame(t = text(middle$b), w = middle$w),
      "t", "inner"
    ),
    big_inner = case(fact, other(n, a = sample.int(11L, n, TRUE),
      b = sample.int(top(mid), n, TRUE), c = pick(n)
    ), "c", "inner")
  )
}

keys_first <- function(frame, on) as.list(frame[c(on, setdiff(names(frame), on))])

# reads one value of each page of every column, so that nothing stays deferred
Rcpp::cppFunction("double touched(List frame) {
  double sum = 0;
  for (R_xlen_t k = 0; k < frame.size(); ++k) {
    SEXP x = frame[k];
    const char* at = static_cast<const char*>(DATAPTR_RO(x));
    const R_xlen_t bytes = Rf_xlength(x) * (TYPEOF(x) == INTSXP ? 4 : 8);
    for (R_xlen_t i = 0; i < bytes; i += 4096) sum += at[i];
  }
  return sum;
}")

measure <- function(name, n) {
  w <- star_case(name, n)
  left <- keys_first(w$left, w$on)
  right <- keys_first(w$right, w$on)
  floor <- rep(Inf, 6)
  ronda <- Inf
  for (turn in seq_len(turns + 1L)) {
    gc(FALSE)
    stages <- floor_stages(left, right, w$rows == "inner", 2L)
    time <- seconds(function() {
      touched(join_frames(w$left, w$right, on = w$on, rows = w$rows))
    })
    if (turn == 1L) next
    if (sum(stages) < sum(floor)) floor <- stages
    ronda <- min(ronda, time)
  }
  own <- last_receipt()$seconds
  own <- own[own >= 0.001]
  line <- data.frame(case = name, rows = n, ronda_s = round(ronda, 3),
    floor_s = round(sum(floor), 3), ratio = round(ronda / sum(floor), 2)
  )
  line <- cbind(line, as.list(round(1000 * floor)), stages_ms = paste(
    names(own), round(1000 * own), collapse = ", "
  ))
  print(line, row.names = FALSE)
  line
}

cases <- c("small_inner", "medium_inner", "medium_left", "text_inner", "big_inner")
table <- do.call(rbind, lapply(sizes, function(n) {
  do.call(rbind, lapply(cases, measure, n = n))
}))
slower_than_stored(table, "bench/floor.csv", c("case", "rows"))
store_table(table, "bench/floor.csv", identical(sizes, c(1e7, 5e7)))
