# Small joins, 100 by 100 rows, as a script makes them: every call has other column names
# than the ones before. Beside the same work by hand: match() or findInterval(), and `[` and
# cbind() (the plain one), or column by column into a copy of the left frame.
#
#   Rscript bench/small.R [calls]
#
# Microseconds a call, the best of 15 turns of `calls` calls, the contenders one after the
# other in one process; results are compared first. `ratio` is to the same work by hand,
# `to_plain` to the plain left join by hand; `target` is the `to_plain` to stay below.
# Written to bench/small.csv.
source("bench/common.R")
arguments <- commandArgs(TRUE)
calls <- if (length(arguments)) as.numeric(arguments[1]) else 300
library(ronda)
options(ronda.receipt = FALSE)

n <- 100
# frames whose columns are called by this number, and the formulas that name them
frames_of <- function(number) {
  name <- function(letters) paste0(letters, number)
  formula <- function(text) stats::as.formula(gsub("#", number, text), globalenv())
  left <- data.frame(k = sample.int(n), a = runif(n), b = runif(n))
  right <- data.frame(k = sample.int(n) + 5L, w = runif(n), v = runif(n), u = runif(n))
  known <- right
  known$k <- sample.int(n)
  times <- data.frame(t = sort(runif(n)))
  readings <- data.frame(t = sort(c(0, runif(n - 1))), v = runif(n))
  named <- function(frame, letters = names(frame)) stats::setNames(frame, name(letters))
  list(
    left = named(left), right = named(right), known = named(known),
    met = named(right, c("k", "w", "a", "u")), times = named(times),
    readings = named(readings), k = name("k"), t = name("t"), w = name("w"), a = name("a"),
    where = formula("~ left$a# < right$w#"), sum = formula("~ sum(right$w#)"),
    rest = name(c("w", "v", "u")), absent = stats::setNames(list(0), name("w"))
  )
}
set.seed(1)
variants <- lapply(seq_len(calls), frames_of)

# by hand -----------------------------------------------------------------------

with_right <- function(out, i, from, names) {
  for (name in names) out[[name]] <- from[[name]][i]
  out
}
hand <- list(
  left = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    cbind(x$left, x$right[i, x$rest])
  },
  inner = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    keep <- !is.na(i)
    with_right(x$left[keep, ], i[keep], x$right, x$rest)
  },
  full = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    alone <- which(!x$right[[x$k]] %in% x$left[[x$k]])
    l <- c(seq_len(nrow(x$left)), rep(NA, length(alone)))
    out <- x$left[l, ]
    out[[x$k]][is.na(l)] <- x$right[[x$k]][alone]
    with_right(out, c(i, alone), x$right, x$rest)
  },
  take = function(x) with_right(x$left, match(x$left[[x$k]], x$right[[x$k]]), x$right, x$w),
  expect = function(x) {
    if (anyDuplicated(x$known[[x$k]])) stop("repeated")
    i <- match(x$left[[x$k]], x$known[[x$k]])
    if (anyNA(i)) stop("incomplete")
    with_right(x$left, i, x$known, x$rest)
  },
  origin = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    out <- with_right(x$left, i, x$right, x$rest)
    out$origin <- factor(ifelse(is.na(i), "left", "paired"), c("left", "right", "paired"))
    out
  },
  collision = function(x) {
    i <- match(x$left[[x$k]], x$met[[x$k]])
    out <- x$left
    for (name in setdiff(names(x$met), x$k)) {
      as <- if (name %in% names(x$left)) renamed(name) else name
      out[[as]] <- x$met[[name]][i]
    }
    out
  },
  fill = function(x) {
    i <- match(x$left[[x$k]], x$met[[x$k]])
    out <- x$left
    none <- is.na(out[[x$a]])
    out[[x$a]][none] <- x$met[[x$a]][i][none]
    with_right(out, i, x$met, setdiff(names(x$met), c(x$k, x$a)))
  },
  if_absent = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    out <- with_right(x$left, i, x$right, x$rest)
    out[[x$w]][is.na(i)] <- 0
    out
  },
  where = function(x) {
    i <- match(x$left[[x$k]], x$right[[x$k]])
    i[!(x$left[[x$a]] < x$right[[x$w]][i])] <- NA
    with_right(x$left, i, x$right, x$rest)
  },
  nearest = function(x) {
    i <- findInterval(x$times[[x$t]], x$readings[[x$t]])
    i[i == 0L] <- NA
    out <- x$times
    out[[renamed(x$t)]] <- x$readings[[x$t]][i]
    with_right(out, i, x$readings, setdiff(names(x$readings), x$t))
  },
  fold = function(x) {
    sums <- rowsum(x$right[[x$w]], x$right[[x$k]])
    out <- x$left
    out$sum <- sums[match(x$left[[x$k]], as.integer(rownames(sums)))]
    out
  }
)
renamed <- function(name) paste0("right.", name)

