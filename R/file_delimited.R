# Reading csv and tsv. The engine looks at every cell once: what is wrong with the file
# is found before a row could be lost, each column gets its type, and numbers, days and
# times are read there to the last digit. Texts are read by readr, few of them by R's own
# scan(): it takes longer to load readr than to read a small file.

read_delimited <- function(path, delimiter, types, decimal, label, call) {
  check_first_line(path, delimiter)
  bytes <- file_bytes(path)
  found <- read_delimited_(bytes, delimiter, decimal, as.character(names(types)))
  names <- found$names
  stop_at_fault(found$fault, names)
  if (!length(names)) stop("it is empty")
  check_typed_names(types, names, label, call)
  is_text <- vapply(found$columns, function(column) column$type == "text", NA)
  columns <- lapply(found$columns, as_typed_column, rows = found$rows)
  if (any(is_text)) {
    cells <- cells_of_columns_(bytes, delimiter, which(is_text))
    # (what is large is let go of before others make their own)
    if (length(bytes) > 1e7) {
      bytes <- NULL
      gc(FALSE)
    }
    columns[is_text] <- read_texts(cells, delimiter, found, is_text)
  }
  names(columns) <- names
  asked <- nzchar(names) & names %in% names(types)
  line_of <- function(row) line_of_row_(file_bytes(path), delimiter, row)
  columns[asked] <- Map(function(text, name) {
    parse_as(text, types[[name]], name, decimal, line_of)
  }, columns[asked], names[asked])
  say_kept_as_text(found$columns[!asked], names[!asked])
  as_base_frame(columns, found$rows)
}

stop_at_fault <- function(fault, names) {
  switch(fault$fault,
    utf16 = stop("it is in UTF-16; save it as UTF-8"),
    zero = stop_zero_byte(fault$byte),
    unclosed = stop(sprintf("the quote opened in line %.0f is never closed", fault$line)),
    ragged = stop(sprintf("line %.0f has %s where %s were expected", fault$line,
      counted(fault$cells, "column"), counted(length(names), "column")
    )),
    encoding = stop(sprintf(
      "column `%s` has text in line %.0f that is not UTF-8; save it as UTF-8",
      names[fault$column], fault$line
    ))
  )
  wrong <- which(!validUTF8(names))
  if (length(wrong)) {
    stop(sprintf("the name of column %d is not UTF-8; save it as UTF-8", wrong[1L]))
  }
}

# a column that is no text (64-bit integers are texts where the package is missing that
# gives them a meaning)
as_typed_column <- function(column, rows) {
  switch(column$type,
    empty = rep(NA, rows),
    int64 = if (requireNamespace("bit64", quietly = TRUE)) column$values else {
      int64_text(column$values)
    },
    column$values
  )
}

# The text columns of a file, which whoever reads them gets as a file of these cells
# alone. Quoted cells that are empty, or NA, are taken for missing: the engine has told
# which these are.
read_texts <- function(cells, delimiter, found, is_text) {
  columns <- found$columns[is_text]
  if (!found$rows) {
    return(rep(list(character()), length(columns)))
  }
  file <- tempfile(fileext = ".csv")
  on.exit(unlink(file))
  writeBin(cells, file)
  few <- found$rows * length(columns) <= few_cells_option(few_cells) &&
    is_plainly_quoted_(cells, delimiter)
  texts <- if (few) {
    scan_texts(file, delimiter, length(columns))
  } else {
    read_many_texts(file, delimiter, length(columns))
  }
  rows <- unique(lengths(texts))
  if (length(texts) != length(columns) || !identical(as.double(rows), found$rows)) {
    stop(sprintf("%.0f rows were found, and %s read", found$rows, listed(rows, "and")))
  }
  Map(function(text, column) {
    if (length(column$empty_texts)) text[column$empty_texts] <- ""
    if (length(column$na_texts)) text[column$na_texts] <- "NA"
    text
  }, texts, columns)
}

# up to so many cells are read and written by R's own functions
few_cells <- 1e5

scan_texts <- function(file, delimiter, columns) {
  texts <- scan(file, rep(list(""), columns),
    sep = delimiter, quote = "\"", skip = 1L, na.strings = c("", "NA"), quiet = TRUE,
    blank.lines.skip = FALSE, encoding = "UTF-8", multi.line = FALSE
  )
  lapply(texts, function(text) {
    Encoding(text) <- "UTF-8"
    text
  })
}

read_many_texts <- function(file, delimiter, columns) {
  need_packages("readr", "Reading csv and tsv", class = "file")
  texts <- suppressWarnings(readr::read_delim(file,
    delim = delimiter, col_types = strrep("c", columns),
    na = c("", "NA"), trim_ws = FALSE, progress = FALSE, show_col_types = FALSE,
    quote = "\"", escape_double = TRUE, skip_empty_rows = FALSE, lazy = FALSE
  ))
  lapply(seq_along(texts), function(k) .subset2(texts, k))
}

# What is text for the sake of a few cells is said, once.
say_kept_as_text <- function(columns, names) {
  kept <- vapply(columns, function(column) {
    column$type == "text" && column$most != "text" && column$others > 0 &&
      column$others <= max(1, column$there / 10)
  }, NA)
  lines <- Map(function(column, name) {
    sprintf("Column `%s` is kept as text: %s of %s %s no %s; line %.0f has %s.",
      name, with_commas(column$others), counted(column$there, "cell"),
      if (column$others == 1) "is" else "are", cell_words[[column$most]],
      column$odd_line, shown(column$odd)
    )
  }, columns[kept], names[kept])
  if (length(lines)) {
    say_classed("note", c(unlist(lines, use.names = FALSE), sprintf(
      "Where that is right, types = c(%s = \"text\") says so.", name_code(names[kept][1L])
    )))
  }
}

cell_words <- c(
  flag = "TRUE or FALSE", number = "plain number", date = "day such as 2031-05-01",
  time = "time such as 2031-05-01 10:05"
)
