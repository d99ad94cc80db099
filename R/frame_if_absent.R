# Values for cells that are blank because the row's side is absent.

as_if_absent <- function(values, plan, pairing, call) {
  if (is.null(values)) {
    return(NULL)
  }
  columns <- names(values)
  if (!is.list(values) || length(columns) != length(values) ||
    !all(nzchar(columns)) || anyDuplicated(columns)) {
    stop_argument("`if_absent` must be a list of values by column name.",
      "Write, for example: if_absent = list(fare = 0)",
      call = call
    )
  }
  Map(function(value, name) {
    column <- plan[[name]]
    if (is.null(column)) {
      stop_argument(
        sprintf("`if_absent` names `%s`, which the result doesn't have.", name),
        closest_name(name, names(plan)),
        call = call
      )
    }
    check_can_be_set(column, call)
    frame <- pairing[[column$from]]
    as_absent_value(value, .subset2(frame, column[[column$from]]), name, call)
  }, values, columns)
}

check_can_be_set <- function(column, call) {
  if (column$from %in% c("left", "right") && !isTRUE(column$merged)) {
    return()
  }
  what <- switch(column$from,
    key = "a key column",
    partners = "the count of partners",
    origin = "the origin of the row",
    gap = "the gap",
    "merged from both frames"
  )
  stop_argument(
    sprintf("`if_absent` can't set `%s`: it is %s.", column$name, what),
    call = call
  )
}

# A value that came as text, to be read as the column's type says
as_unread <- function(text) structure(text, class = "ronda_unread")

read_value <- function(text, x) {
  text <- as.character(unclass(text))
  family <- key_family(x)
  switch(if (is.na(family)) "text" else family,
    integer = , double = , integer64 = , logical = {
      utils::type.convert(text, as.is = TRUE)
    },
    Date = tryCatch(as.Date(text), error = function(e) text),
    POSIXct = tryCatch(as.POSIXct(text, tz = "UTC"), error = function(e) text),
    text
  )
}

# The value as the column can hold it
as_absent_value <- function(value, x, name, call) {
  if (inherits(value, "ronda_unread")) value <- read_value(value, x)
  refuse <- function() {
    stop_ronda("type",
      sprintf("`if_absent` can't put %s into `%s` (%s).",
        if (is.object(value)) described(value) else shown(value), name,
        type_word(x)
      ),
      "Give one value of the column's own type.",
      call = call
    )
  }
  if (is.list(x) && !is.data.frame(x)) {
    blank <- is.object(x) && identical(value, NA)
    alike <- is.list(value) && length(value) == 1L &&
      identical(class(plain_as_is(value)), class(plain_as_is(x)))
    if (!blank && !alike) refuse()
    return(if (alike) value)
  }
  if (!is.atomic(value) || length(value) != 1L || !is.null(dim(x))) refuse()
  if (!is.object(value) && is.na(value)) {
    return(NULL)
  }
  converted <- convert_value(value, x)
  if (is.null(converted)) refuse()
  converted
}

# NULL when it can't be held
convert_value <- function(value, x) {
  family <- key_family(x)
  if (is.na(family)) {
    return(if (identical(class(value), class(x))) value)
  }
  is_number <- is.numeric(value) && !is.object(value)
  switch(family,
    integer = if (is_number && is_whole(value, 2^31 - 1)) as.integer(value),
    double = if (is_number) as.double(value),
    integer64 = int64_value(value),
    text = ,
    factor = if (is.character(value) || is.factor(value)) as.character(value),
    logical = if (is.logical(value)) value,
    Date = ,
    POSIXct = if (inherits(value, family)) as_stored(as_double(value), x),
    difftime = as_stored(duration_value(value, x), x)
  )
}

# A number as a column stores its own: an integer one keeps its type, whichever rows
# are absent; one that can't be held so is refused.
as_stored <- function(number, x) {
  number <- strip_class(number)
  if (is.null(number) || typeof(x) == "double") {
    return(number)
  }
  if (is_whole(number, 2^31 - 1)) as.integer(number)
}

set_absent <- function(x, column, row_map, values) {
  value <- values[[column$name]]
  if (is.null(value)) {
    return(x)
  }
  if (is.factor(x) && !value %in% levels(x)) {
    x <- with_levels(x, c(levels(x), value))
  }
  rows <- row_map[[column$from]]
  absent <- if (!is.null(rows)) which(rows == 0L)
  if (!length(absent)) {
    return(x)
  }
  put_value(x, absent, value)
}

put_value <- function(x, at, value) {
  if (is.na(key_family(x)) && is.object(x)) {
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
