# Which rows a result has: for each line the left and the right row it is made from, 0
# for none.

# list(left, right, n): `left` NULL says that every left row stands once, in order;
# `right` is NULL where the result has the left frame's columns only.
result_rows <- function(pairing, rows) {
  type <- row_types[[rows]]
  matches <- pairing$matches
  row_map <- if (type$pairs) {
    pair_lines(matches, type$left_alone)
  } else {
    left_row_map(matches, type)
  }
  if (type$right_alone) row_map <- append_right(pairing, row_map)
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
    return(list(left = if (length(left) < length(matches$range)) left, right = NULL))
  }
  list(left = left, right = integer(length(left)))
}

append_right <- function(pairing, row_map) {
  alone <- if (pairing$counts$matched_right < pairing$sizes[2L]) {
    unmatched(pairing$matches, "right")
  }
  if (!length(alone)) {
    return(row_map)
  }
  left <- if (is.null(row_map$left)) seq_len(pairing$sizes[1L]) else row_map$left
  list(
    left = c(left, integer(length(alone))), right = c(row_map$right, alone)
  )
}

# which row of a side each line of a result is made from
row_number_column <- function(row_map, side) {
  rows <- row_map[[side]]
  if (is.null(rows)) seq_len(row_map$n) else present_rows(rows)
}
