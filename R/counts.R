# What is counted about a pairing. Nothing here expands a pair.

# Counts of the candidates, before `repeats` chooses among them, where they are not
# given by equal keys alone: those were counted while they were matched. `repeats`
# says whether keys repeat on the left and on the right: for same() rules alone the
# frames' keys, here the candidates.
count_candidates <- function(pairing, keys) {
  counts <- count_pairs_(pairing$matches)
  keyed <- length(keys$kinds) > 0L
  counts$missing_left <- if (keyed) count_missing_(keys$left, keys$kinds) else 0
  counts$missing_right <-
    if (keyed) count_missing_(keys$right, keys$kinds) else 0
  counts$repeated <-
    c(left = counts$most_right > 1L, right = counts$most_left > 1L)
  counts
}

key_shape_of <- function(counts) {
  repeats <- counts$repeated
  key_shapes[1L + repeats[["right"]] + 2L * repeats[["left"]]]
}

# Rows that each join type gives, from the counts alone
rows_by_type <- function(pairing) {
  counts <- pairing$counts
  only <- pairing$sizes - c(counts$matched_left, counts$matched_right)
  c(
    inner = counts$pairs,
    left = counts$pairs + only[1L],
    right = counts$pairs + only[2L],
    full = counts$pairs + sum(only),
    semi = counts$matched_left,
    anti = only[1L],
    unmatched = sum(only)
  )
}

# Seconds by stage --------------------------------------------------------

# A clock is the times at which stages ended, by name, the start first:
# `clock <- c(clock, match = now_())`.
seconds_of <- function(clock) clock[-1L] - clock[-length(clock)]
