# The extra condition on pairs. It is run on blocks of candidates, so that
# memory stays bounded whatever their number; parts of a formula that speak of
# one side alone are run on that side's rows first.

pairs_per_block <- 2e5

check_where <- function(where, left, right, call) {
  if (is.null(where) || is.function(where)) {
    return()
  }
  if (!inherits(where, "formula") || length(where) != 2L) {
    stop_argument(
      paste0(
        said("`where` must be a one-sided formula or a function(left, right), not "),
        shown(where), "."
      ),
      paste("Write, for example:", setting("where", ~ left$length <= right$max_length)),
      call = call
    )
  }
  check_where_columns(where[[2L]], list(left = left, right = right), call)
}

# Columns that a formula names outright are known before it is run.
check_where_columns <- function(code, frames, call) {
  if (!is.call(code)) {
    return()
  }
  fetches <- is.name(code[[1L]]) && as.character(code[[1L]]) %in% c("$", "[[")
  if (fetches && is.name(code[[2L]])) {
    side <- as.character(code[[2L]])
    name <- code[[3L]]
    if (side %in% names(frames) && (is.name(name) || is.character(name))) {
      dollar <- identical(code[[1L]], quote(`$`))
      if (dollar || is.character(name)) {
        check_column(as.character(name), frames[[side]], frame_mark(side), call,
          class = "argument"
        )
      }
    }
  }
  for (k in seq_along(code)) {
    if (is.call(code[[k]])) check_where_columns(code[[k]], frames, call)
  }
}

# The parts of a call, but for empty ones (as in x[, 1])
parts_of_code <- function(code) {
  parts <- as.list(code)
  is_empty <- logical(length(parts))
  for (k in seq_along(parts)) is_empty[k] <- identical(parts[[k]], quote(expr = ))
  parts[!is_empty]
}

# The columns of `name` that code uses, where it only ever says name$column or
# name[["column"]]; NULL where it may use any.
columns_used <- function(code, name) {
  if (is.name(code)) {
    word <- as.character(code)
    return(if (word != name && !word %in% looks_around) character())
  }
  if (!is.call(code) && !is.pairlist(code)) {
    return(if (!is.function(code)) character())
  }
  if (is.call(code) && length(code) == 3L && identical(code[[2L]], as.name(name))) {
    column <- code[[3L]]
    dollar <- identical(code[[1L]], quote(`$`)) && is.name(column)
    fetches <- dollar || identical(code[[1L]], quote(`$`)) ||
      identical(code[[1L]], quote(`[[`))
    if (fetches && (dollar || (is.character(column) && length(column) == 1L))) {
      return(as.character(column))
    }
  }
  used <- character()
  for (part in parts_of_code(code)) {
    own <- columns_used(part, name)
    if (is.null(own)) {
      return(NULL)
    }
    used <- c(used, own)
  }
  unique(used)
}

# what finds a variable without naming it
looks_around <- c(
  "get", "get0", "mget", "eval", "evalq", "environment", "parent.frame",
  "sys.function", "sys.frame", "sys.frames", "match.call", "local"
)

filter_pairs <- function(pairing, matches, parts, call) {
  matches <- filter_sides(pairing, matches, parts, call)
  if (!length(parts$both)) {
    return(matches)
  }
  filter_blocks(pairing, matches, parts$both, call)
}

# The parts of a condition that speak of one side alone
filter_sides <- function(pairing, matches, parts, call) {
  for (part in parts$left) matches <- filter_left(pairing, matches, part, call)
  for (part in parts$right) {
    matches <- filter_right(pairing, matches, part, call)
  }
  matches
}

# The condition in parts: those that look at the left rows alone, at the right rows
# alone, and at both. Each is list(run, used): a function of the two sides' rows, and
# which columns of each side it uses (NULL: any).
where_parts <- function(where) {
  if (is.null(where)) {
    return(list(left = list(), right = list(), both = list()))
  }
  if (is.function(where)) {
    return(list(left = list(), right = list(), both = list(function_part(where))))
  }
  parts_of_terms(split_and(where[[2L]]), environment(where))
}

