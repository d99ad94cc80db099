# Reading csv and tsv. Cells come as texts (file_texts.R); a column of them becomes one of
# another type where none of its texts would change by it.

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
    types <- setting("types", structure("text", names = names[kept[1L]]))
    say_classed("note", c(lines, sprintf("Where that is right, %s says so.", types)))
  }
}

cell_words <- c(
  flag = "TRUE or FALSE", number = "plain number", date = "day such as 2031-05-01",
  time = "time such as 2031-05-01 10:05"
)
