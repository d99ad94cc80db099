# The rows and keys at fault, in words and as frames.

stop_expectation <- function(pairing, text, ..., left_rows = integer(),
                             right_rows = integer(), call, failures = NULL) {
  stop_ronda("expectation", text, ...,
    call = call,
    data = list(
      left_rows = left_rows, right_rows = right_rows,
      keys = key_frame(pairing, left_rows, right_rows), failures = failures,
      receipt = receipt_of_call(session$latest),
      pairing = if (is.null(pairing$whole)) structure(pairing, class = "ronda_pairing")
    )
  )
}

# The distinct keys of some rows as a frame, under the left names where all
# rows are left ones
key_frame <- function(pairing, left_rows, right_rows) {
  if (!is.null(pairing$whole)) {
    return(pairing$whole$keys)
  }
  side <- if (length(left_rows) || !length(right_rows)) "left" else "right"
  rows <- if (side == "left") left_rows else right_rows
  columns <- unique(vapply(pairing$key_rules, function(rule) rule[[side]], ""))
  if (length(columns)) {
    keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, NULL)
    first <- group_rows_(lapply(keys[[side]], gather_, rows), keys$kinds, TRUE)
    if (!is.null(first)) rows <- rows[first == seq_along(first)]
  }
  picked_columns(pairing[[side]], columns, rows)
}

# "`port` = \"Gull Quay\" and `day` = 2031-05-01" for one row
key_words <- function(frame, columns, row) {
  words <- vapply(columns, function(column) {
    value <- slice_column(.subset2(frame, column), row, column, NULL)
    sprintf("`%s` = %s", column, value_words(value))
  }, "")
  paste(words, collapse = " and ")
}

# So many rows at fault have their keys told.
told_keys <- 50L

# Some rows of a side: their numbers, and of the first of them the keys
at_fault <- function(pairing, side, rows) {
  turns <- turns_of(pairing$rules)
  columns <- if (is.null(turns)) rule_columns(pairing$key_rules, side) else turns[[side]]
  list(
    rows = numbers_of(pairing, side, rows),
    keys = picked_columns(pairing[[side]], columns, utils::head(rows, told_keys))
  )
}

first_at_fault <- function(fault) {
  fault$rows <- fault$rows[1L]
  fault$keys <- lapply(fault$keys, gather_, 1L)
  fault
}

# The row numbers of a frame in the whole that it is a part of
numbers_of <- function(pairing, side, rows) {
  numbers <- pairing$numbers[[side]]
  if (is.null(numbers)) rows else numbers[rows]
}

# (beyond 2^31 they are doubles)
as_row_numbers <- function(rows) if (is.null(rows)) integer() else rows

row_words <- function(rows) format(rows, scientific = FALSE, trim = TRUE)

# The keys of rows at fault, a few, for a message
keys_at_fault <- function(fault, most = 3L) {
  keys <- fault$keys
  rows <- fault$rows
  if (!length(keys)) {
    return(sprintf("rows %s", listed(row_words(utils::head(rows, most)), "and")))
  }
  words <- Map(function(value, column) {
    sprintf("`%s` = %s", column, distinct_words(value))
  }, keys, names(keys))
  words <- unique(do.call(paste, c(unname(words), sep = " and ")))
  more <- length(words) > most || length(rows) > told_keys
  words <- c(utils::head(words, most), if (more) "...")
  paste(words, collapse = "; ")
}

# rows of one frame whose key another row of it has too
rows_repeated <- function(keys, kinds, match_missing) {
  first <- group_rows_(keys, kinds, match_missing)
  if (is.null(first)) {
    return(integer())
  }
  again <- first != 0L & first != seq_along(first)
  which(first %in% first[again] & first != 0L)
}

# the call that shows more
repeated_keys_line <- function(pairing, side) {
  # (of files there is no frame to show)
  if (!is.null(pairing$whole)) {
    return(NULL)
  }
  columns <- rule_columns(pairing$key_rules, side)
  if (length(columns)) {
    # (a frame that is no plain name can't be written)
    unnamed <- pairing$code[side_number(side)] %in% c(side, NA)
    either(
      if (unnamed) {
        sprintf("repeated_keys() of the %s frame by %s shows the rows.", side, as_code(columns))
      } else {
        sprintf("repeated_keys(%s, %s) shows the rows.", frame_mark(side), as_code(columns))
      },
      sprintf("ronda keys %s %s --repeated shows the rows.", frame_mark(side),
        setting("on", columns)
      )
    )
  }
}

# The keys that multiply most, as a frame: key columns, the rows on each side
# and their pairs
heavy_keys <- function(pairing, most = 3L) {
  keys <- if (is.null(pairing$whole)) heavy_rows(pairing, most) else pairing$whole$heavy
  keys <- utils::head(keys, most)
  # those that repeat on both sides, where there are any
  multiply <- keys$left_rows > 1L & keys$right_rows > 1L
  if (any(multiply)) keys <- gather_rows(keys, which(multiply))
  keys[names(keys) != ".row"]
}

# The same whether they repeat on both sides or not, with the number of a left row of
# each, `.row`
heavy_rows <- function(pairing, most) {
  columns <- unique(vapply(
    pairing$key_rules, function(rule) rule$left, ""
  ))
  heavy <- if (pairing$keyed_only) {
    heaviest_ranges(pairing$matches, most)
  } else {
    heavy_groups(pairing, most)
  }
  keys <- picked_columns(pairing$left, columns, heavy$row)
  as_base_frame(
    c(keys, heavy[-1L], list(.row = numbers_of(pairing, "left", heavy$row))),
    length(heavy$row)
  )
}

# The same where a condition decides too: pairs are summed key by key
heavy_groups <- function(pairing, most) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    return(list(
      row = integer(), left_rows = integer(), right_rows = integer(),
      pairs = numeric()
    ))
  }
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  first <- group_rows_(keys$left, keys$kinds, pairing$missing_keys == "match")
  if (is.null(first)) first <- seq_len(pairing$sizes[1L])
  partners <- partner_counts(pairing$matches, "left")
  paired <- which(partners > 0L)
  pairs <- rowsum(as.numeric(partners[paired]), first[paired], reorder = FALSE)
  top <- order(-pairs, as.integer(rownames(pairs)))
  top <- top[seq_len(min(most, length(top)))]
  row <- as.integer(rownames(pairs))[top]
  members <- lapply(row, function(r) paired[first[paired] == r])
  list(
    row = row,
    left_rows = lengths(members),
    right_rows = lengths(lapply(members, partners_of, matches = pairing$matches)),
    pairs = pairs[top]
  )
}

heavy_words <- function(pairing, most = 3L) {
  keys <- heavy_keys(pairing, most)
  columns <- seq_len(length(keys) - 3L)
  if (!nrow(keys) || !length(columns)) {
    return(character())
  }
  # (only of equal keys alone are the pairs the product of the rows)
  product <- pairing$keyed_only && identical(pairing$repeats, "all")
  rows_of <- if (product) with_commas else function(n) counted(n, "row")
  words <- if (product) "%s: %s x %s rows, %s" else {
    "%1$s: %4$s of %2$s and %3$s"
  }
  vapply(seq_len(nrow(keys)), function(k) {
    sprintf(words, key_words(keys, names(keys)[columns], k),
      rows_of(keys$left_rows[k]), rows_of(keys$right_rows[k]), counted(keys$pairs[k], "pair")
    )
  }, "")
}