parts_of_terms <- function(terms, environment) {
  sides <- vapply(terms, function(term) {
    used <- all.names(term)
    has <- c("left", "right") %in% used
    if (has[1L] && !has[2L]) {
      "left"
    } else if (has[2L] && !has[1L]) {
      "right"
    } else {
      "both"
    }
  }, "")
  parts <- lapply(terms, formula_part, environment)
  list(
    left = parts[sides == "left"], right = parts[sides == "right"],
    both = parts[sides == "both"]
  )
}

formula_part <- function(code, environment) {
  list(
    run = function(left, right) {
      eval(code, list(left = left, right = right), environment)
    },
    used = list(
      left = columns_used(code, "left"), right = columns_used(code, "right")
    )
  )
}

function_part <- function(where) {
  arguments <- names(formals(args(where)))
  named <- length(arguments) == 2L && !"..." %in% arguments
  used <- lapply(1:2, function(k) {
    if (named && !is.primitive(where)) columns_used(body(where), arguments[k])
  })
  names(used) <- c("left", "right")
  list(run = where, used = used)
}

split_and <- function(code) {
  if (is.call(code) && identical(code[[1L]], quote(`(`))) {
    return(split_and(code[[2L]]))
  }
  if (is.call(code) && identical(code[[1L]], quote(`&`))) {
    return(c(split_and(code[[2L]]), split_and(code[[3L]])))
  }
  list(code)
}

# The value of one part for rows or pairs. `rows` are the row numbers on each side
# (NULL: all, or none where the part looks at one side alone).
run_on_pairs <- function(part, pairing, rows, arg, call) {
  seen <- lapply(c(left = "left", right = "right"), function(side) {
    if (side %in% names(rows)) {
      rows_seen(pairing[[side]], rows[[side]], part$used[[side]])
    }
  })
  run_theirs(part$run(seen$left, seen$right), "argument", sprintf("`%s` failed", arg),
    call,
    frames = pairing[side_names]
  )
}

# One part run on n rows or pairs: a flag for each, TRUE where it holds
part_flags <- function(part, pairing, rows, n, call) {
  value <- run_on_pairs(part, pairing, rows, "where", call)
  if (!is.logical(value) || !length(value) %in% c(1L, n)) {
    stop_argument(
      said(
        "`where` must give TRUE or FALSE for each of %s, not %s.",
        counted(n, "pair"), described(value)
      ),
      unknown_columns(part, pairing),
      call = call
    )
  }
  if (length(value) == n) value else rep_len(value, n)
}

# What may have led to no value: a column that isn't there is NULL.
unknown_columns <- function(part, pairing) {
  unlist(lapply(c("left", "right"), function(side) {
    unknown <- setdiff(part$used[[side]], names(pairing[[side]]))
    if (length(unknown)) {
      paste(
        sprintf("`%s` has no column %s.", frame_mark(side), ticked(unknown)),
        columns_hint(unknown[1L], names(pairing[[side]]))
      )
    }
  }))
}

# Some rows of a frame as a frame of its class, as `where` sees them. Of the columns
# only those that are used are fetched: where it can't be told beforehand which,
# columns are deferred.
rows_seen <- function(frame, rows, used) {
  names <- names(frame)
  if (!is.null(used) && all(used %in% names)) {
    columns <- lapply(used, function(name) {
      slice_column(.subset2(frame, name), rows, name, NULL)
    })
    names <- used
  } else {
    columns <- lapply(names, function(name) {
      deferred_column(.subset2(frame, name), rows, name)
    })
  }
  names(columns) <- names
  frame_like(columns, if (is.null(rows)) .row_names_info(frame, 2L) else {
    length(rows)
  }, frame)
}

