# Types: those that were asked for, and what files without them are read as.

# `line_of(row)` gives the line of the file that a row begins on
parse_as <- function(text, type, name, decimal, line_of) {
  form <- if (grepl(":", type, fixed = TRUE)) sub("^[a-z]+:", "", type)
  type <- sub(":.*", "", type)
  if (type == "logical" || type %in% c("date", "datetime") && is.null(form)) {
    need_packages("readr", sprintf("Reading cells as %s", type), class = "file")
  }
  parser <- switch(type,
    text = return(text),
    number = function(text) numbers_(text, decimal),
    integer = function(text) as_whole_numbers(numbers_(text, decimal)),
    logical = readr::parse_logical,
    date = if (is.null(form)) readr::parse_date else function(text) {
      as.Date(parse_form(text, form))
    },
    datetime = if (is.null(form)) readr::parse_datetime else function(text) {
      parse_form(text, form)
    }
  )
  text[text %in% ""] <- NA
  value <- suppressWarnings(parser(text))
  attr(value, "problems") <- NULL
  refuse <- function(row, why) {
    stop(sprintf("column `%s` has %s in line %.0f (row %d), which %s", name,
      shown(text[row]), line_of(row), row, why
    ))
  }
  rounded <- if (type == "number") which(is_rounded_whole(text, value))
  if (length(rounded)) refuse(rounded[1L], "a number would round: read it as text")
  wrong <- which(is.na(value) & !is.na(text))
  if (length(wrong)) refuse(wrong[1L], paste("is no", type))
  value
}

# Cells in a form of the analyst's, as times; what has another form, or says a day that
# doesn't exist, is missing.
parse_form <- function(text, form) {
  time <- as.POSIXct(strptime(text, form, tz = "UTC"))
  back <- strptime(format(time, form), form, tz = "UTC")
  time[is.na(back) | as.POSIXct(back) != time] <- NA
  time
}

# Whole numbers that fit the type; others are missing.
as_whole_numbers <- function(value) {
  value[is.na(value) | abs(value) > .Machine$integer.max | value != trunc(value)] <- NA
  as.integer(value)
}

# whole numbers that a double can't hold
is_rounded_whole <- function(text, value) {
  whole <- !is.na(value) & grepl("^[-+]?[0-9]+$", text)
  whole & abs(value) >= 2^53
}

# Whole numbers too big for doubles: 64-bit integers, or text where even those
# don't hold them.
parse_big <- function(text) {
  if (!requireNamespace("bit64", quietly = TRUE)) {
    return(text)
  }
  value <- suppressWarnings(bit64::as.integer64(text))
  back <- as.character(value)
  same <- is.na(text) | (!is.na(back) & back == trimws(text))
  if (all(same)) value else text
}

# 64-bit integers are of use only with their package; without it they are doubles
# where these hold them.
with_big_numbers <- function(frame) {
  if (requireNamespace("bit64", quietly = TRUE)) {
    return(frame)
  }
  for (name in names(frame)) {
    x <- .subset2(frame, name)
    if (!is_int64(x)) next
    number <- int64_double(x)
    if (any(abs(number) >= 2^53, na.rm = TRUE)) {
      need_packages("bit64", sprintf("Column `%s`", name), class = "file")
    }
    frame[[name]] <- number
  }
  frame
}

as_plain_frame <- function(x) {
  if (!is.data.frame(x)) stop("it holds no data frame")
  class(x) <- "data.frame"
  x
}

type_parsers <- c("text", "number", "integer", "logical", "date", "datetime")

check_typed_names <- function(types, names, label, call) {
  if (isTRUE(attr(types, "spare"))) {
    return()
  }
  unknown <- setdiff(names(types), names)
  if (length(unknown)) {
    stop_argument(said("`types` names a column `%s`, which %s doesn't have.",
      unknown[1L], encodeString(label, quote = "'")
    ), closest_name(unknown[1L], names), call = call)
  }
}

# How cells are read
reading_asked <- function(types = NULL, decimal = ".", missing = "NA") {
  list(types = types, decimal = decimal, missing = missing)
}

check_asked <- function(asked, call) {
  check_types(asked$types, call)
  check_choice(asked$decimal, c(".", ","), "decimal", call)
  if (!is.character(asked$missing) || anyNA(asked$missing)) {
    stop_argument(said("`missing` must be the texts of cells that mean a missing value."),
      paste("Write, for example:", setting("missing", c("NA", "-"))),
      call = call
    )
  }
}

check_types <- function(types, call) {
  if (is.null(types)) {
    return()
  }
  if (!is.character(types) || is.null(names(types))) {
    stop_argument(said("`types` must be types by column name."),
      paste("Write, for example:", setting("types", c(id = "text"))),
      call = call
    )
  }
  for (type in types) {
    if (!grepl("^(date|datetime):.+", type)) check_choice(type, type_parsers, "types", call)
  }
}

as_utc <- function(seconds) {
  structure(seconds, class = c("POSIXct", "POSIXt"), tzone = "UTC")
}
