# The cells of csv and tsv as texts: from R's own scan() where there are few of them (loading
# readr takes longer than reading a small file), from readr where there are many.

# up to so many cells, in as many bytes, are read by R's own functions
few_cells <- 1e5

few_bytes <- 1e8

# (where it leaves out blank lines, readr leaves out rows of tabs alone, too)
are_few <- function(form) {
  few <- form$rows * form$columns <= few_cells_option(few_cells)
  (few || form$blank && form$delimiter == "\t") && form$size <= few_bytes
}

# The cells of `file` (its path, or bytes) as texts, column by column; `bytes` is only looked
# at where they are few. `form`: list(delimiter, columns, rows, missing, size (bytes), blank:
# whether there are blank lines). A row of another number of cells is an error that names its
# line, and so is another number of rows.
cells_of <- function(file, bytes, form, line_of) {
  few <- are_few(form) && is_plain_text(bytes, form$delimiter)
  texts <- if (few) scan_cells(bytes, form, line_of) else read_many_cells(file, form, line_of)
  rows <- unique(lengths(texts))
  if (!identical(as.double(rows), as.double(form$rows))) {
    stop(sprintf("%.0f rows were found, and %s read", form$rows, listed(rows, "and")))
  }
  texts
}

# the cells of one row, however many they are
cells_of_row <- function(bytes, delimiter) {
  form <- list(delimiter = delimiter, missing = character(), blank = TRUE)
  if (is_plain_text(bytes, delimiter)) {
    return(scan_texts(bytes, "", form))
  }
  vapply(read_many_texts(bytes, FALSE, form), `[[`, "", 1L)
}

# Whether all readers read it alike: no second byte-order mark, no carriage returns alone or
# beside quotes, quotes only around whole cells and doubled inside, and no line of blanks
is_plain_text <- function(bytes, delimiter) {
  # (scan() takes a mark out of the first cell, too)
  if (length(grepRaw(byte_mark, without_mark(bytes)[1:4], fixed = TRUE))) {
    return(FALSE)
  }
  blanks <- if (delimiter == "\t") " " else "[ \t]"
  if (length(grepRaw(sprintf("(^|\n)%s+\r?(\n|$)|\r[^\n]", blanks), bytes))) {
    return(FALSE)
  }
  if (!any(bytes == charToRaw("\""))) {
    return(TRUE)
  }
  if (any(bytes == charToRaw("\r"))) {
    return(FALSE)
  }
  cell <- sprintf("(^|[%s\n])\"(?:[^\"]++|\"\")*+\"(?=[%s\n]|$)", delimiter, delimiter)
  rest <- gsub(cell, "\\1", rawToChar(without_mark(bytes)), perl = TRUE, useBytes = TRUE)
  !grepl("\"", rest, fixed = TRUE)
}

# (`what`: "" for all cells of all rows, else list("", ...), one for each column)
scan_texts <- function(bytes, what, form) {
  con <- rawConnection(without_mark(bytes))
  on.exit(close(con))
  scan(con, what,
    sep = form$delimiter, quote = "\"", na.strings = c("", form$missing), quiet = TRUE,
    blank.lines.skip = length(what) > 1L || is.character(what),
    multi.line = is.character(what)
  )
}

scan_cells <- function(bytes, form, line_of) {
  columns <- form$columns
  con <- rawConnection(without_mark(bytes))
  cells <- utils::count.fields(con,
    sep = form$delimiter, quote = "\"", blank.lines.skip = columns > 1L, comment.char = ""
  )
  close(con)
  # (of a row of several lines the last one has the number)
  cells <- cells[!is.na(cells)]
  wrong <- which(if (columns == 1L) cells > 1L else cells != columns)
  if (length(wrong)) stop_ragged(line_of(wrong[1L]), cells[wrong[1L]], columns)
  texts <- scan_texts(bytes, rep(list(""), columns), form)
  lapply(texts, function(text) {
    Encoding(text) <- "UTF-8"
    text
  })
}

stop_ragged <- function(line, cells, columns) {
  stop(sprintf("line %.0f has %s where %s were expected", line, counted(cells, "column"),
    counted(columns, "column")
  ))
}

read_many_cells <- function(file, form, line_of) {
  need_packages("readr", "Reading csv and tsv", class = "file")
  columns <- form$columns
  frame <- read_many_texts(file, as.character(seq_len(columns)), form)
  if (length(frame) != columns) stop_ragged(line_of(1), length(frame), columns)
  odd <- readr::problems(frame)
  if (nrow(odd)) stop_ragged(line_of(odd$row[1L]), odd$col[1L], columns)
  lapply(seq_along(frame), function(k) .subset2(frame, k))
}

# (blank lines are left out only where there are any: see are_few())
read_many_texts <- function(file, names, form) {
  suppressWarnings(readr::read_delim(file,
    delim = form$delimiter, col_types = readr::cols(.default = readr::col_character()),
    col_names = names, na = c("", form$missing), trim_ws = FALSE, progress = FALSE,
    show_col_types = FALSE, quote = "\"", escape_double = TRUE, lazy = FALSE,
    skip_empty_rows = form$blank && !identical(form$columns, 1L), name_repair = "minimal"
  ))
}

byte_mark <- as.raw(c(0xef, 0xbb, 0xbf))

without_mark <- function(bytes) {
  if (identical(bytes[1:3], byte_mark)) bytes[-(1:3)] else bytes
}
