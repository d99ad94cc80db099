# What is counted about a pairing. Nothing here expands a pair.

# Counts of the candidates, before `repeats` chooses among them: pairs, matched_left
# and matched_right (rows with a partner), most_left and most_right (the most partners
# of a row of that side), on_both (some key repeats on both sides), missing_left and
# missing_right (rows with a missing key), repeated (whether keys repeat on the left
# and on the right: for same() rules alone the frames' keys, else the candidates'), and
# candidates_left and candidates_right: rows that had a candidate (right: NA where not
# all were tried).
candidate_counts <- function(found, keys) {
  counts <- found$counts
  if (is.null(counts)) counts <- count_matches(found$matches, keys)
  for (side in names(found$keyless)) {
    counts[[paste0("missing_", side)]] <- sum(found$keyless[[side]]) + 0
  }
  counts$candidates_left <- counts$matched_left
  tried <- found$candidates
  counts$candidates_right <- if (is.null(tried)) {
    counts$matched_right
  } else if (tried < 0) {
    NA_real_
  } else {
    tried
  }
  counts
}

count_matches <- function(matches, keys) {
  counts <- count_all(matches)
  keyed <- length(keys$kinds) > 0L
  counts$missing_left <- if (keyed) count_missing_(keys$left, keys$kinds) else 0
  counts$missing_right <-
    if (keyed) count_missing_(keys$right, keys$kinds) else 0
  counts$repeated <-
    c(left = counts$most_right > 1L, right = counts$most_left > 1L)
  counts
}

key_shapes <- c("one-to-one", "one-to-many", "many-to-one", "many-to-many")

key_shape_of <- function(counts) {
  key_shapes[1L + counts$repeated[["right"]] + 2L * counts$repeated[["left"]]]
}

# rows that had a candidate but no pair
passed_over <- function(counts, side) {
  counts[[paste0("candidates_", side)]] - counts[[paste0("matched_", side)]]
}
