# What is counted about a pairing. Nothing here expands a pair.

# Counts of the candidates, before `repeats` chooses among them
count_candidates <- function(pairing, keys) {
  counts <- with_matches(pairing, count_pairs_, pairing$rows[2L])
  keyed <- length(keys$kinds) > 0L
  counts$missing_left <- if (keyed) count_missing_(keys$left, keys$kinds) else 0
  counts$missing_right <-
    if (keyed) count_missing_(keys$right, keys$kinds) else 0
  counts$repeats <- count_repeats(pairing, counts, keys)
  counts$relationship <- relationship_of(counts$repeats)
  counts
}

# Whether keys repeat on the left and on the right. For same() rules alone it
# is the frames' keys that count, else the candidates.
count_repeats <- function(pairing, counts, keys) {
  if (!is_keyed_only(pairing)) {
    return(c(left = counts$most_right > 1L, right = counts$most_left > 1L))
  }
  c(left = left_repeats(pairing, counts, keys),
    right = !is.null(pairing$matches$starts))
}

is_keyed_only <- function(pairing) {
  is.null(pairing$where) &&
    all(vapply(pairing$rules, function(rule) rule$kind, "") == "same")
}

# Matched left rows tell by themselves when two share a partner; only when none
# do must the left keys be looked at, and only those of unmatched rows.
left_repeats <- function(pairing, counts, keys) {
  if (counts$most_right > 1L) {
    return(TRUE)
  }
  alone <- which(pairing$matches$slot == 0L)
  if (length(alone) < 2L) {
    return(FALSE)
  }
  rest <- lapply(keys$left, function(x) gather_(strip(x), alone))
  first <- group_rows_(rest, keys$kinds, pairing$missing_keys == "match")
  !is.null(first) && any(first != 0L & first != seq_along(first))
}

# only what the engine reads: values, and the class of 64-bit integers
strip <- function(x) {
  int64 <- inherits(x, "integer64")
  attributes(x) <- NULL
  if (int64) structure(x, class = "integer64") else x
}

relationship_of <- function(repeats) {
  paste(
    if (repeats[["left"]]) "many" else "one", "to",
    if (repeats[["right"]]) "many" else "one",
    sep = "-"
  )
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

now <- function() as.numeric(Sys.time())

tick <- function(clock, stage) {
  clock[[stage]] <- now()
  clock
}

seconds_of <- function(clock) {
  seconds <- diff(clock)
  names(seconds) <- names(clock)[-1L]
  seconds
}
