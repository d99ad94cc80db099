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
