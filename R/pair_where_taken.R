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
