# One thread and two, and on paper sixteen and sixty-four.
#
#   Rscript bench/threads.R [rows] [turns]
#
# Seconds of each stage with one thread and with two, the best of some turns, the two one
# after the other. What two threads don't halve is the stage's serial share, 2 t2 / t1 - 1
# (R's own work, memory that the system clears, what waits for memory); by it the last
# columns say what more threads would take if nothing else stood in their way, and how many
# times one thread's speed that is. Written to bench/threads.csv.
source("bench/common.R")
arguments <- c(commandArgs(TRUE), NA, NA)
n <- if (is.na(arguments[1])) 1e7 else as.numeric(arguments[1])
turns <- if (is.na(arguments[2])) 5 else as.numeric(arguments[2])
library(ronda)
options(ronda.receipt = FALSE, ronda.deferred = FALSE)

set.seed(1)
keys <- sample.int(1.1 * n)
fact <- data.frame(k = keys[sample.int(n)], m = sample.int(1.1 * n / 1e3, n, TRUE), v = runif(n))
big <- data.frame(k = keys[seq_len(n)], w = runif(n))
middle <- data.frame(m = sample.int(1.1 * n / 1e3, n / 1e3), w = runif(n / 1e3))
timed <- data.frame(g = sample.int(1e4, n, TRUE), t = runif(n))
readings <- data.frame(g = sample.int(1e4, n, TRUE), t = runif(n), v = runif(n))
cases <- list(
  "1e3 times as many left rows" = function() join_frames(fact, middle, on = "m"),
  "as many right rows, shuffled" = function() join_frames(fact, big, on = "k", rows = "inner"),
  "nearest in 1e4 groups, shuffled" = function() {
    join_frames(timed, readings, on = list("g", nearest("t")), take = "v")
  },
  "fold of one sum" = function() {
    join_frames(big["k"], fact, on = "k", fold = list(s = ~ sum(right$v)))
  }
)

stages <- function(run, threads) {
  options(ronda.threads = threads)
  gc(FALSE)
  run()
  last_receipt()$seconds
}

measure <- function(name) {
  best <- list(Inf, Inf)
  for (turn in seq_len(turns + 1L)) {
    for (threads in 1:2) {
      took <- stages(cases[[name]], threads)
      if (turn > 1L && sum(took) < sum(best[[threads]])) best[[threads]] <- took
    }
  }
  one <- c(best[[1L]], all = sum(best[[1L]]))
  two <- c(best[[2L]], all = sum(best[[2L]]))
  kept <- one >= 0.005
  serial <- pmin(1, pmax(0, 2 * two / one - 1))
  with <- function(threads) one * (serial + (1 - serial) / threads)
  # (all together take what the stages take)
  total <- function(x) replace(x, "all", sum(x[names(x) != "all"]))
  table <- data.frame(case = name, stage = names(one), one_thread = round(one, 3),
    two_threads = round(two, 3), serial_share = round(serial, 2),
    sixteen = round(total(with(16)), 3), sixty_four = round(total(with(64)), 3)
  )
  table$times_by_16 <- round(one / total(with(16)), 1)
  table$times_by_64 <- round(one / total(with(64)), 1)
  table[kept, ]
}
table <- do.call(rbind, lapply(names(cases), measure))
print(table, row.names = FALSE)
table$ratio <- round(table$two_threads / table$one_thread, 2)
slower_than_stored(table, "bench/threads.csv", c("case", "stage"))
store_table(table, "bench/threads.csv", n == 1e7)
