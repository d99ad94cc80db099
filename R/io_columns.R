# Reading csv and tsv. Cells come as texts (io_text.R); a column of them becomes one of
# another type where none of its texts would change by it.

read_delimited <- function(path, usual, asked, label, call) {
  copy <- tempfile("ronda-text-")
  on.exit(unlink(paste0(copy, c("", "8", "s"))))
  check_first_line(path, usual)
  asked <- asked_of_first_line(path, asked)
  plain <- plain_text(path, asked, copy)
  path <- plain$path
  asked$skipped <- asked$skip
  asked[c("encoding", "skip")] <- list(NULL)
  head <- text_head(path, asked, usual)
  names <- head$names
  check_typed_names(asked$types, names, label, call)
  pieces <- text_rows(path, head, asked, limit = most_file_bytes())
  rows <- sum(pieces$rows)
  line_of <- function(row) line_of_row(path, head, pieces, row)
  check_skipped(plain$skipped, head, pieces)
  # The first row has the names. With one column, blank lines are rows, too.
  above <- if (head$blank_is_row) head$above + 1 else 1
  form <- list(
    delimiter = head$delimiter, quote = head$quote, line_end = head$line_end,
    columns = head$columns, rows = rows + above, missing = asked$missing, asked = asked,
    hint = head$hint, blank = head$above + sum(pieces$blank) > 0, size = pieces$to[nrow(pieces)]
  )
  of_row <- function(row) if (row <= above) head$lines else line_of(row - above)
  # The bytes are only read where cells are few.
  cells <- if (length(head$names_there) < head$columns) {
    cells_below_names(file_bytes(path), head, form, of_row)
  } else {
    cells_of(path, file_bytes(path), form, of_row)
  }
  if (head$ends_in_separator) cells <- without_last(cells, of_row)
  asked$marks <- possible_marks(asked$decimal, head$delimiter)
  marks <- decimal_marks(cells, asked$marks, above)
  found <- vector("list", length(names))
  for (k in seq_along(names)) {
    # Each column of texts is freed once its values are there.
    text <- cells[[k]]
    cells[k] <- list(NULL)
    check_texts(text, names[k], pieces$ascii, of_row, asked)
    found[[k]] <- typed_column(text, names[k], asked, marks[k], above, line_of)
  }
  say_what_was_read(found, marks, head, line_of, rows, asked, label)
  columns <- lapply(found, `[[`, "values")
  names(columns) <- names
  as_base_frame(columns, rows)
}

# In a file of one column a blank line is a row, so that a line in its middle can't be blank.
check_skipped <- function(skipped, head, pieces) {
  if (head$blank_is_row && any(skipped > head$lines)) {
    stop_unread(sprintf("%s names line %.0f, and in a file of one column only lines %s",
      argument_said("skip"), skipped[skipped > head$lines][1L],
      "above the names and at the end can be left out"
    ))
  }
}

# The cells where the rows end in a separator and the names do not: those of the names, then
# those of the rows
cells_below_names <- function(bytes, head, form, line_of) {
  form$rows <- form$rows - 1
  rows <- bytes[-seq_len(head$size)]
  cells <- if (form$rows) cells_of(rows, rows, form, function(row) line_of(row + 1)) else {
    rep(list(character()), form$columns)
  }
  Map(c, c(head$names_there, ""), cells, USE.NAMES = FALSE)
}

# Cells without the last column, in which there is nothing
without_last <- function(cells, line_of) {
  last <- length(cells)
  there <- which(!is.na(cells[[last]]) & nzchar(cells[[last]]))
  if (length(there)) {
    stop_unread(sprintf("line %.0f has %s in column %d, which has no name",
      line_of(there[1L]), shown(cells[[last]][there[1L]]), last
    ))
  }
  cells[-last]
}

check_texts <- function(text, name, ascii, line_of, asked) {
  wrong <- if (!all(ascii)) which(!validUTF8(text))
  if (length(wrong)) {
    stop_not_utf8(sprintf("column `%s` has text in line %.0f that", name, line_of(wrong[1L])),
      text[wrong[1L]], asked
    )
  }
}

# A column of texts, without those `above`, as the type that was asked for, else as the one
# that it has: values_of_texts_() with `values`. `mark`: before decimals; NA leaves it text
typed_column <- function(text, name, asked, mark, above, line_of) {
  below <- function() if (above) text[-seq_len(above)] else text
  if (nzchar(name) && name %in% names(asked$types)) {
    mark <- if (is.na(mark)) "." else mark
    values <- parse_as(below(), asked$types[[name]], name, mark, line_of, asked)
    return(list(type = "asked", others = 0, values = values))
  }
  if (is.na(mark)) {
    return(list(type = "text", others = 0, most = "text", values = below()))
  }
  found <- values_of_texts_(text, mark, above)
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

# The marks that numbers may have before decimals: where nobody says it, a comma goes with
# semicolons.
possible_marks <- function(decimal, delimiter) {
  if (!is.null(decimal)) decimal else c(".", if (delimiter == ";") ",")
}

# The mark of each column, of those that are possible
decimal_marks <- function(cells, marks, above) {
  if (length(marks) == 1L) {
    return(rep(marks, length(cells)))
  }
  marks_of_types(lapply(stats::setNames(nm = marks), function(mark) {
    vapply(cells, function(text) values_of_texts_(text, mark, above)$type, "")
  }))
}

# The mark of each column, from the types that it has by each: a comma where it makes numbers
# of what else is text. Beside such columns, one whose numbers have points stays text (NA): the
# points may be marks between thousands.
marks_of_types <- function(types) {
  if (length(types) == 1L) {
    return(rep(names(types), length(types[[1L]])))
  }
  is_number <- lapply(types, `%in%`, c("integer", "number", "int64"))
  commas <- is_number[[","]] & !is_number[["."]]
  marks <- ifelse(commas, ",", ".")
  if (any(commas)) marks[is_number[["."]] & !is_number[[","]]] <- NA
  marks
}
