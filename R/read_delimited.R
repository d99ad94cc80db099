# Reading csv and tsv: what is wrong with the file is found before a row could
# be lost, text is read first and types are chosen after, so that blanks stay and
# no number is rounded unseen.

read_delimited <- function(path, delimiter, types, label) {
  need_packages("readr", "Reading csv and tsv", class = "file")
  check_bytes(path, delimiter)
  frame <- read_texts(path, delimiter, TRUE)
  # (a blank line is a missing value where there is one column)
  if (length(frame) == 1L) frame <- read_texts(path, delimiter, FALSE)
  problems <- readr::problems(frame)
  if (nrow(problems)) {
    first <- problems[1L, ]
    stop(sprintf("line %d has %s where %s were expected", first$row,
      first$actual, first$expected
    ))
  }
  columns <- lapply(seq_along(frame), function(k) .subset2(frame, k))
  names(columns) <- names(frame)
  if (!length(columns)) stop("it is empty")
  check_encoding(columns)
  unknown <- setdiff(names(types), names(columns))
  if (length(unknown)) {
    stop_argument(sprintf("`types` names a column `%s`, which %s doesn't have.",
      unknown[1L], encodeString(label, quote = "'")
    ), closest_name(unknown[1L], names(columns)), call = quote(read_frame()))
  }
  columns <- Map(function(text, name) {
    if (nzchar(name) && name %in% names(types)) {
      parse_as(text, types[[name]], name)
    } else {
      parse_column(text)
    }
  }, columns, names(columns))
  as_base_frame(columns, nrow(frame))
}

read_texts <- function(path, delimiter, skip_empty) {
  suppressWarnings(readr::read_delim(path,
    delim = delimiter, col_types = readr::cols(.default = "c"),
    trim_ws = FALSE, progress = FALSE, show_col_types = FALSE,
    name_repair = "minimal", quote = "\"", escape_double = TRUE,
    skip_empty_rows = skip_empty
  ))
}

# action(bytes, number of bytes before them) for a file, in pieces
for_bytes <- function(path, action) {
  con <- file(path, "rb")
  on.exit(close(con))
  before <- 0
  while (length(bytes <- readBin(con, raw(), 1e7))) {
    action(bytes, before)
    before <- before + length(bytes)
  }
}

# Stops at a byte 0, which no text has, and at a quote that is opened and never
# closed, which would swallow the rows behind it. A quote inside a field that
# began without one is a character like others.
check_bytes <- function(path, delimiter = NULL) {
  scan <- scan_start
  separator <- if (is.null(delimiter)) -1L else utf8ToInt(delimiter)
  for_bytes(path, function(bytes, before) {
    if (before == 0) {
      marks <- as.integer(bytes[1:2])
      if (identical(sort(marks), c(254L, 255L))) {
        stop("it is in UTF-16; save it as UTF-8")
      }
      if (identical(bytes[1:3], as.raw(c(0xef, 0xbb, 0xbf)))) {
        bytes[1:3] <- charToRaw("\r")  # a byte-order mark
      }
    }
    scan <<- scan_bytes_(bytes, separator, scan)
    if (scan[["zero"]] > 0) {
      stop(sprintf(
        "byte %.0f is 0, which no text has; it is damaged, or no text file",
        before + scan[["zero"]]
      ))
    }
  })
  if (scan[["inside"]] && !is.null(delimiter)) {
    stop(sprintf("the quote opened in line %.0f is never closed",
      scan[["opened"]]
    ))
  }
}

# what scan_bytes_() knows at the start of a file
scan_start <- c(inside = 0, last = 10, closed = 0, line = 1, opened = 0, zero = 0)

check_encoding <- function(columns) {
  wrong <- which(!validUTF8(names(columns)))
  if (length(wrong)) {
    stop(sprintf("the name of column %d is not UTF-8; save it as UTF-8", wrong[1L]))
  }
  for (k in seq_along(columns)) {
    wrong <- which(!validUTF8(columns[[k]]))
    if (length(wrong)) {
      stop(sprintf("column `%s` has text in row %d that is not UTF-8; %s",
        names(columns)[k], wrong[1L], "save it as UTF-8"
      ))
    }
  }
}

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
