# `if_absent`: values for cells that are empty because the side has no row there.

as_if_absent <- function(values, plan, pairing, call) {
  if (is.null(values)) {
    return(NULL)
  }
  check_absent_list(values, call)
  columns <- names(values)
  c(
    absent_values(values[columns != ".other"], plan, pairing, call),
    if (".other" %in% columns) {
      absent_others(values$.other, plan[setdiff(names(plan), columns)], pairing, call)
    }
  )
}

check_absent_list <- function(values, call) {
  columns <- names(values)
  if (!is.list(values) || length(columns) != length(values) ||
    !all(nzchar(columns)) || anyDuplicated(columns)) {
    stop_argument(said("`if_absent` must be a list of values by column name."),
      paste("Write, for example:", setting("if_absent", list(fare = 0))),
      call = call
    )
  }
}

absent_values <- function(values, plan, pairing, call) {
  Map(function(value, name) {
    column <- plan[[name]]
    if (is.null(column)) {
      stop_argument(
        said("`if_absent` names `%s`, which the result doesn't have.", name),
        columns_hint(name, names(plan)),
        call = call
      )
    }
    check_can_be_set(column, call)
    value <- absent_value(value, source_of(column, pairing))
    if (is.null(value$fits)) {
      stop_absent_value(value$given, column$name, source_of(column, pairing), call)
    }
    value$fits
  }, values, names(values))
}

# `.other`: the value of all columns that can be set and whose type it fits
absent_others <- function(value, plan, pairing, call) {
  if (inherits(value, "ronda_unread")) {
    value <- utils::type.convert(as.character(unclass(value)), as.is = TRUE)
  }
  if (!is.atomic(value) || length(value) != 1L) {
    stop_argument(
      said("`.other` of `if_absent` must be one value, not %s.", shown(value)),
      paste("Write, for example:", setting("if_absent", list(.other = 0))),
      call = call
    )
  }
  plan <- plan[vapply(plan, can_be_set, NA)]
  found <- lapply(plan, function(column) {
    absent_value(value, source_of(column, pairing))$fits
  })
  names(found) <- plan_names(plan)
  found[lengths(found) > 0L]
}

# the column of a frame that a column of the result is taken from
source_of <- function(column, pairing) {
  .subset2(pairing[[column$from]], column[[column$from]])
}

can_be_set <- function(column) {
  column$from %in% side_names && !isTRUE(column$merged)
}

check_can_be_set <- function(column, call) {
  if (can_be_set(column)) {
    return()
  }
  what <- switch(column$from,
    key = "a key column",
    partners = "the count of partners",
    row_numbers = "a row number",
    origin = "the origin of the row",
    gap = "the gap",
    shared = "part of the stretch shared",
    step = "the step that paired the row",
    "merged from both frames"
  )
  stop_argument(
    said("`if_absent` can't set `%s`: it is %s.", column$name, what),
    call = call
  )
}

# A value that came as text, to be read as the column's type says
as_unread <- function(text) structure(text, class = "ronda_unread")

read_value <- function(text, x) {
  text <- as.character(unclass(text))
  type <- type_of(x)
  if (is.null(type)) text else type$read(text)
}

# The value as the column can hold it: list(given, fits), `fits` a list of it, empty
# for a missing value, which changes nothing, and NULL where the column can't hold it
absent_value <- function(value, x) {
  if (inherits(value, "ronda_unread")) value <- read_value(value, x)
  list(given = value, fits = fitting_value(value, x))
}

fitting_value <- function(value, x) {
  if (is.list(x) && !is.data.frame(x)) {
    if (is.object(x) && identical(value, NA)) {
      return(list())
    }
    alike <- is.list(value) && length(value) == 1L &&
      identical(class(plain_as_is(value)), class(plain_as_is(x)))
    return(if (alike) list(value))
  }
  if (!is.atomic(value) || length(value) != 1L || !is.null(dim(x))) {
    return(NULL)
  }
  if (!is.object(value) && is.na(value)) {
    return(list())
  }
  converted <- convert_value(value, x)
  if (!is.null(converted)) list(converted)
}

# `x`: the column that can't hold the value.
stop_absent_value <- function(value, name, x, call) {
  stop_ronda("type",
    said("`if_absent` can't put %s into `%s` (%s).",
      if (is.object(value)) described(value) else shown(value), name, type_word(x)
    ),
    "Give one value of the column's own type.",
    call = call, data = list(column = name, value = value)
  )
}

# NULL when it can't be held
convert_value <- function(value, x) {
  type <- type_of(x)
  if (!is.null(type)) type$hold(value, x) else if (identical(class(value), class(x))) value
}

set_absent <- function(x, column, row_map, values) {
  value <- values[[column$name]]
  if (!length(value)) {
    return(x)
  }
  value <- value[[1L]]
  x <- with_level(x, value)
  rows <- row_map[[column$from]]
  absent <- if (!is.null(rows)) which(rows == 0L)
  if (!length(absent)) {
    return(x)
  }
  put_value(x, absent, value)
}

put_value <- function(x, at, value) {
  if (is.object(x) && is.null(type_of(x))) {
    x[at] <- value
    return(x)
  }
  kept <- attributes(x)
  if (is.factor(x)) {
    value <- match(value, levels(x))
  }
  attributes(x) <- NULL
  x[at] <- if (is.list(value)) value else as.vector(unclass(value))
  attributes(x) <- kept
  x
}
