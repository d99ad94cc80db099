# What must hold: expectations, the unexpected many-to-many pairing, and the
# limit on rows. Each failure says which keys are at fault, and carries all
# the rows.

# the key shapes that can be expected: all but the one that asks for nothing, which
# is called by what it does
expected_shapes <- c(key_shapes[1:3], "rows-multiply")

check_expect <- function(expect, rules, call) {
  if (is.null(expect)) {
    return()
  }
  known <- c(expected_shapes, "left-complete", "right-complete",
    "no-missing-keys")
  if (!is.character(expect) || !length(expect)) {
    stop_argument(
      sprintf("`expect` must be any of %s, not %s.", any_of(known),
        shown(expect)
      ),
      call = call
    )
  }
  for (word in expect) check_choice(word, known, "expect", call)
  if (sum(unique(expect) %in% expected_shapes) > 1L) {
    stop_argument(
      sprintf("`expect` names more than one shape of the keys: %s.",
        listed(paste0("\"", intersect(expect, expected_shapes), "\""), "and")
      ),
      "Name the strictest one that must hold.",
      call = call
    )
  }
}

check_expectations <- function(pairing, keys, call) {
  expect <- pairing$expect
  if (is.null(expect) && pairing$missing_keys != "stop") {
    return()
  }
  missing <- c(pairing$counts$missing_left, pairing$counts$missing_right)
  if (any(missing > 0) && (pairing$missing_keys == "stop" ||
    "no-missing-keys" %in% expect)) {
    stop_missing_keys(pairing, keys, call)
  }
  repeats <- pairing$counts$repeated
  one <- intersect(expect, c("one-to-one", "one-to-many", "many-to-one"))
  if (length(one)) {
    left_once <- startsWith(one, "one-to")
    right_once <- endsWith(one, "to-one")
    if ((left_once && repeats[["left"]]) ||
      (right_once && repeats[["right"]])) {
      stop_key_shape(pairing, keys, one, left_once, right_once, call)
    }
  }
  matched <- c(pairing$counts$matched_left, pairing$counts$matched_right)
  for (side in c("left", "right")) {
    k <- match(side, c("left", "right"))
    if (paste0(side, "-complete") %in% expect &&
      matched[k] < pairing$sizes[k]) {
      stop_incomplete(pairing, side, call)
    }
  }
}

stop_expectation <- function(pairing, text, ..., left_rows = integer(),
                             right_rows = integer(), call) {
  stop_ronda("expectation", text, ...,
    call = call,
    data = list(
      left_rows = left_rows, right_rows = right_rows,
      keys = key_frame(pairing, left_rows, right_rows)
    )
  )
}

