# Reading csv and tsv. Cells come as texts from R's own scan() where there are few of them
# (loading readr takes longer than reading a small file), from readr where there are many;
# a column of them becomes one of another type where none of its texts would change by it.

read_delimited <- function(path, delimiter, asked, label, call) {
  check_first_line(path, delimiter)
  head <- text_head(path, delimiter)
  names <- head$names
  check_typed_names(asked$types, names, label, call)
  pieces <- text_rows(path, head, limit = most_file_bytes())
  rows <- sum(pieces$rows)
  line_of <- function(row) line_of_row(path, head, pieces, row)
  form <- list(
    delimiter = delimiter, columns = length(names), missing = asked$missing,
    blank = head$above + sum(pieces$blank) > 0
  )
  cells <- read_cells(path, head, form, rows, line_of)
  check_texts(cells, names, pieces$ascii, line_of)
  columns <- typed_columns(cells, names, asked, line_of)
  names(columns) <- names
  as_base_frame(columns, rows)
}

# The texts of a whole file below its names, as many rows of them as its bytes have
read_cells <- function(path, head, form, rows, line_of) {
  above <- if (head$blank_is_row) head$above + 1 else 1
  few <- are_few(rows, form)
  texts <- cells_of(path, if (few) file_bytes(path), form, few, function(row) {
    if (row <= above) head$lines else line_of(row - above)
  })
  texts <- lapply(texts, function(text) text[-seq_len(above)])
  check_row_count(texts, rows)
  texts
}

check_row_count <- function(texts, rows) {
  found <- unique(lengths(texts))
  if (!identical(as.double(found), rows)) {
    stop(sprintf("%.0f rows were found, and %s read", rows, listed(found, "and")))
  }
}

# up to so many cells are read and written by R's own functions
few_cells <- 1e5

# (where it leaves out blank lines, readr leaves out rows of tabs alone, too)
are_few <- function(rows, form) {
  rows * form$columns <= few_cells_option(few_cells) || form$blank && form$delimiter == "\t"
}

# The cells of `file` (its path, or bytes) as texts, column by column. `form`:
# list(delimiter, columns, missing, blank: whether there are blank lines). A row of another
# number of cells is an error that names its line.
cells_of <- function(file, bytes, form, few, line_of) {
  if (few && is_plain_text(bytes, form$delimiter)) {
    scan_cells(bytes, form, line_of)
  } else {
    read_many_cells(file, form, line_of)
  }
}

# the cells of one row, however many they are
cells_of_row <- function(bytes, delimiter) {
  form <- list(delimiter = delimiter, missing = character(), blank = TRUE)
  if (is_plain_text(bytes, delimiter)) {
    return(scan_texts(bytes, "", form))
  }
  vapply(read_many_texts(bytes, FALSE, form), `[[`, "", 1L)
}

# Whether all readers read it alike: no carriage returns alone or beside quotes, quotes only
# around whole cells and doubled inside, and no line of blanks
is_plain_text <- function(bytes, delimiter) {
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

without_mark <- function(bytes) {
  if (identical(bytes[1:3], byte_mark)) bytes[-(1:3)] else bytes
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

check_texts <- function(cells, names, ascii, line_of) {
  if (all(ascii)) {
    return()
  }
  for (k in seq_along(cells)) {
    wrong <- which(!validUTF8(cells[[k]]))
    if (length(wrong)) {
      stop(sprintf("column `%s` has text in line %.0f that is not UTF-8; save it as UTF-8",
        names[k], line_of(wrong[1L])
      ))
    }
  }
}

# Columns of texts, each of the type that was asked for, else of the one that it has
typed_columns <- function(cells, names, asked, line_of) {
  is_asked <- nzchar(names) & names %in% names(asked$types)
  found <- lapply(seq_along(cells), function(k) {
    if (!is_asked[k]) values_of_texts_(cells[[k]], asked$decimal)
  })
  say_kept_as_text(found, cells, names, line_of)
  lapply(seq_along(cells), function(k) {
    if (is_asked[k]) {
      parse_as(cells[[k]], asked$types[[names[k]]], names[k], asked$decimal, line_of)
    } else {
      as_typed_column(found[[k]], cells[[k]])
    }
  })
}

# (64-bit integers are texts where the package is missing that gives them a meaning)
as_typed_column <- function(found, text) {
  switch(found$type,
    empty = rep(NA, length(text)),
    text = text,
    int64 = if (requireNamespace("bit64", quietly = TRUE)) found$values else text,
    found$values
  )
}

# What is text for the sake of a few cells is said, once.
say_kept_as_text <- function(found, cells, names, line_of) {
  kept <- which(vapply(found, function(column) {
    !is.null(column) && column$type == "text" && column$most != "text" &&
      column$others > 0 && column$others <= max(1, column$there / 10)
  }, NA))
  lines <- vapply(kept, function(k) {
    column <- found[[k]]
    sprintf("Column `%s` is kept as text: %s of %s %s no %s; line %.0f has %s.",
      names[k], with_commas(column$others), counted(column$there, "cell"),
      if (column$others == 1) "is" else "are", cell_words[[column$most]],
      line_of(column$odd), shown(cells[[k]][column$odd])
    )
  }, "")
  if (length(lines)) {
    say_classed("note", c(lines, sprintf(
      "Where that is right, types = c(%s = \"text\") says so.", name_code(names[kept][1L])
    )))
  }
}

cell_words <- c(
  flag = "TRUE or FALSE", number = "plain number", date = "day such as 2031-05-01",
  time = "time such as 2031-05-01 10:05"
)
