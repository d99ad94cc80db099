# What each of `rows` keeps. Whoever needs to know asks this table: counts, receipts,
# plans, results, the guide figure and the command line.

row_type <- function(pairs = FALSE, left_matched = FALSE, left_alone = FALSE,
                     right_alone = FALSE, one_sided = FALSE) {
  list(
    pairs = pairs,               # each pair, written out
    left_matched = left_matched, # left rows with a partner, once
    left_alone = left_alone,     # left rows without
    right_alone = right_alone,   # right rows without
    one_sided = one_sided        # the left frame's columns only
  )
}

row_types <- list(
  inner = row_type(pairs = TRUE),
  left = row_type(pairs = TRUE, left_alone = TRUE),
  right = row_type(pairs = TRUE, right_alone = TRUE),
  full = row_type(pairs = TRUE, left_alone = TRUE, right_alone = TRUE),
  semi = row_type(left_matched = TRUE, one_sided = TRUE),
  anti = row_type(left_alone = TRUE, one_sided = TRUE),
  unmatched = row_type(left_alone = TRUE, right_alone = TRUE)
)

# the same of folded frames, which have one row a left row
folded_row_types <- list(
  left = row_type(left_matched = TRUE, left_alone = TRUE, one_sided = TRUE),
  inner = row_type(left_matched = TRUE, one_sided = TRUE)
)

# whether a plan's result has a line for each pair
writes_pairs <- function(plan) row_types[[plan$row_type]]$pairs && is.null(plan$folds)

# How many rows of a result come from where; known from the counts alone
result_counts <- function(counts, sizes, rows, types = row_types) {
  type <- types[[rows]]
  alone <- sizes - c(counts$matched_left, counts$matched_right)
  list(
    paired = if (type$pairs) {
      counts$pairs
    } else if (type$left_matched) {
      counts$matched_left
    } else {
      0
    },
    left_alone = if (type$left_alone) alone[1L] else 0,
    right_alone = if (type$right_alone) alone[2L] else 0
  )
}

# the same of each row type: a data frame
counts_by_type <- function(pairing) {
  parts <- lapply(names(row_types), result_counts,
    counts = pairing$counts, sizes = pairing$sizes
  )
  part <- function(name) vapply(parts, function(x) as.numeric(x[[name]]), 0)
  columns <- lapply(c(
    paired = "paired", left_alone = "left_alone", right_alone = "right_alone"
  ), part)
  as_base_frame(
    c(list(rows = names(row_types), result_rows = Reduce(`+`, columns)), columns),
    length(row_types)
  )
}
