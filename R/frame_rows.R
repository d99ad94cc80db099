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

# Frees the row numbers of a pairing that is no longer needed, unless the row map shares
# them.
release_matches <- function(pairing, row_map) {
  if (!is_row_map(pairing$matches, row_map)) release_rows_(rows_of_matches(pairing$matches))
}

# whether the right rows of the lines are those of the pairing
is_row_map <- function(matches, row_map) is.null(row_map$left) && !has_ranges(matches)

# Where they are the pairing's own, they are freed with it.
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

# Their order ------------------------------------------------------------------------

# The order of the rows of a result.

order_rows <- function(pairing, row_map, row_order, call) {
  if (row_order == "left") {
    return(row_map)
  }
  order <- if (row_order == "right") {
    order_by_right(row_map$right, pairing$sizes[2L])
  } else {
    key_order(pairing, row_map, call)
  }
  if (!is.unsorted(order)) {
    return(row_map)
  }
  ordered <- list(
    left = if (is.null(row_map$left)) order else follow_rows_(row_map$left, order),
    right = if (!is.null(row_map$right)) follow_rows_(row_map$right, order),
    n = row_map$n
  )
  release_row_map(pairing, row_map)
  if (!is.null(row_map$left)) release_rows_(list(order))
  ordered
}

# By right row, and lines without one last. (Counting takes as long as there are right
# rows.)
order_by_right <- function(rows, right_rows) {
  if (right_rows <= 8 * length(rows)) {
    order_by_rows_(rows, right_rows)
  } else {
    sort_rows(list(present_rows(rows)))
  }
}

# Ascending by the keys in `on` order; equal keys stay as they stand.
key_order <- function(pairing, row_map, call) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    stop_argument(said("`row_order` can't be \"keys\": `on` has no key."),
      sprintf("Write %s or \"right\".", setting("row_order", "left")),
      call = call
    )
  }
  keys <- engine_keys(pairing$left, pairing$right, rules, call)
  columns <- Map(matched_values, keys$left, keys$right, MoreArgs = list(row_map))
  for (k in which(keys$rest)) {
    columns[c(k - 1L, k)] <- ascending_parts(columns[[k - 1L]], columns[[k]])
  }
  sort_by(columns, keys$kinds, logical(length(columns)))
}

# What was matched, on the row_map of a result: the left's, and the right's where the
# left is absent
matched_values <- function(x, y, row_map) {
  if (is.null(row_map$left)) {
    return(x)
  }
  if (is.null(row_map$right)) {
    return(gather_(x, row_map$left))
  }
  gather_either_(x, row_map$left, y, row_map$right)
}

# 64-bit integers, and the numbers that are none (0 where they are), as two columns
# that ascend as the numbers do
ascending_parts <- function(whole, rest) {
  none <- which(rest != 0)
  value <- rest[none]
  below <- floor(value)
  fits <- abs(below) < 2^63
  ends <- int64_infinite_()
  parts <- rep.int(ends[1L], length(value))
  parts[value > 0] <- ends[2L]
  parts[fits] <- int64_from_number_(below[fits])$values
  whole <- strip_class(whole)
  whole[none] <- parts
  rest[none] <- ifelse(fits, value - below, value)
  list(whole, rest)
}
