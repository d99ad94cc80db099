# What is counted about a pairing. Nothing here expands a pair.

# Counts of the candidates, before `repeats` chooses among them. Equal keys were
# counted while they were matched.
count_candidates <- function(pairing, keys) {
  counts <- pairing$counted
  if (is.null(counts)) {
    counts <- with_matches(pairing, count_pairs_, pairing$rows[2L])
    keyed <- length(keys$kinds) > 0L
    counts$missing_left <-
      if (keyed) count_missing_(keys$left, keys$kinds) else 0
    counts$missing_right <-
      if (keyed) count_missing_(keys$right, keys$kinds) else 0
  }
  counts$repeats <- count_repeats(pairing, counts)
  counts$relationship <- relationship_of(counts$repeats)
  counts
}

# Whether keys repeat on the left and on the right. For same() rules alone it
# is the frames' keys that count, else the candidates.
count_repeats <- function(pairing, counts) {
  if (is.null(pairing$counted)) {
    return(c(left = counts$most_right > 1L, right = counts$most_left > 1L))
  }
  c(left = counts$left_repeats, right = !is.null(pairing$matches$starts))
}

is_keyed_only <- function(pairing) {
  is.null(pairing$where) && all(kinds_of(pairing$rules) == "same")
}

relationship_of <- function(repeats) {
  relationships[1L + repeats[["right"]] + 2L * repeats[["left"]]]
}

# Rows that each join type gives, from the counts alone
rows_by_type <- function(pairing) {
  counts <- pairing$counts
  only <- pairing$rows - c(counts$matched_left, counts$matched_right)
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

new_clock <- function() c(start = now())

now <- function() now_()

tick <- function(clock, stage) {
  clock[[stage]] <- now()
  clock
}

seconds_of <- function(clock) clock[-1L] - clock[-length(clock)]
