# Reading csv and tsv. Cells come as texts (io_text.R); a column of them becomes one of
# another type where none of its texts would change by it.

read_delimited <- function(path, delimiter, asked, label, call) {
  check_first_line(path, delimiter)
  if (is_gz(path)) {
    plain <- tempfile()
    on.exit(unlink(plain))
    unpack(path, plain)
    path <- plain
  }
  head <- text_head(path, delimiter)
  names <- head$names
  check_typed_names(asked$types, names, label, call)
  pieces <- text_rows(path, head, limit = most_file_bytes())
  rows <- sum(pieces$rows)
  line_of <- function(row) line_of_row(path, head, pieces, row)
  # The first row has the names. With one column, blank lines are rows, too.
  above <- if (head$blank_is_row) head$above + 1 else 1
  form <- list(
    delimiter = delimiter, columns = length(names), rows = rows + above,
    missing = asked$missing, blank = head$above + sum(pieces$blank) > 0,
    size = pieces$to[nrow(pieces)]
  )
  cells <- cells_of(path, file_bytes(path), form, function(row) {
    if (row <= above) head$lines else line_of(row - above)
  })
  found <- vector("list", length(names))
  for (k in seq_along(names)) {
    # Each column of texts is freed once its values are there.
    text <- cells[[k]]
    cells[k] <- list(NULL)
    check_texts(text, names[k], pieces$ascii, function(row) line_of(row - above))
    found[[k]] <- typed_column(text, names[k], asked, above, line_of)
  }
  say_kept_as_text(found, names, line_of)
  if ("NA" %in% asked$missing) say_codes(found, names, label)
  columns <- lapply(found, `[[`, "values")
  names(columns) <- names
  as_base_frame(columns, rows)
}

check_texts <- function(text, name, ascii, line_of) {
  wrong <- if (!all(ascii)) which(!validUTF8(text))
  if (length(wrong)) {
    stop(sprintf("column `%s` has text in line %.0f that is not UTF-8; save it as UTF-8",
      name, line_of(wrong[1L])
    ))
  }
}

# A column of texts, without those `above`, as the type that was asked for, else as the one
# that it has: values_of_texts_() with `values`
typed_column <- function(text, name, asked, above, line_of) {
  below <- function() if (above) text[-seq_len(above)] else text
  if (nzchar(name) && name %in% names(asked$types)) {
    values <- parse_as(below(), asked$types[[name]], name, asked$decimal, line_of)
    return(list(type = "asked", others = 0, values = values))
  }
  found <- values_of_texts_(text, asked$decimal, above)
  if (found$odd) found$odd_text <- text[above + found$odd]
  found["values"] <- list(switch(found$type,
    empty = rep(NA, length(text) - above),
    text = below(),
    # Without the package that reads 64-bit integers they stay text.
    int64 = if (requireNamespace("bit64", quietly = TRUE)) found$values else below(),
    found$values
  ))
  found
}

# What is text for the sake of a few cells is said, once.
say_kept_as_text <- function(found, names, line_of) {
  kept <- which(vapply(found, function(column) {
    column$type == "text" && column$others > 0 && column$most != "text" &&
      column$others <= max(1, column$there / 10)
  }, NA))
  lines <- vapply(kept, function(k) {
    column <- found[[k]]
    sprintf("Column `%s` is kept as text: %s of %s %s; line %.0f has %s.",
      names[k], with_commas(column$others), counted(column$there, "cell"),
      sprintf(if (column$others == 1) "is not %s" else "are not %s",
        cell_words[[column$most]][if (column$others == 1) 1L else 2L]
      ),
      line_of(column$odd), shown(column$odd_text)
    )
  }, "")
  if (length(lines)) {
    types <- setting("types", structure("text", names = names[kept[1L]]))
    say_classed("note", c(lines, sprintf("Where that is right, %s says so.", types)))
  }
}

# NA may be Namibia: in a column of two-letter codes with missing values this is said once.
say_codes <- function(found, names, label) {
  codes <- which(vapply(found, function(column) {
    is.character(column$values) && anyNA(column$values) && {
      values <- unique(column$values[!is.na(column$values)])
      length(values) > 1L && all(grepl("^[A-Z]{2}$", values))
    }
  }, NA))
  if (length(codes)) {
    say_classed("note", c(
      sprintf("%s of %s %s two-letter codes, and a cell NA means missing there.",
        ticked(names[codes]), encodeString(label, quote = "'"),
        if (length(codes) == 1L) "holds" else "hold"
      ),
      sprintf("If NA is a code, write: %s", setting("missing", ""))
    ))
  }
}

# one of them, and several
cell_words <- list(
  flag = c("TRUE or FALSE", "TRUE or FALSE"), number = c("a plain number", "plain numbers"),
  date = c("a day such as 2031-05-01", "days such as 2031-05-01"),
  time = c("a time such as 2031-05-01 10:05", "times such as 2031-05-01 10:05")
)

# Texts as values --------------------------------------------------------------------

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
  needed <- grepl(sprintf("[%s\"\r\n]", delimiter), texts, useBytes = TRUE)
  needed <- needed | if (is_name) {
    # A header of blanks would be lost, and a file may begin with a byte-order mark.
    grepl("^[ \t]*$", texts) | startsWith(texts, "\ufeff")
  } else {
    texts %in% c("", "NA")
  }
  quoted <- gsub("\"", "\"\"", texts[needed], fixed = TRUE, useBytes = TRUE)
  texts[needed] <- paste0("\"", quoted, "\"")
  Encoding(texts) <- "UTF-8"
  texts
}

number_cells <- function(x) {
  text <- shortest_texts_(x)
  odd <- which(is.infinite(x) | is.nan(x))
  text[odd] <- as.character(x[odd])
  text
}