deferred_column <- function(x, rows, name) {
  waits <- !is.null(rows) && is_positional(x) &&
    !isFALSE(deferred_option())
  column <- if (waits) deferred_(x, rows)
  if (is.null(column)) slice_column(x, rows, name, NULL) else column
}

filter_left <- function(pairing, matches, part, call) {
  rows <- which(is_matched(matches, "left"))
  keep <- part_flags(part, pairing, list(left = rows), length(rows), call)
  leave_out_left(matches, rows[!both_true_(keep, TRUE)])
}

filter_right <- function(pairing, matches, part, call) {
  n <- pairing$sizes[2L]
  keep <- part_flags(part, pairing, list(right = NULL), n, call)
  keep_right(matches, both_true_(keep, TRUE))
}

filter_blocks <- function(pairing, matches, parts, call) {
  at <- c(1, 0)
  kept <- list()
  total <- 0
  limit <- candidate_limit(pairing)
  while (at[1L] <= pairing$sizes[1L]) {
    block <- pair_block_(matches, at[1L], at[2L],
      pairs_per_block_option(pairs_per_block)
    )
    at <- block$at
    if (!length(block$left)) break
    keep <- pairs_hold(pairing, block$left, block$right, parts, call)
    total <- total + sum(keep)
    if (total > limit) stop_candidates(pairing, total, limit, call)
    kept <- c(kept, list(list(block$left[keep], block$right[keep])))
  }
  matches_of_blocks(kept, pairing$sizes)
}

# Whether the condition holds for each of some pairs
pairs_hold <- function(pairing, left, right, parts, call) {
  keep <- TRUE
  rows <- list(left = left, right = right)
  n <- length(left)
  for (part in parts) {
    keep <- both_true_(keep, part_flags(part, pairing, rows, n, call))
  }
  if (length(parts)) keep else rep(TRUE, n)
}

# What the engine takes over ---------------------------------------------------------

# What the engine takes over of a condition: comparisons of one left and one right column
# of numbers, dates or times. It finds their pairs by an index, where R would have to
# look at every candidate; the answer is the same.

comparison_ops <- c("<", "<=", ">", ">=", "==", "!=")

# other functions that such conditions use
comparison_words <- c("$", "[[", "&", "(")

# The condition of a pairing: what is left of it in parts (where_parts()), and with it
# `comparisons` for the engine, and what was `taken` and is the `rest`, as code. NULL
# where there is no condition.
where_plan <- function(pairing) {
  where <- pairing$where
  if (is.null(where)) {
    return(NULL)
  }
  if (is.function(where)) {
    return(c(where_parts(where), list(rest = list(where))))
  }
  terms <- split_and(where[[2L]])
  environment <- environment(where)
  found <- lapply(terms, as_comparisons, pairing = pairing, environment = environment)
  is_taken <- lengths(found) > 0L
  c(
    parts_of_terms(terms[!is_taken], environment),
    list(
      comparisons = unlist(found[is_taken], recursive = FALSE), taken = terms[is_taken],
      rest = terms[!is_taken]
    )
  )
}

# One term as comparisons of the engine, left column first; NULL where R has to run it
as_comparisons <- function(term, pairing, environment) {
  named <- compared_names(term, environment)
  if (is.null(named)) {
    return(NULL)
  }
  numbers <- comparable_numbers(
    plain_column(pairing$left, named$left), plain_column(pairing$right, named$right)
  )
  if (is.null(numbers)) {
    return(NULL)
  }
  # what a rule chooses among is only tried
  tried <- !is.null(chooser_of(pairing$rules))
  lapply(if (tried) named$op else indexed_ops(named$op), function(op) {
    comparison(numbers[[1L]], op, numbers[[2L]], FALSE)
  })
}

# The engine has no index for equality: equal is neither below nor above.
indexed_ops <- function(op) if (op == "==") c(">=", "<=") else op

