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
