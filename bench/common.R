# What the benchmarks share: times, and what got slower than in the stored run.

seconds <- function(f) {
  gc(FALSE)
  start <- ronda:::now_()
  f()
  ronda:::now_() - start
}

# The best of some turns, the contenders one after the other in each. (The first turn
# doesn't count: one contender may find memory that the case before left behind.)
best_of_turns <- function(runs, turns) {
  best <- rep(Inf, length(runs))
  for (turn in seq_len(turns + 1L)) {
    for (k in seq_along(runs)) {
      time <- seconds(runs[[k]])
      if (turn > 1L) best[k] <- min(best[k], time)
    }
  }
  stats::setNames(best, names(runs))
}

# Lines of a table whose `ratio` (to what stands beside it in the same run) is more than
# `noise` above that of the stored run: said, and returned.
slower_than_stored <- function(table, file, by, noise = 0.25, ratio = "ratio") {
  if (!file.exists(file)) {
    return(invisible(table[0L, ]))
  }
  stored <- utils::read.csv(file, check.names = FALSE)
  key <- function(x) do.call(paste, c(unname(lapply(x[by], as.character)), sep = " | "))
  before <- stored[[ratio]][match(key(table), key(stored))]
  slower <- which(table[[ratio]] > (1 + noise) * before)
  if (length(slower)) {
    cat(sprintf("Slower than the stored run by more than %g%%:\n", 100 * noise))
    cat(sprintf("  %s: %.2f, was %.2f\n", key(table)[slower], table[[ratio]][slower],
      before[slower]
    ), sep = "")
  } else {
    cat(sprintf("Nothing is slower than the stored run (%s) by more than %g%%.\n", file,
      100 * noise
    ))
  }
  invisible(table[slower, ])
}

# stores the table where it is the whole one
store_table <- function(table, file, whole = TRUE) {
  if (whole) utils::write.csv(table, file, row.names = FALSE)
}
