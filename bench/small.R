# Small joins, 100 by 100 rows, beside the same work by hand: match() or findInterval(),
# and `[` column by column into a copy of the left frame.
#
#   Rscript bench/small.R [calls]
#
# Microseconds a call, the best of 15 turns of `calls` calls, the contenders one after the
# other in one process; results are compared first. `target` is the ratio to stay below.
# Written to bench/small.csv.
source("bench/common.R")
arguments <- commandArgs(TRUE)
calls <- if (length(arguments)) as.numeric(arguments[1]) else 300
library(ronda)
options(ronda.receipt = FALSE)

set.seed(1)
n <- 100
left <- data.frame(k = sample.int(n), a = runif(n), b = runif(n))
right <- data.frame(k = sample.int(n) + 5L, w = runif(n), v = runif(n), u = runif(n))
known <- right
known$k <- sample.int(n)
named <- stats::setNames(right, c("k", "w", "a", "u"))
times <- data.frame(t = sort(runif(n)))
readings <- data.frame(t = sort(c(0, runif(n - 1))), v = runif(n))

# by hand -----------------------------------------------------------------------

with_right <- function(out, i, names = c("w", "v", "u"), from = right) {
  for (name in names) out[[name]] <- from[[name]][i]
  out
}
hand <- list(
  left = function() with_right(left, match(left$k, right$k)),
  inner = function() {
    i <- match(left$k, right$k)
    keep <- !is.na(i)
    with_right(left[keep, ], i[keep])
  },
  full = function() {
    i <- match(left$k, right$k)
    alone <- which(!right$k %in% left$k)
    l <- c(seq_len(nrow(left)), rep(NA, length(alone)))
    out <- left[l, ]
    out$k[is.na(l)] <- right$k[alone]
    with_right(out, c(i, alone))
  },
  take = function() with_right(left, match(left$k, right$k), "w"),
  expect = function() {
    if (anyDuplicated(known$k)) stop("repeated")
    i <- match(left$k, known$k)
    if (anyNA(i)) stop("incomplete")
    with_right(left, i, from = known)
  },
  origin = function() {
    i <- match(left$k, right$k)
    out <- with_right(left, i)
    out$origin <- factor(ifelse(is.na(i), "left", "paired"), c("left", "right", "paired"))
    out
  },
  collision = function() {
    i <- match(left$k, named$k)
    out <- left
    out$w <- named$w[i]
    out$a_right <- named$a[i]
    out$u <- named$u[i]
    out
  },
  fill = function() {
    i <- match(left$k, named$k)
    out <- left
    none <- is.na(out$a)
    out$a[none] <- named$a[i][none]
    out$w <- named$w[i]
    out$u <- named$u[i]
    out
  },
  where = function() {
    i <- match(left$k, right$k)
    i[!(left$a < right$w[i])] <- NA
    with_right(left, i)
  },
  nearest = function() {
    i <- findInterval(times$t, readings$t)
    i[i == 0L] <- NA
    out <- times
    out$t_right <- readings$t[i]
    out$v <- readings$v[i]
    out
  },
  fold = function() {
    i <- match(left$k, right$k)
    sums <- rowsum(right$w, right$k)
    out <- left
    out$sum <- sums[match(left$k, as.integer(rownames(sums)))]
    out
  }
)

# with ronda ---------------------------------------------------------------------

ours <- list(
  left = function() join_frames(left, right, on = "k"),
  inner = function() join_frames(left, right, on = "k", rows = "inner"),
  full = function() join_frames(left, right, on = "k", rows = "full"),
  take = function() join_frames(left, right, on = "k", take = "w"),
  expect = function() {
    join_frames(left, known, on = "k", expect = c("many-to-one", "left-complete"))
  },
  origin = function() join_frames(left, right, on = "k", origin = "origin"),
  collision = function() join_frames(left, named, on = "k"),
  fill = function() join_frames(left, named, on = "k", collisions = "fill"),
  where = function() join_frames(left, right, on = "k", where = ~ left$a < right$w),
  nearest = function() join_frames(times, readings, on = nearest("t")),
  fold = function() join_frames(left, right, on = "k", fold = list(sum = ~ sum(right$w)))
)
targets <- c(
  left = 2, inner = 2, full = 3.5, take = 3.5, expect = 3.5, origin = 3.5,
  collision = 3.5, fill = 3.5, where = 5, nearest = 3, fold = 4
)

alike <- function(x, y) {
  identical(names(x), names(y)) && all(mapply(function(a, b) {
    identical(as.vector(a), as.vector(b))
  }, x, y))
}
for (case in names(hand)) {
  if (!alike(ours[[case]](), hand[[case]]())) stop(case, ": not what it is by hand")
}

repeated <- function(run) function() for (k in seq_len(calls)) run()
runs <- lapply(c(hand, ours), repeated)
micros <- best_of_turns(runs, 15) / calls * 1e6
cases <- length(hand)
# (what does the work by hand for all rows of a left join is the plain yardstick, too)
table <- data.frame(
  case = names(hand), by_hand_us = round(micros[seq_len(cases)], 1),
  ronda_us = round(micros[-seq_len(cases)], 1), target = targets[names(hand)]
)
table$ratio <- round(table$ronda_us / table$by_hand_us, 2)
table$to_plain <- round(table$ronda_us / table$by_hand_us[1], 2)

# a first call plans; a loop of calls
first <- function() {
  session <- ronda:::session
  session$plans <- list()
  session$marks <- NULL
  ours$left()
}
ten_thousand <- seconds(function() {
  for (k in 1:1e4) {
    join_frames(left, right, on = "k", take = "w", expect = "many-to-one")
  }
})
told <- withr::with_options(list(ronda.receipt = TRUE), {
  seconds(function() for (k in 1:300) suppressMessages(ours$left())) / 300 * 1e6
})
more <- data.frame(
  case = c("a first call, which plans", "with the receipt shown", "10,000 joins, seconds"),
  by_hand_us = table$by_hand_us[1],
  ronda_us = round(c(
    best_of_turns(list(repeated(first)), 5) / calls * 1e6, told, ten_thousand
  ), 2),
  target = c(NA, NA, 1), ratio = NA, to_plain = NA
)
table <- rbind(table, more)
print(table, row.names = FALSE)
slower_than_stored(table[seq_len(cases), ], "bench/small.csv", "case")
store_table(table, "bench/small.csv", calls == 300)
