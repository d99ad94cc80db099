# Arguments of the functions, from the options given.

# Arguments of pair_rows() from the options given
matching_arguments <- function(options) {
  on <- cli_rules(options)
  if (!length(on)) {
    stop_usage("--on is missing: say which columns must be equal.",
      "* Write, for example: --on port, or --on vessel=code",
      paste("* Or a rule:", paste0("--", ordered_rules(), collapse = ", "))
    )
  }
  compact(list(
    on = on, missing_keys = options[["missing-keys"]],
    repeats = as_repeats(options$repeats),
    expect = if (!is.null(options$expect)) read_expect(options$expect),
    max_rows = cli_number(options[["max-rows"]], "--max-rows")
  ))
}

# Arguments of build_frame()
column_arguments <- function(options) {
  collisions <- if (!is.null(options$collisions)) {
    split_pairs(options$collisions)
  }
  check_collision_words(collisions)
  if (!is.null(names(collisions))) collisions <- as.list(collisions)
  absent <- options[["if-absent"]]
  if (!is.null(absent)) absent <- lapply(as.list(split_pairs(absent)), as_unread)
  compact(list(
    rows = options$rows, row_order = options[["row-order"]],
    take = if (!is.null(options$take)) read_take(options$take),
    omit = if (!is.null(options$omit)) split_commas(options$omit),
    keys = options$keys, collisions = collisions,
    name_pattern = options[["name-pattern"]], origin = options$origin,
    partners = options$partners,
    row_numbers = if (!is.null(options[["row-numbers"]])) {
      split_commas(options[["row-numbers"]])
    },
    if_absent = absent
  ))
}

# words, and shares such as left_matched=0.99
read_expect <- function(text) {
  parts <- split_pairs(text)
  if (is.null(names(parts))) {
    return(parts)
  }
  lapply(as.list(parts), function(part) {
    number <- suppressWarnings(as.numeric(part))
    if (is.na(number)) part else number
  })
}

# `.rest` by itself brings the other columns
read_take <- function(text) {
  take <- split_pairs(text)
  bare <- take == ".rest" & (if (is.null(names(take))) TRUE else !nzchar(names(take)))
  if (any(bare)) {
    if (is.null(names(take))) names(take) <- rep("", length(take))
    names(take)[bare] <- ".rest"
    take[bare] <- "TRUE"
  }
  take
}

# (functions are for R; what is left has words)
check_collision_words <- function(ways) {
  words <- names(collision_kinds)
  unknown <- which(!ways %in% words)
  if (!length(unknown)) {
    return()
  }
  column <- names(ways)[unknown[1L]]
  stop_usage(
    sprintf("--collisions has no way %s%s.", shown(ways[[unknown[1L]]]),
      if (length(column) && nzchar(column)) sprintf(" for `%s`", column) else ""
    ),
    sprintf("* Its ways: %s.", listed(words, "and", length(words))),
    "* By column, and for all others: --collisions status=left,.other=fill"
  )
}
