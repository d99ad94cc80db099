# Cells of text as numbers, days and other values, where no cell changes by it.

parse_as <- function(text, type, name) {
  parser <- switch(type,
    text = return(text),
    number = parse_number,
    integer = parse_whole,
    logical = readr::parse_logical,
    date = readr::parse_date,
    datetime = readr::parse_datetime
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
parse_column <- function(text) {
  there <- !is.na(text)
  if (!any(there)) {
    return(as.logical(text))
  }
  numbers <- plain_numbers_(text)
  if (numbers$plain) {
    return(number_column(text, numbers))
  }
  value <- suppressWarnings(readr::parse_guess(text))
  attr(value, "problems") <- NULL
  kept <- is.character(value) || is.numeric(value) || inherits(value, "hms") ||
    anyNA(value[there])
  if (!kept && is.logical(value)) {
    words <- c("TRUE", "FALSE", "true", "false", "True", "False")
    kept <- !all(text[there] %in% words)
  }
  if (kept) text else value
}

number_column <- function(text, numbers) {
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
    parse_big(text)
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
