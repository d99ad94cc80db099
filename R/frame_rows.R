# Which rows a result has: for each line the left and the right row it is made from, 0
# for none.

# list(left, right, n): `left` NULL says that every left row stands once, in order;
# `right` is NULL where the result has the left frame's columns only.
result_rows <- function(pairing, rows) {
  type <- row_types[[rows]]
  matches <- pairing$matches
  right_alone <- type$right_alone && pairing$counts$matched_right < pairing$sizes[2L]
  row_map <- if (type$pairs) {
    pair_lines(matches, type$left_alone, right_alone)
  } else {
    left_row_map(matches, type)
  }
  if (right_alone && !type$pairs) {
    row_map <- append_right(row_map, unmatched(matches, "right"))
  }
  row_map$n <- if (is.null(row_map$left)) {
    pairing$sizes[1L]
  } else {
    length(row_map$left)
  }
  row_map
}

# left rows once, those with a partner or those without
left_row_map <- function(matches, type) {
  if (type$left_matched && type$left_alone) {
    return(list(left = NULL, right = NULL))
  }
  left <- left_by_match(matches, type$left_matched)
  if (type$one_sided) {
    return(list(left = if (!are_all_left(matches, left)) left, right = NULL))
  }
  list(left = left, right = integer(length(left)))
}

append_right <- function(row_map, alone) {
  list(
    left = c(row_map$left, integer(length(alone))), right = c(row_map$right, alone)
  )
}

# Frees the row numbers of a pairing that nobody needs any more, but for those that are
# the row map's, too.
release_matches <- function(pairing, row_map) {
  if (!is_row_map(pairing$matches, row_map)) release_rows_(rows_of_matches(pairing$matches))
}

# whether the right rows of the lines are those of the pairing
is_row_map <- function(matches, row_map) is.null(row_map$left) && !has_ranges(matches)

# (where it is, they are freed with the pairing)
release_row_map <- function(pairing, row_map) {
  shared <- is_row_map(pairing$matches, row_map)
  release_rows_(list(row_map$left, if (!shared) row_map$right))
}

present_rows <- function(rows) {
  rows[rows == 0L] <- NA
  rows
}

# which row of a side each line of a result is made from
row_number_column <- function(row_map, side) {
  rows <- row_map[[side]]
  if (is.null(rows)) seq_len(row_map$n) else present_rows(rows)
}