# The distinct keys of some rows as a frame, under the left names where all
# rows are left ones
key_frame <- function(pairing, left_rows, right_rows) {
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

# Some rows of some columns, as a plain frame
picked_columns <- function(frame, columns, rows) {
  values <- lapply(columns, function(column) {
    slice_column(.subset2(frame, column), rows, column, NULL)
  })
  names(values) <- columns
  as_base_frame(values, length(rows))
}

# "`port` = \"Gull Quay\" and `day` = 2031-05-01" for one row
key_words <- function(frame, columns, row) {
  words <- vapply(columns, function(column) {
    value <- slice_column(.subset2(frame, column), row, column, NULL)
    sprintf("`%s` = %s", column, value_words(value))
  }, "")
  paste(words, collapse = " and ")
}

# The keys of some rows of one side, a few, for a message
few_keys <- function(pairing, side, rows, most = 3L) {
  columns <- unique(vapply(
    pairing$key_rules, function(rule) rule[[side]], ""
  ))
  if (!length(columns)) {
    return(sprintf("rows %s", listed(utils::head(rows, most), "and")))
  }
  words <- unique(vapply(utils::head(rows, 50L), function(row) {
    key_words(pairing[[side]], columns, row)
  }, ""))
  more <- length(words) > most || length(rows) > 50L
  words <- c(utils::head(words, most), if (more) "...")
  paste(words, collapse = "; ")
}

stop_missing_keys <- function(pairing, keys, call) {
  rows <- lapply(c(left = "left", right = "right"), function(side) {
    missing <- Reduce(`|`, Map(
      missing_number, keys[[side]], keys$kinds == engine_kinds[["int64"]]
    ))
    which(missing)
  })
  lines <- mapply(function(side, label) {
    if (length(rows[[side]])) {
      sprintf("%s: %s, first at row %d (%s)", label,
        counted(length(rows[[side]]), "row"), rows[[side]][1L],
        few_keys(pairing, side, rows[[side]][1L])
      )
    }
  }, c("left", "right"), pairing$labels)
  stop_expectation(pairing, "Some keys are missing.", unlist(lines),
    "Write missing_keys = \"unmatched\" to let such rows stay without partner.",
    left_rows = rows$left, right_rows = rows$right, call = call
  )
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

stop_key_shape <- function(pairing, keys, expected, left_once, right_once,
                              call) {
  rows <- key_shape_rows(pairing, keys, left_once, right_once)
  lines <- mapply(function(side, label) {
    if (length(rows[[side]])) {
      sprintf("%s: %s share a key: %s", label,
        counted(length(rows[[side]]), "row"),
        few_keys(pairing, side, rows[[side]])
      )
    }
  }, c("left", "right"), pairing$labels)
  stop_expectation(pairing,
    sprintf(
      "Expected %s, but the pairing is %s.", expected,
      key_shape_of(pairing$counts)
    ),
    unlist(lines),
    repeated_keys_line(pairing, if (length(rows$left)) "left" else "right"),
    left_rows = rows$left, right_rows = rows$right, call = call
  )
}

# the call that shows more
repeated_keys_line <- function(pairing, side) {
  columns <- rule_columns(pairing$key_rules, side)
  if (length(columns)) {
    sprintf("repeated_keys(%s, %s) shows the rows.",
      name_code(pairing$labels[side_number(side)]), as_code(columns)
    )
  }
}

key_shape_rows <- function(pairing, keys, left_once, right_once) {
  match_missing <- pairing$missing_keys == "match"
  if (pairing$keyed_only) {
    return(list(
      left = if (left_once) {
        rows_repeated(keys$left, keys$kinds, match_missing)
      },
      right = if (right_once) {
        rows_repeated(keys$right, keys$kinds, match_missing)
      }
    ))
  }
  pairs <- all_pairs(pairing$matches)
  repeated <- function(rows) rows %in% rows[duplicated(rows)]
  list(
    left = if (left_once) unique(pairs$left[repeated(pairs$right)]),
    right = if (right_once) sort(unique(pairs$right[repeated(pairs$left)]))
  )
}

stop_repeats <- function(pairing, call) {
  many <- which(partner_counts(pairing$matches, "left") > 1L)
  right_rows <- partners_of(pairing$matches, many)
  stop_expectation(pairing,
    sprintf(
      "%s of `left` %s more than one partner, and `repeats` is \"stop\".",
      counted(length(many), "row"), if (length(many) == 1L) "has" else "have"
    ),
    sprintf("%s: %s", pairing$labels[1L], few_keys(pairing, "left", many)),
    "Write repeats = \"first\", \"last\" or highest(\"column\") to keep one.",
    sprintf("explain_row(pairing, left = %d) shows the candidates.", many[1L]),
    left_rows = many, right_rows = right_rows, call = call
  )
}

stop_incomplete <- function(pairing, side, call) {
  rows <- unmatched(pairing$matches, side)
  label <- pairing$labels[match(side, c("left", "right"))]
  arguments <- list(
    pairing = pairing,
    text = sprintf(
      "Expected every row of `%s` to have a partner, but %s.", side,
      if (length(rows) == 1L) "1 has none" else {
        sprintf("%s have none", with_commas(length(rows)))
      }
    ),
    sprintf("%s: %s", label, few_keys(pairing, side, rows)),
    "near_misses() of the pairing shows likely partners, explain_row() why not.",
    call = call
  )
  arguments[[paste0(side, "_rows")]] <- rows
  do.call(stop_expectation, arguments, quote = TRUE)
}

warn_rows_multiply <- function(pairing, call) {
  unexpected <- isTRUE(pairing$counts$on_both) && is.null(pairing$expect) &&
    identical(pairing$repeats, "all") &&
    length(pairing$key_rules) == length(pairing$rules)
  if (!unexpected) {
    return()
  }
  warn_ronda("rows_multiply",
    "Keys repeat on both sides, so rows multiply.",
    heavy_words(pairing),
    paste(
      "Write expect = \"rows-multiply\" if that is right;",
      "else choose with `repeats` or add a key."
    ),
    repeated_keys_line(pairing, "right"),
    call = call, data = list(keys = heavy_keys(pairing, 10L))
  )
}

# The keys that multiply most, as a frame: key columns, the rows on each side
# and their pairs
heavy_keys <- function(pairing, most = 3L) {
  columns <- unique(vapply(
    pairing$key_rules, function(rule) rule$left, ""
  ))
  heavy <- if (pairing$keyed_only) {
    heaviest_ranges(pairing$matches, most)
  } else {
    heavy_groups(pairing, most)
  }
  # keys that repeat on both sides, where there are any
  multiply <- heavy$left_rows > 1L & heavy$right_rows > 1L
  if (any(multiply)) heavy <- lapply(heavy, `[`, multiply)
  keys <- picked_columns(pairing$left, columns, heavy$row)
  as_base_frame(c(keys, heavy[-1L]), length(heavy$row))
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
  vapply(seq_len(nrow(keys)), function(k) {
    sprintf("%s: %s x %s rows, %s",
      key_words(keys, names(keys)[columns], k),
      with_commas(keys$left_rows[k]), with_commas(keys$right_rows[k]),
      counted(keys$pairs[k], "pair")
    )
  }, "")
}

largest_frame <- .Machine$integer.max

# Stops before pairs are written out when there are too many.
check_row_limit <- function(pairing, rows, call) {
  if (!row_types[[rows]]$pairs) {
    return()
  }
  pairs <- pairing$counts$pairs
  limit <- row_limit(pairing)
  if (pairs <= limit && pairs + sum(pairing$sizes + 0) <= largest_frame) {
    return()
  }
  total <- sum(unlist(result_counts(pairing$counts, pairing$sizes, rows)))
  if (pairs <= limit && total <= largest_frame) {
    return()
  }
  stop_ronda("too_many_rows",
    if (pairs > limit) {
      sprintf("The frames make %s, more than `max_rows` allows (%s).",
        counted(pairs, "pair"), with_commas(limit)
      )
    } else {
      sprintf("The result would have %s, more than a data frame can hold.",
        counted(total, "row")
      )
    },
    heavy_words(pairing),
    paste(
      "Choose with `repeats`, add a key,",
      if (total <= largest_frame) {
        sprintf("or write max_rows = %s.", format(pairs, scientific = FALSE))
      } else {
        "or use rows = \"semi\" or \"anti\"."
      }
    ),
    call = call,
    data = list(pairs = pairs, limit = limit, keys = heavy_keys(pairing, 10L))
  )
}

least_limit <- 1e6

row_limit <- function(pairing) {
  limit <- pairing$max_rows
  if (is.null(limit)) limit <- max_rows_option()
  if (is.null(limit)) max(least_limit, 10 * sum(pairing$sizes + 0)) else limit
}