# What a term compares: list(left, op, right), names of columns and what must hold of
# them; NULL where it is no comparison of one left and one right column
compared_names <- function(term, environment) {
  term <- without_brackets(term)
  op <- if (is.call(term) && length(term) == 3L && is.name(term[[1L]])) {
    as.character(term[[1L]])
  }
  if (is.null(op) || !op %in% comparison_ops) {
    return(NULL)
  }
  for (word in c(op, comparison_words)) {
    if (!is_base_function(word, environment)) {
      return(NULL)
    }
  }
  sides <- lapply(as.list(term)[-1L], named_column)
  if (is.null(sides[[1L]]) || is.null(sides[[2L]]) ||
    sides[[1L]]$side == sides[[2L]]$side) {
    return(NULL)
  }
  if (sides[[1L]]$side == "right") {
    sides <- rev(sides)
    if (op %in% c("<", "<=", ">", ">=")) op <- flip_op(op)
  }
  list(left = sides[[1L]]$name, op = op, right = sides[[2L]]$name)
}

without_brackets <- function(code) {
  while (is.call(code) && identical(code[[1L]], quote(`(`))) code <- code[[2L]]
  code
}

is_base_function <- function(name, environment) {
  identical(get0(name, environment, mode = "function"), get(name, baseenv()))
}

# left$name or right[["name"]] as list(side, name)
named_column <- function(code) {
  code <- without_brackets(code)
  fetches <- is.call(code) && length(code) == 3L && is.name(code[[2L]]) &&
    as.character(code[[2L]]) %in% side_names &&
    (identical(code[[1L]], quote(`$`)) || identical(code[[1L]], quote(`[[`)))
  if (!fetches) {
    return(NULL)
  }
  name <- code[[3L]]
  is_text <- is.character(name) && length(name) == 1L
  if (is_text || is.name(name) && identical(code[[1L]], quote(`$`))) {
    list(side = as.character(code[[2L]]), name = as.character(name))
  }
}

# A column of a frame whose class has no ways of its own to give one; NULL otherwise
plain_column <- function(frame, name) {
  for (class in oldClass(frame)) {
    if (class %in% c("tbl_df", "tbl", "data.frame")) next
    if (!is.null(utils::getS3method("$", class, optional = TRUE)) ||
      !is.null(utils::getS3method("[[", class, optional = TRUE))) {
      return(NULL)
    }
  }
  .subset2(frame, name)
}

# Two columns as numbers that compare as R compares the columns; NULL where they are not
# both numbers (or flags), dates, times or durations of one unit. (64-bit integers are left to R,
# which compares them as the package that is loaded tells it to.)
comparable_numbers <- function(x, y) {
  kind <- compared_as(x)
  if (is.na(kind) || !identical(kind, compared_as(y)) || !is.null(dim(x)) ||
    !is.null(dim(y))) {
    return(NULL)
  }
  list(as_double(strip_class(x)), as_double(strip_class(y)))
}

compared_as <- function(x) {
  class <- oldClass(x)
  if (!typeof(x) %in% c("integer", "double", if (is.null(class)) "logical")) {
    return(NA_character_)
  }
  if (is.null(class)) {
    "number"
  } else if (identical(class, "Date")) {
    "date"
  } else if (identical(class, c("POSIXct", "POSIXt"))) {
    "time"
  } else if (identical(class, "difftime")) {
    paste("duration in", attr(x, "units"))
  } else {
    NA_character_
  }
}

# Lines of the account about the condition
where_lines <- function(pairing) {
  taken <- pairing$condition$taken
  rest <- pairing$condition$rest
  in_words <- function(terms) {
    listed(vapply(terms, function(term) {
      paste(trimws(deparse(term)), collapse = " ")
    }, ""), "and")
  }
  if (length(taken)) {
    c(
      said("Of `where` the engine took over: %s.", in_words(taken)),
      if (length(rest)) {
        sprintf("Run on the pairs that this leaves: %s.", in_words(rest))
      }
    )
  }
}