# with ronda ---------------------------------------------------------------------

ours <- list(
  left = function(x) join_frames(x$left, x$right, on = x$k),
  inner = function(x) join_frames(x$left, x$right, on = x$k, rows = "inner"),
  full = function(x) join_frames(x$left, x$right, on = x$k, rows = "full"),
  take = function(x) join_frames(x$left, x$right, on = x$k, take = x$w),
  expect = function(x) {
    join_frames(x$left, x$known, on = x$k, expect = c("many-to-one", "left-complete"))
  },
  origin = function(x) join_frames(x$left, x$right, on = x$k, origin = "origin"),
  collision = function(x) join_frames(x$left, x$met, on = x$k),
  fill = function(x) join_frames(x$left, x$met, on = x$k, collisions = "fill"),
  if_absent = function(x) join_frames(x$left, x$right, on = x$k, if_absent = x$absent),
  where = function(x) join_frames(x$left, x$right, on = x$k, where = x$where),
  nearest = function(x) join_frames(x$times, x$readings, on = nearest(x$t)),
  fold = function(x) join_frames(x$left, x$right, on = x$k, fold = list(sum = x$sum))
)
targets <- c(
  left = 1.75, inner = 1.75, full = 3, take = 3, expect = 3, origin = 3,
  collision = 3, fill = 3, if_absent = 3, where = 4, nearest = 4.5, fold = 4.7
)

alike <- function(x, y) {
  identical(names(x), names(y)) && all(mapply(function(a, b) {
    identical(as.vector(a), as.vector(b))
  }, x, y))
}
for (case in names(hand)) {
  for (variant in variants[1:3]) {
    if (!alike(ours[[case]](variant), hand[[case]](variant))) {
      stop(case, ": not what it is by hand")
    }
  }
}

over_all <- function(run) function() for (variant in variants) run(variant)
runs <- lapply(c(hand, ours), over_all)
micros <- best_of_turns(runs, 15) / calls * 1e6
cases <- length(hand)
# (what does the work by hand for all rows of a left join is the plain yardstick, too)
table <- data.frame(
  case = names(hand), by_hand_us = round(micros[seq_len(cases)], 1),
  ronda_us = round(micros[-seq_len(cases)], 1), target = targets[names(hand)]
)
table$ratio <- round(table$ronda_us / table$by_hand_us, 2)
table$to_plain <- round(table$ronda_us / table$by_hand_us[1], 2)

told <- withr::with_options(list(ronda.receipt = TRUE), {
  seconds(function() for (x in variants) suppressMessages(ours$left(x))) / calls * 1e6
})
more <- data.frame(
  case = "with the receipt shown", by_hand_us = table$by_hand_us[1],
  ronda_us = round(told, 2), target = NA, ratio = NA, to_plain = NA
)
table <- rbind(table, more)
print(table, row.names = FALSE)
slower_than_stored(table[seq_len(cases), ], "bench/small.csv", "case")
store_table(table, "bench/small.csv", calls == 300)
