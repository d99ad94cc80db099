# Joins beside the same work written by hand with match() and `[`, and beside
# the loops of a floor file where one is given: the whole table.
#
#   Rscript bench/joins.R [rows] [folder of the floor] [turns] [cases]
#
# `cases` is a pattern: only the cases whose names it fits, and nothing is stored.
# The folder holds workload.R (the cases) and floor.cpp. The contenders take
# turns in one process (work by hand, several times longer, the last three turns
# only); every figure is the best of all turns; results are
# compared column by column first, and every column is read inside the timed
# part. Memory is the peak of the process over what the inputs take, with
# deferred columns off, beside the size of the result. Writes bench/joins.md
# and bench/joins.csv.
arguments <- c(commandArgs(TRUE), NA, NA, NA, NA)
n <- if (is.na(arguments[1])) 1e7 else as.numeric(arguments[1])
folder <- if (is.na(arguments[2])) "../shared/floor" else arguments[2]
turns <- if (is.na(arguments[3])) 7 else as.numeric(arguments[3])
wanted <- function(case) is.na(arguments[4]) || grepl(arguments[4], case)
suppressMessages(library(ronda))
Sys.setenv(PKG_CXXFLAGS = "-fopenmp -O3 -march=native", PKG_LIBS = "-fopenmp")
if (!nzchar(Sys.getenv("RONDA_BENCH"))) {
  Rcpp::sourceCpp(file.path(folder, "floor.cpp"))
}
source(file.path(folder, "workload.R"))
options(ronda.receipt = FALSE)
asked <- Sys.getenv("RONDA_BENCH")
is_parent <- !nzchar(asked)

# Measuring ---------------------------------------------------------------

