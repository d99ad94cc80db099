# Cells of text as numbers, days and other values, where no cell changes by it.

parse_as <- function(text, type, name, decimal = ".") {
  form <- if (grepl(":", type, fixed = TRUE)) sub("^[a-z]+:", "", type)
  type <- sub(":.*", "", type)
  parser <- switch(type,
    text = return(text),
    number = function(text) parse_number(with_points(text, decimal)),
    integer = function(text) parse_whole(with_points(text, decimal)),
    logical = readr::parse_logical,
    date = if (is.null(form)) readr::parse_date else function(text) {
      as.Date(parse_form(text, form))
    },
    datetime = if (is.null(form)) readr::parse_datetime else function(text) {
      parse_form(text, form)
    }
  )
  value <- suppressWarnings(parser(text))
  wrong <- which(is.na(value) & !is.na(text))
  if (type == "number") {
    rounded <- which(is_rounded_whole(text, value))
    if (length(rounded)) {
      stop(sprintf(
        "column `%s` has %s in row %d, which a number would round: read it as text",
        name, shown(text[rounded[1L]]), rounded[1L]
      ))
    }
  }
  if (length(wrong)) {
    stop(sprintf("column `%s` has %s in row %d, which is no %s", name,
      shown(text[wrong[1L]]), wrong[1L], type
    ))
  }
  attr(value, "problems") <- NULL
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

# Numbers with a decimal comma as they are with a point; those with a point are none then
with_points <- function(text, decimal) {
  if (decimal == ".") {
    return(text)
  }
  text[grepl(".", text, fixed = TRUE)] <- "."
  chartr(",", ".", text)
}

# what `types` asks for may be written with a plus sign or leading zeros
parse_number <- function(text) {
  plain_numbers_(sub("^(-?)0+(?=[0-9])", "\\1", sub("^[+]", "", text),
    perl = TRUE
  ))$value
}

# Whole numbers that fit the type; others are missing.
parse_whole <- function(text) {
  value <- parse_number(text)
  value[is.na(value) | abs(value) > .Machine$integer.max | value != trunc(value)] <- NA
  as.integer(value)
}

# whole numbers that a double can't hold
is_rounded_whole <- function(text, value) {
  whole <- !is.na(value) & grepl("^[-+]?[0-9]+$", text)
  whole & abs(value) >= 2^53
}

# A column is of another type than text only where every cell is such a value, whole
# and unrounded.
parse_column <- function(text, decimal = ".") {
  there <- !is.na(text)
  if (!any(there)) {
    return(as.logical(text))
  }
  pointed <- with_points(text, decimal)
  numbers <- plain_numbers_(pointed)
  if (numbers$plain && !has_code_exponents(pointed, numbers)) {
    return(number_column(text, pointed, numbers))
  }
  first <- text[which(there)[1L]]
  if (first %in% flag_words) {
    flags <- match(text, flag_words)
    return(if (anyNA(flags[there])) text else flags %% 2L == 1L)
  }
  if (!grepl("^[0-9]{4}-", first)) {
    return(text)
  }
  times <- time_cells_(text)
  switch(times$kind,
    date = structure(times$value, class = "Date"),
    time = as_utc(times$value),
    other_times(text, there)
  )
}

# (TRUE at odd places)
flag_words <- c("TRUE", "FALSE", "true", "false", "True", "False")

as_utc <- function(seconds) {
  structure(seconds, class = c("POSIXct", "POSIXt"), tzone = "UTC")
}

# other forms of ISO 8601, such as those with an offset from UTC
other_times <- function(text, there) {
  value <- suppressWarnings(readr::parse_guess(text))
  attr(value, "problems") <- NULL
  is_time <- inherits(value, "Date") || inherits(value, "POSIXct")
  if (is_time && !anyNA(value[there])) value else text
}

# Whether some cell has an exponent that its number, written again, would not have: 12E4
# may be a code
has_code_exponents <- function(text, numbers) {
  if (numbers$whole) {
    return(FALSE)
  }
  at <- grep("[eE]", text)
  any(!grepl("e", sprintf("%.15g", numbers$value[at]), fixed = TRUE))
}

number_column <- function(text, pointed, numbers) {
  value <- numbers$value
  if (!numbers$whole) {
    return(if (numbers$rounded) text else value)
  }
  largest <- max(abs(value), na.rm = TRUE)
  if (largest <= .Machine$integer.max) {
    as.integer(value)
  } else if (largest < 2^53) {
    value
  } else {
    parse_big(pointed)
  }
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
