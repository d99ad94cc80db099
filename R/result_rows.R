# Which rows a result has, and in which order: for each line the left and the
# right row it is made from, 0 for none.

# list(left, right, n): `left` NULL says that every left row stands once, in order;
# `right` is NULL where the result has the left frame's columns only.
result_rows <- function(pairing, rows) {
  type <- row_types[[rows]]
  matches <- pairing$matches
  row_map <- if (type$pairs) {
    pair_lines(matches, type$left_alone)
  } else {
    left_rows(matches, type)
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
left_rows <- function(matches, type) {
  keep <- is_matched(matches, "left") == type$left_matched
  if (type$one_sided) {
    return(list(left = if (!all(keep)) which(keep), right = NULL))
  }
  left <- which(keep)
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

order_rows <- function(pairing, row_map, row_order, call) {
  if (row_order == "left") {
    return(row_map)
  }
  order <- if (row_order == "right") {
    sort_rows(list(present_rows(row_map$right)))
  } else {
    key_order(pairing, row_map, call)
  }
  if (!is.unsorted(order)) {
    return(row_map)
  }
  row_map$left <- if (is.null(row_map$left)) order else gather_(row_map$left, order)
  if (!is.null(row_map$right)) row_map$right <- gather_(row_map$right, order)
  row_map
}

# Ascending by the keys in `on` order; equal keys stay as they stand.
key_order <- function(pairing, row_map, call) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    stop_argument("`row_order` can't be \"keys\": `on` has no key.",
      "Write row_order = \"left\" or \"right\".",
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
  value <- gather_(x, row_map$left)
  if (any_absent(row_map)) patch_(value, row_map$left, y, row_map$right) else value
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

present_rows <- function(rows) {
  rows[rows == 0L] <- NA
  rows
}

# The values of a rule's key column in a result: the left's, and the right's
# where the left is absent; in the common type.
key_values <- function(pairing, rule, row_map, call) {
  x <- .subset2(pairing$left, rule$left)
  if (is.null(row_map$right)) {
    return(slice_column(x, row_map$left, rule$left, call))
  }
  y <- .subset2(pairing$right, rule$right)
  common <- common_columns(x, y)
  check_int64_range(common, row_map, rule, call)
  common <- held_alone(common)
  value <- slice_column(common$left, row_map$left, rule$left, call)
  if (is.null(row_map$left) || !any_absent(row_map)) {
    return(value)
  }
  patch_(value, row_map$left, common$right, row_map$right)
}

any_absent <- function(row_map) {
  n <- length(row_map$left)
  n > 0L && (row_map$left[n] == 0L || any(row_map$left == 0L))
}

check_int64_range <- function(common, row_map, rule, call,
                              frames = c("left", "right")) {
  for (side in c("left", "right")) {
    not_int64 <- attr(common[[side]], "not_int64")
    if (is.null(not_int64)) next
    used <- if (side == "left") row_map$left else {
      row_map$right[if (is.null(row_map$left)) 0L else which(row_map$left == 0L)]
    }
    values <- if (is.null(used)) not_int64 else not_int64[used]
    if (any(values != 0)) {
      stop_ronda("type",
        sprintf(
          "`%s` of `%s` holds %s, which a 64-bit integer can't hold.",
          rule[[side]], frames[side_number(side)],
          format(values[values != 0][1L], digits = 15)
        ),
        "The key column of the result is a 64-bit integer.",
        if (identical(frames, c("left", "right"))) {
          "Write keys = \"both\" to keep each side's own column."
        } else {
          "Make the key text or double in all frames first."
        },
        call = call
      )
    }
  }
}
