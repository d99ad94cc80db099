# Joins made again. A plan depends on what was asked and on the names and types of
# columns, never on a row; so where a join of small frames is made a second time, in a loop
# for instance, its plan is kept, and from the third time on nothing is checked and
# planned anew: the engine's side fills the plan in (src/glue_kept.cpp) as the functions of
# R would.

most_plans <- 16L

# Keeps the plan of a join that is made for the second time, where it can be filled in
keep_plan <- function(pairing, plan, frame, on, rows, asked) {
  # (frames with more rows don't feel it, and their columns may wait)
  if (sum(pairing$sizes) >= deferred_rows || !was_seen(pairing, on, rows)) {
    return(invisible())
  }
  record <- plan_record(pairing, plan, frame)
  if (is.null(record)) {
    return(invisible())
  }
  record <- c(list(on = on, rows = rows, choices = without_places(asked)), record)
  kept <- session$plans
  session$plans <- c(list(record), kept[seq_len(min(length(kept), most_plans - 1L))])
}

# whether a join of such columns was made a while ago; now it was
was_seen <- function(pairing, on, rows) {
  mark <- paste(c(
    names(pairing$left), rows, names(pairing$right), if (is.character(on)) on
  ), collapse = "\n")
  seen <- mark %in% session$marks
  if (!seen) {
    session$marks <- c(mark, session$marks[seq_len(min(length(session$marks), most_plans))])
  }
  seen
}

# (a formula's environment may hold anything, which a plan must not keep alive)
without_places <- function(asked) {
  placeless <- function(formula) {
    environment(formula) <- emptyenv()
    formula
  }
  if (!is.null(asked$where)) asked$where <- placeless(asked$where)
  if (!is.null(asked$fold)) asked$fold <- lapply(asked$fold, placeless)
  asked
}

# What the engine's side needs of a plan, columns as places in their frames; NULL where
# something in it takes R's own functions
plan_record <- function(pairing, plan, frame) {
  keys <- kept_keys(pairing, plan)
  order <- kept_order(pairing)
  columns <- kept_columns(pairing, plan)
  expected <- kept_expectations(pairing, plan)
  folds <- kept_folds(pairing, plan, frame)
  parts <- list(keys, order, columns, expected, folds)
  if (any(vapply(parts, is.null, NA)) || !is_plain_plan(pairing, plan)) {
    return(NULL)
  }
  left <- columns_like_(pairing$left, positional_classes)
  right <- columns_like_(pairing$right, positional_classes)
  if (is.null(left) || is.null(right)) {
    return(NULL)
  }
  strict <- function(side, frame) {
    places <- c(
      keys[[paste0("keys_", side)]], order$strict[[side]], columns$strict[[side]],
      if (side == "right") vapply(folds, function(fold) fold$column, 1L)
    )
    seq_along(frame) %in% places
  }
  c(
    list(
      left = left, right = right, strict_left = strict("left", left),
      strict_right = strict("right", right)
    ),
    keys, order[names(order) != "strict"], columns[names(columns) != "strict"], expected,
    list(
      folds = unname(folds), functions = kept_functions(pairing, plan),
      max_rows = pairing$max_rows, few_pairs = deferred_rows, repeats = pairing$repeats,
      match_missing = pairing$missing_keys == "match",
      class = plain_class(pairing$left), levels = c(pairing$sides, "paired")
    )
  )
}

is_plain_plan <- function(pairing, plan) {
  plan$row_order == "left" && !length(plan$if_absent) &&
    pairing$missing_keys %in% c("unmatched", "match") && is_name(pairing$repeats) &&
    pairing$repeats %in% c("all", "first", "last") &&
    (is.null(plan$folds) || pairing$repeats == "all")
}

# Keys that the engine takes as they are, both sides' of one type
kept_keys <- function(pairing, plan) {
  kinds <- vapply(pairing$key_rules, function(rule) {
    x <- .subset2(pairing$left, rule$left)
    y <- .subset2(pairing$right, rule$right)
    if (length(rule$via) || typeof(x) != typeof(y) ||
      !identical(attributes(x), attributes(y))) {
      return(NA_integer_)
    }
    if (!is.null(rule$plain_kind)) {
      return(rule$plain_kind)
    }
    class <- oldClass(x)
    kind <- if (is.character(x) && is.null(attributes(x))) {
      "text"
    } else if (is.double(x) && identical(class, c("POSIXct", "POSIXt"))) {
      "real"
    } else if (identical(class, "Date")) {
      if (is.double(x)) "day" else "int32"
    }
    if (is.null(kind)) NA_integer_ else engine_kinds[[kind]]
  }, 1L, USE.NAMES = FALSE)
  if (!anyNA(kinds)) {
    list(
      keys_left = places_of(pairing$key_rules, "left", pairing),
      keys_right = places_of(pairing$key_rules, "right", pairing), kinds = kinds
    )
  }
}

# where the columns stand that some records name
places_of <- function(records, side, pairing) {
  match(vapply(records, function(record) record[[side]], ""), names(pairing[[side]]))
}

