# Reading csv and tsv. Cells come as texts (file_texts.R); a column of them becomes one of
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
  # (a row of names above; of one column blank lines, too)
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
    # (each column of texts is let go of when its values are there)
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
    # (64-bit integers are texts where the package is missing that gives them a meaning)
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

# Namibia, not a missing value? Of columns of two-letter codes some of which are missing it
# is said, once.
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
