# Texts as values, and values as texts: the cells of text files.

# Types: those that were asked for, and what files without them are read as.

# `line_of(row)` gives the line of the file that a row begins on
parse_as <- function(text, type, name, decimal, line_of, asked = NULL) {
  form <- if (grepl(":", type, fixed = TRUE)) sub("^[a-z]+:", "", type)
  type <- sub(":.*", "", type)
  if (type == "logical" || type %in% c("date", "datetime") && is.null(form)) {
    need_packages("readr", sprintf("Reading cells as %s", type), class = "file")
  }
  parser <- switch(type,
    text = return(text),
    number = function(text) numbers_(without_thousands(text, decimal), decimal),
    integer = function(text) {
      as_whole_numbers(numbers_(without_thousands(text, decimal), decimal))
    },
    logical = readr::parse_logical,
    date = if (is.null(form)) parse_days else function(text) as.Date(parse_form(text, form)),
    datetime = if (is.null(form)) readr::parse_datetime else function(text) {
      parse_form(text, form)
    }
  )
  text[text %in% ""] <- NA
  value <- suppressWarnings(parser(text))
  is_number <- type %in% c("number", "integer")
  if (is_number && "," %in% asked$marks && any(is.na(value) & !is.na(text))) {
    # A decimal comma is possible, and marks between thousands hid that there is one.
    decimal <- ","
    commas <- suppressWarnings(parser(text))
    if (!any(is.na(commas) & !is.na(text))) value <- commas
  }
  attr(value, "problems") <- NULL
  refuse <- function(row, why) {
    line <- line_of(row)
    stop_unread(
      sprintf("column `%s` has %s in line %.0f (row %d), which %s", name,
        shown(text[row]), line, row, why
      ),
      if (!is.null(asked)) cures_of_cell(text[row], type, name, line, asked)
    )
  }
  rounded <- if (type == "number") which(is_rounded_whole(text, value))
  if (length(rounded)) refuse(rounded[1L], "a number would round: read it as text")
  wrong <- which(is.na(value) & !is.na(text))
  if (length(wrong)) refuse(wrong[1L], paste("is not", type_phrase[[type]]))
  value
}

type_phrase <- c(
  number = "a number", integer = "an integer", logical = "TRUE or FALSE", date = "a date",
  datetime = "a date-time"
)

# What may cure a cell that is not of its type
cures_of_cell <- function(text, type, name, line, asked) {
  forms <- if (type %in% c("date", "datetime")) day_forms(text)
  c(
    if (type == "number" && is.null(asked$decimal) && grepl("^[-+]?[0-9.]+,[0-9]+$", text)) {
      paste("If it has a decimal comma:", reading_setting(asked, "decimal", ","))
    },
    if (length(forms)) {
      paste("If it is a day:", reading_setting(asked, "types",
        structure(forms[1L], names = name)
      ))
    },
    if (!grepl("[0-9]", text)) {
      paste("If it means a missing value:",
        reading_setting(asked, "missing", c(asked$missing, text))
      )
    },
    paste("If that line holds no row:", reading_setting(asked, "skip", line))
  )
}

# numbers without the marks between their thousands, where all of them stand right
without_thousands <- function(text, decimal) {
  mark <- if (decimal == ",") "[.]" else ","
  at <- grep(thousands_pattern(mark, decimal), text)
  text[at] <- gsub(sprintf("%s|['\u00a0 ]", mark), "", text[at])
  text
}

thousands_pattern <- function(mark, decimal) {
  sprintf("^[-+]?[0-9]{1,3}(?:(?:%s[0-9]{3})+|(?:['\u00a0 ][0-9]{3})+)(?:[%s][0-9]+)?$", mark,
    decimal
  )
}

# Days; of a time its day, in UTC
parse_days <- function(text) {
  days <- readr::parse_date(text)
  times <- which(is.na(days) & !is.na(text))
  days[times] <- as.Date(readr::parse_datetime(text[times]))
  days
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

check_typed_names <- function(types, names, label, call) {
  if (isTRUE(attr(types, "spare"))) {
    return()
  }
  unknown <- setdiff(names(types), names)
  if (length(unknown)) {
    stop_argument(said("`types` names a column `%s`, which %s doesn't have.",
      unknown[1L], encodeString(label, quote = "'")
    ), columns_hint(unknown[1L], names), call = call)
  }
}

as_utc <- function(seconds) {
  structure(seconds, class = c("POSIXct", "POSIXt"), tzone = "UTC")
}

# Values as texts --------------------------------------------------------------------

# Columns as the cells of text files.

# Columns as text files hold them: times with all of their fractions, in UTC (what
# others write of them is cut to seconds, or says no zone), 64-bit integers by their
# digits, whether their package is loaded or not, factors by their labels, durations as
# numbers.
as_written <- function(frame) {
  for (k in seq_along(frame)) frame[[k]] <- written_column(.subset2(frame, k))
  frame
}

written_column <- function(x) {
  type <- object_type(x)
  if (is.null(type)) x else type$cell(x)
}

# A frame as the cells of a text file: numbers of as few digits as give them back, texts
# in quotes where they need them
as_cells <- function(frame, delimiter) {
  for (k in seq_along(frame)) {
    x <- .subset2(frame, k)
    written <- written_column(x)
    frame[[k]] <- if (is.character(x) || is.factor(x)) {
      quoted_texts(written, delimiter)
    } else if (is.double(written) && !is.object(written)) {
      number_cells(written)
    } else {
      written
    }
  }
  # A blank line would not count as a row.
  if (length(frame) == 1L) frame[[1L]][is.na(frame[[1L]])] <- "NA"
  names(frame) <- quoted_texts(names(frame), delimiter, is_name = TRUE)
  frame
}

# Texts in quotes where they hold a delimiter, a quote or a line break, or would be taken
# for a missing value (by readers that ask quotes; read_frame() doesn't)
quoted_texts <- function(texts, delimiter, is_name = FALSE) {
  texts <- enc2utf8(texts)
  # Each different text is looked at once.
  different <- unique(texts)
  needed <- grepl(sprintf("[%s\"\r\n]", delimiter), different, useBytes = TRUE)
  needed <- needed | if (is_name) {
    # A header of blanks would be lost, and a file may begin with a byte-order mark.
    grepl("^[ \t]*$", different) | startsWith(different, "\ufeff")
  } else {
    different %in% c("", "NA")
  }
  if (!any(needed)) {
    return(texts)
  }
  different <- different[needed]
  quoted <- gsub("\"", "\"\"", different, fixed = TRUE, useBytes = TRUE)
  quoted <- paste0("\"", quoted, "\"")
  Encoding(quoted) <- "UTF-8"
  at <- match(texts, different)
  there <- which(!is.na(at))
  texts[there] <- quoted[at[there]]
  texts
}

number_cells <- function(x) {
  text <- shortest_texts_(x)
  odd <- which(is.infinite(x) | is.nan(x))
  text[odd] <- as.character(x[odd])
  text
}

# The types that read days in a form of their own: "date:%d/%m/%Y", "date:%m/%d/%Y", or both
day_forms <- function(texts) {
  if (!length(texts) || !all(grepl("^[0-9]+[./-][0-9]", texts))) {
    return(character())
  }
  vapply(time_forms_of(texts), function(form) {
    paste0(if (form$has_time) "datetime:" else "date:", sub("%OS", "%S", form$format))
  }, "")
}