# nearest() of numbers or times, or comparisons that `where` comes to; NULL for other
# rules, and for what is left of a condition
kept_order <- function(pairing) {
  others <- pairing$rules[kinds_of(pairing$rules) != "same"]
  order <- list(nearest = NULL, comparisons = list(), walks = FALSE, times = FALSE)
  if (!length(others) && is.null(pairing$where)) {
    return(c(order, list(notes = character())))
  }
  if (length(others) == 1L && others[[1L]]$kind == "nearest" && is.null(pairing$where)) {
    return(kept_nearest(pairing, others[[1L]], order))
  }
  if (length(others) || !length(pairing$condition$taken) ||
    length(pairing$condition$rest)) {
    return(NULL)
  }
  compared <- lapply(split_and(pairing$where[[2L]]), compared_names,
    environment(pairing$where)
  )
  places <- lapply(c(left = "left", right = "right"), places_of,
    records = compared, pairing = pairing
  )
  order$comparisons <- do.call(c, lapply(seq_along(compared), function(k) {
    lapply(indexed_ops(compared[[k]]$op), function(op) {
      list(left = places$left[k], op = op, right = places$right[k])
    })
  }))
  c(order, list(notes = character(), strict = places))
}

kept_nearest <- function(pairing, rule, order) {
  columns <- list(.subset2(pairing$left, rule$left), .subset2(pairing$right, rule$right))
  kinds <- unique(vapply(columns, compared_as, ""))
  if (rule$n != 1 || !rule$ties %in% c("first", "last") || !is.null(rule$gap) ||
    length(kinds) != 1L || !kinds %in% c("number", "time") || is_once(pairing$repeats)) {
    return(NULL)
  }
  plan <- plan_nearest(pairing, rule, NULL)
  spec <- plan$closest
  places <- lapply(c(left = "left", right = "right"), places_of,
    records = list(rule), pairing = pairing
  )
  spec[c("left", "right")] <- places
  order["nearest"] <- list(spec)
  order$walks <- is_walked(spec) && length(pairing$key_rules) <= 1L
  order$times <- kinds == "time"
  c(order, list(notes = as.character(plan$notes), strict = places))
}

# where a column comes from, in numbers (src/glue_kept.cpp has the same)
kept_sources <- c(
  left = 1L, right = 2L, key = 3L, merge = 4L, origin = 5L, partners = 6L,
  left_numbers = 7L, right_numbers = 8L, fold = 9L
)

kept_columns <- function(pairing, plan) {
  types <- if (is.null(plan$folds)) row_types else folded_row_types
  type <- types[[plan$row_type]]
  columns <- unname(plan$columns)
  from <- vapply(columns, function(column) {
    switch(column$from,
      row_numbers = paste0(column$side, "_numbers"),
      merge = if (is_filled(pairing, column)) "merge" else "",
      key = if (type$right_alone) "key" else "left",
      column$from
    )
  }, "")
  codes <- unname(kept_sources[from])
  if (anyNA(codes)) {
    return(NULL)
  }
  places <- lapply(c(left = "left", right = "right"), function(side) {
    named <- vapply(columns, function(column) {
      if (column$from == "row_numbers" || is.null(column[[side]])) "" else column[[side]]
    }, "")
    match(named, names(pairing[[side]]), 0L)
  })
  list(
    from = codes, at_left = places$left, at_right = places$right,
    names = names(plan$columns), type = unlist(type, use.names = FALSE),
    hows = vapply(columns, function(column) {
      if (column$from == "merge") column$how else ""
    }, ""),
    strict = lapply(places, `[`, from == "merge")
  )
}

# whether two columns are put together that are plain vectors of one type
is_filled <- function(pairing, column) {
  x <- .subset2(pairing$left, column$left)
  y <- .subset2(pairing$right, column$right)
  is_name(column$how) && merge_plainly(x, y)
}

kept_expectations <- function(pairing, plan) {
  expect <- pairing$expect
  if (is.null(expect) || is.character(expect)) {
    once <- expected_once(expect)
    list(
      once = unname(once), complete = paste0(side_names, "-complete") %in% expect,
      no_missing = "no-missing-keys" %in% expect,
      warns = is.null(expect) && identical(pairing$repeats, "all") &&
        is.null(plan$folds) && row_types[[plan$row_type]]$pairs &&
        length(pairing$key_rules) == length(pairing$rules)
    )
  }
}

# what the engine is asked of each formula, with the column that came of it; NULL where R
# runs one
kept_folds <- function(pairing, plan, frame) {
  folds <- lapply(plan$folds, function(fold) {
    form <- fold$form
    if (!is.null(form) && !form$by %in% c("first", "last", "distinct")) {
      list(
        by = form$by, na_rm = form$na_rm,
        column = match(paste0("", form$column), names(pairing$right), 0L),
        like = frame[[fold$name]][0L]
      )
    }
  })
  if (!any(vapply(folds, is.null, NA))) folds
}

# what the code of `where` and `fold` calls, which has to be R's own
kept_functions <- function(pairing, plan) {
  codes <- c(
    if (!is.null(pairing$where)) list(pairing$where[[2L]]),
    lapply(plan$folds, function(fold) fold$code)
  )
  if (length(codes)) unique(c(unlist(lapply(codes, calls_in)), comparison_words)) else {
    character()
  }
}

calls_in <- function(code) {
  if (is.call(code)) {
    c(if (is.name(code[[1L]])) as.character(code[[1L]]), unlist(lapply(code[-1L], calls_in)))
  }
}