same_columns <- function(x, y) {
  length(x) == length(y) && all(mapply(function(a, b) {
    identical(as.vector(a), as.vector(b))
  }, x, y))
}
seconds <- function(f) {
  gc(FALSE)
  system.time(f())[["elapsed"]]
}
# the best of all turns, the contenders one after the other; what takes a tenth of
# a second takes more of them, as a neighbour's work disturbs it more. The first
# turn does not count: one contender may find memory that the case before left
# behind, which the others then have to get from the system.
best <- function(runs) {
  quick <- names(runs) != "by_hand"
  first <- vapply(runs[quick], seconds, 0)
  more <- if (max(first) < 0.25) 5 * turns else turns
  best <- rep(Inf, length(runs))
  for (turn in seq_len(more)) {
    for (k in which(quick | turn > more - 3)) {
      best[k] <- min(best[k], seconds(runs[[k]]))
    }
  }
  stats::setNames(best, names(runs))
}
status_mb <- function(field) {
  line <- grep(paste0("^", field), readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
# MB that the call takes at most beyond what is there before it
peak_of <- function(f) {
  options(ronda.deferred = FALSE)
  gc(FALSE)
  before <- status_mb("VmRSS")
  writeLines("5", "/proc/self/clear_refs")
  result <- f()
  peak <- status_mb("VmHWM") - before
  size <- sum(vapply(result, function(x) length(x) * width_of(x), 0)) / 2^20
  c(peak, size)
}
# the same in a process of its own, where nothing was measured before
in_fresh_process <- function(what) {
  out <- system2("Rscript", c("bench/joins.R", n, shQuote(folder), 1), TRUE,
    env = paste0("RONDA_BENCH=", what)
  )
  as.numeric(strsplit(out[length(out)], " ")[[1]])
}
peak_mb <- function(name) in_fresh_process(paste0("memory:", name))
width_of <- function(x) if (typeof(x) %in% c("integer", "logical")) 4 else 8

rows <- list()
add <- function(part, case, time, beside = NA, hand = NA, peak = c(NA, NA),
                against = "floor") {
  stages <- last_receipt()$seconds
  stages <- stages[stages >= 0.001]
  rows[[length(rows) + 1]] <<- data.frame(
    part = part, case = case, ronda_s = round(time, 3),
    beside_s = round(beside, 3), ratio = round(time / beside, 2),
    beside = if (is.na(beside)) "" else against, by_hand_s = round(hand, 3),
    faster = round(hand / time, 2), peak_mb = round(peak[1]),
    peak_by_result = round(peak[1] / peak[2], 2),
    stages_ms = paste(names(stages), round(1000 * stages), collapse = ", ")
  )
  print(rows[[length(rows)]][1:10], row.names = FALSE)
}
with_deferral <- function(when, f) {
  old <- options(ronda.deferred = when)
  on.exit(options(old))
  f()
}

# 1 and 2: the cases of the workload --------------------------------------

run_case <- function(name) {
  w <- make_case(name, n)
  z <- for_floor(w, name)
  join <- function() join_frames(w$left, w$right, on = w$on, rows = w$rows)
  stopifnot(same_columns(join(), by_hand(w)))
  time <- best(list(
    ronda = function() touch(join()), floor = function() touch(run_floor(z)),
    by_hand = function() touch(by_hand(w))
  ))
  peak <- peak_mb(name)
  add(if (name %in% star_cases) "star" else "keys", name, time[["ronda"]],
    time[["floor"]], time[["by_hand"]], peak
  )
}
# (1e7 different texts leave R's memory in pieces of their own, which every later
# case would start from: they come last of all)
last_case <- "text_all_different"
if (is_parent) {
  cases <- setdiff(c(star_cases, key_cases), last_case)
  for (name in Filter(wanted, cases)) run_case(name)
}

# an integer and a text over the rows of the text case
integer_and_text <- function() {
  w <- make_case("text_all_different", n)
  for (side in c("left", "right")) {
    w[[side]]$i <- as.integer(substr(w[[side]]$k, 2, 9)) %% 1000L
  }
  w$on <- c("k", "i")
  w
}

# 3: skew, repeats, keys chosen against hashing -----------------------------

# the pairs written out, left row and right row of each, and the columns gathered,
# given the match
write_and_gather <- function(left, right, on, expect) {
  p <- pair_rows(left, right, on = on, expect = expect)
  m <- p$matches
  function() {
    lines <- ronda:::expand_pairs_(m, FALSE)
    if (is.null(lines$left)) {
      # every left row stands once: neither was written yet
      lines$left <- seq_len(nrow(left))
      lines$right <- ronda:::gather_(lines$right, lines$left)
    }
    touch(c(
      lapply(left, ronda:::gather_, lines$left),
      lapply(right[setdiff(names(right), on)], ronda:::gather_, lines$right)
    ))
  }
}
repeats_case <- function(name) {
  set.seed(11)
  tenth <- n / 10
  frames <- if (name == "half_on_one_key") {
    list(
      data.frame(
        k = ifelse(runif(n) < 0.5, 7L, sample.int(tenth, n, TRUE)),
        a = runif(n), b = runif(n)
      ),
      data.frame(k = sample.int(tenth), w = runif(tenth))
    )
  } else {
    list(
      data.frame(k = sample.int(tenth / 10, tenth, TRUE), a = runif(tenth)),
      data.frame(k = sample.int(tenth / 10, tenth, TRUE), w = runif(tenth))
    )
  }
  list(left = frames[[1]], right = frames[[2]], on = "k", rows = "inner")
}
run_repeats <- function(name) {
  w <- repeats_case(name)
  join <- function() {
    join_frames(w$left, w$right, on = "k", rows = "inner",
      expect = "rows-multiply"
    )
  }
  time <- best(list(
    ronda = function() touch(join()),
    writing = write_and_gather(w$left, w$right, "k", "rows-multiply")
  ))
  add("repeats", name, time[["ronda"]], time[["writing"]],
    peak = peak_mb(name), against = "writing pairs and columns"
  )
}

# what a fresh process was asked for
measure_alone <- function(what) {
  name <- sub("memory:", "", what)
  w <- if (name == "integer_and_text") {
    integer_and_text()
  } else if (name %in% c("half_on_one_key", "many_to_many")) {
    repeats_case(name)
  } else {
    make_case(name, n)
  }
  peak_of(function() {
    join_frames(w$left, w$right, on = w$on, rows = w$rows,
      expect = "rows-multiply"
    )
  })
}
if (!is_parent) {
  cat(measure_alone(asked), "\n")
  quit(save = "no")
}

for (name in Filter(wanted, c("half_on_one_key", "many_to_many"))) {
  run_repeats(name)
}
tenth <- n / 10

run_against_hashing <- function(name, keys, spread) {
  if (!wanted(name)) return(invisible())
  frames <- function(k) {
    list(left = data.frame(k = rev(k), a = 1), right = data.frame(k = k, w = 2))
  }
  chosen <- frames(keys)
  random <- frames(spread)
  old <- options(ronda.path = "hashed")
  on.exit(options(old))
  join <- function(x) {
    function() {
      touch(join_frames(x$left, x$right, on = "k", rows = "inner",
        repeats = "first"
      ))
    }
  }
  time <- best(list(chosen = join(chosen), random = join(random)))
  add("against hashing", name, time[["chosen"]], time[["random"]],
    against = "random keys"
  )
}
random <- stats::rnorm(tenth)
whole <- as.numeric(seq_len(tenth))
run_against_hashing("multiples_of_2_to_40", whole * 2^40, random)
run_against_hashing("equal_low_bits", whole * 4096, random)
run_against_hashing("equal_high_bits", 1 + whole * 2^-52, random)
run_against_hashing("one_key", rep(7, tenth), random)

# 4: wide frames ------------------------------------------------------------

run_wide <- function(columns = 50) {
  frame <- function(prefix) {
    x <- c(list(sample.int(n)), replicate(columns, runif(n), simplify = FALSE))
    names(x) <- c("k", paste0(prefix, seq_len(columns)))
    attr(x, "row.names") <- .set_row_names(n)
    structure(x, class = "data.frame")
  }
  left <- frame("l")
  right <- frame("r")
  join <- function() join_frames(left, right, on = "k")
  wait <- min(vapply(1:3, function(i) seconds(join), 0))
  add("wide", sprintf("left_join_of_2_x_%d_columns", columns), wait)
  # one right column and ten: filled when touched, and gathered at once
  all <- right
  for (count in c(1, 10)) {
    right <- all[seq_len(count + 1)]
    time <- best(list(
      ronda = function() with_deferral("always", function() touch(join())),
      at_once = function() with_deferral(FALSE, function() touch(join()))
    ))
    add("wide", paste0("touched_", count), time[["ronda"]], time[["at_once"]],
      against = "gathered at once"
    )
  }
}
if (wanted("wide")) run_wide()
gc(FALSE)

# 7: growth -----------------------------------------------------------------

# (the floor's loop beside it: how much of the step out of the caches is the
# machine's)
run_growth <- function(size) {
  w <- make_case("big_inner", size)
  z <- for_floor(w, "big_inner")
  repeats <- if (size < 1e6) 10 else 1
  repeated <- function(run) function() for (i in seq_len(repeats)) run()
  join <- function() join_frames(w$left, w$right, on = w$on, rows = w$rows)
  time <- best(list(
    ronda = repeated(function() touch(join())),
    floor = repeated(function() touch(run_floor(z)))
  ))
  ns <- round(time / repeats / size * 1e9, 1)
  add("growth", sprintf("big_inner_%g_rows_ns_each", size), ns[["ronda"]],
    ns[["floor"]]
  )
}
sizes <- c(1e4, 1e5, 1e6, 1e7, 5e7)
if (wanted("growth")) for (size in sizes[sizes <= 5 * n]) run_growth(size)

# 2 again: many different texts ----------------------------------------------

if (wanted(last_case)) run_case(last_case)
if (wanted("integer_and_text")) local({
  z <- for_floor(make_case("text_all_different", n), "text_all_different")
  w <- integer_and_text()
  join <- function() join_frames(w$left, w$right, on = w$on, rows = w$rows)
  m <- match(w$left$k, w$right$k)
  stopifnot(identical(join()$w, w$right$w[m[!is.na(m)]]))
  time <- best(list(
    ronda = function() touch(join()), floor = function() touch(run_floor(z))
  ))
  add("keys", "integer_and_text", time[["ronda"]], time[["floor"]],
    peak = peak_mb("integer_and_text"), against = "floor of the text alone"
  )
})

# The table -----------------------------------------------------------------

table <- do.call(rbind, rows)
star <- table$ratio[table$part == "star"]
machine <- c(
  sub(".*: ", "", grep("^model name", readLines("/proc/cpuinfo"),
    value = TRUE
  )[1]),
  sprintf("%d threads", parallel::detectCores()),
  sprintf("%.0f GB of memory",
    as.numeric(gsub("[^0-9]", "", readLines("/proc/meminfo", 1))) / 2^20
  ),
  R.version.string, paste("ronda", packageVersion("ronda"))
)
shown <- table
shown[is.na(shown)] <- ""
lines <- c(
  "# Joins measured", "",
  sprintf("`Rscript bench/joins.R`, %g rows, best of %d turns in one process.",
    n, turns
  ), "",
  paste0("- ", machine), "",
  sprintf("Geometric mean to the floor, the five star cases: %.2f.",
    exp(mean(log(star)))
  ), "",
  "Seconds, but for `growth` (nanoseconds a row). Small joins: `small.csv`.",
  "`ratio` is ronda to what stands in `beside`; `faster` is by hand to ronda.",
  "`peak_by_result` is the memory at the peak beyond the inputs, by the size",
  "of the result. `stages_ms`: where the time of the last run went.", "",
  paste("|", paste(names(shown), collapse = " | "), "|"),
  paste("|", paste(rep("---", length(shown)), collapse = " | "), "|"),
  apply(shown, 1, function(row) {
    paste("|", paste(trimws(row), collapse = " | "), "|")
  })
)
source("bench/common.R")
slower_than_stored(table, "bench/joins.csv", c("part", "case"))
if (n == 1e7 && is.na(arguments[4])) {
  writeLines(lines, "bench/joins.md")
  utils::write.csv(table, "bench/joins.csv", row.names = FALSE)
}
cat(lines, sep = "\n")
