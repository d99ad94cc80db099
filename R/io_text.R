# The cells of csv and tsv as texts: from R's own scan() where there are few of them (loading
# readr takes longer than reading a small file), from readr where there are many.

# up to so many cells, in as many bytes, are read by R's own functions
few_cells <- 1e5

few_bytes <- 1e8

# Where readr skips blank lines it also skips rows of tabs only.
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
  # scan() removes a byte-order mark from the first cell, too.
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

# `what`: "" for all cells in one vector, else list("", ...) with one for each column.
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
  # A row of several lines has the number of its last one.
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

# Blank lines are skipped only where there are some, see are_few().
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

# Rows, by the bytes -----------------------------------------------------------------

# Where the rows of csv and tsv files are, by their bytes: how many there are is known before
# somebody reads their cells, so that none is lost, and files are cut between rows.

# Bytes that are looked at in one go
text_piece <- 1.6e7

# The names of a file, and what stands above its rows: list(names, size (bytes), lines,
# above (blank lines before the names), line_end, delimiter, blank_is_row)
text_head <- function(path, delimiter) {
  size <- 65536
  repeat {
    bytes <- first_bytes(path, size)
    is_end <- length(bytes) < size
    form <- list(
      delimiter = delimiter, blank_is_row = FALSE,
      line_end = if (any(bytes == as.raw(10L)) || !is_end) "\n" else "\r"
    )
    check_mark(bytes)
    text <- without_mark(bytes)
    mark <- length(bytes) - length(text)
    seen <- see_text(text, form, is_end, most = 1)
    if (seen$zero) stop_zero_byte(mark + seen$zero)
    if (seen$rows) break
    if (is_end) {
      stop_unclosed(seen, 0)
      stop("it is empty")
    }
    size <- size * 16
  }
  names <- cells_of_row(text[seq_len(seen$size)], delimiter)
  names[is.na(names)] <- ""
  Encoding(names) <- "UTF-8"
  wrong <- which(!validUTF8(names))
  if (length(wrong)) {
    stop(sprintf("the name of column %d is not UTF-8; save it as UTF-8", wrong[1L]))
  }
  form$blank_is_row <- length(names) == 1L
  c(form, list(
    names = names, size = mark + seen$size, lines = seen$lines, above = seen$last - 1
  ))
}

first_bytes <- function(path, size) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  readBin(con, raw(), size)
}

see_text <- function(bytes, form, is_end, most = Inf) {
  see_rows_(bytes, form$delimiter, form$line_end, form$blank_is_row, is_end, most)
}

stop_unclosed <- function(seen, lines_above) {
  if (seen$opened) {
    stop(sprintf("the quote opened in line %.0f is never closed", lines_above + seen$opened))
  }
}

# Pieces of whole rows of a file: where they begin and end (bytes from 0 on), on which line,
# how many rows and blank lines they have, and whether all of their bytes are ASCII. What is
# compressed has its places in what it holds. `limit`: more bytes than that are refused.
text_rows <- function(path, head, piece = text_piece, limit = Inf) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  readBin(con, raw(), head$size)
  at <- head$size
  lines <- head$lines
  rest <- raw()
  want <- piece
  found <- list()
  repeat {
    more <- readBin(con, raw(), want)
    is_end <- !length(more)
    bytes <- if (length(rest)) c(rest, more) else more
    if (is_end && !length(bytes)) break
    if (at + length(bytes) > limit) stop_too_large(limit)
    seen <- see_text(bytes, head, is_end)
    if (seen$zero) stop_zero_byte(at + seen$zero)
    if (is_end) stop_unclosed(seen, lines)
    # The row is longer than a piece.
    want <- if (seen$size) piece else want * 2
    rest <- bytes[seen$size + seq_len(length(bytes) - seen$size)]
    if (!seen$size) next
    found[[length(found) + 1L]] <- data.frame(
      from = at, to = at + seen$size, line = lines + 1, rows = seen$rows,
      blank = seen$blank, ascii = seen$ascii
    )
    at <- at + seen$size
    lines <- lines + seen$lines
  }
  if (!length(found)) {
    return(data.frame(
      from = at, to = at, line = lines + 1, rows = 0, blank = 0, ascii = TRUE
    ))
  }
  do.call(rbind, found)
}

# The bytes of a piece. (What is compressed may hold more here than where it was cut.)
bytes_of_piece <- function(path, piece) {
  con <- if (is_gz(path)) gzfile(path, "rb") else file(path, "rb")
  on.exit(close(con))
  if (is_gz(path)) {
    limit <- most_file_bytes()
    if (piece$to > limit) stop_too_large(limit)
    readBin(con, raw(), piece$from)
  } else {
    seek(con, piece$from)
  }
  readBin(con, raw(), piece$to - piece$from)
}

# The line of a file on which a row begins
line_of_row <- function(path, head, pieces, row) {
  before <- cumsum(c(0, pieces$rows))
  k <- findInterval(row, before + 1, rightmost.closed = TRUE)
  seen <- see_text(bytes_of_piece(path, pieces[k, ]), head, TRUE, most = row - before[k])
  pieces$line[k] - 1 + seen$last
}

# Read by scan() ---------------------------------------------------------------------

# The bytes of files.

# All bytes of a file (R reads 2^31 bytes at once at most)
file_bytes <- function(path, piece = 1e9) {
  size <- file.size(path)
  limit <- most_file_bytes()
  if (size > limit) stop_too_large(limit)
  if (size <= piece) {
    return(readBin(path, raw(), size))
  }
  bytes <- raw(size)
  con <- file(path, "rb")
  on.exit(close(con))
  at <- 0
  while (length(part <- readBin(con, raw(), piece))) {
    bytes[at + seq_along(part)] <- part
    at <- at + length(part)
  }
  bytes
}

most_columns <- 1e5

longest_header <- 1e8

# A first line that can't be a header is refused before the file is read
check_first_line <- function(path, delimiter) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  columns <- 1
  taken <- 0
  while (length(bytes <- readBin(con, raw(), 1e6))) {
    end <- grepRaw("[\r\n]", bytes)
    if (length(end)) bytes <- bytes[seq_len(end - 1L)]
    columns <- columns + sum(bytes == charToRaw(delimiter))
    taken <- taken + length(bytes)
    if (taken > longest_header) {
      stop(sprintf("its first line is longer than %s", byte_words(longest_header)))
    }
    if (length(end)) break
  }
  if (columns > most_columns) {
    stop(sprintf("its first line has %s columns, and at most %s are read",
      with_commas(columns), with_commas(most_columns)
    ))
  }
}

# Writes what a compressed file holds into another
unpack <- function(path, plain) {
  con <- file(plain, "wb")
  on.exit(close(con))
  for_bytes(path, function(bytes, before) writeBin(bytes, con), most_file_bytes())
}

# Stops at a byte 0, which no text has
check_bytes <- function(path) {
  for_bytes(path, function(bytes, before) {
    if (before == 0) check_mark(bytes)
    zero <- grepRaw(as.raw(0L), bytes, fixed = TRUE)
    if (length(zero)) stop_zero_byte(before + zero)
  }, most_file_bytes())
}

# UTF-16 has a mark of its own
check_mark <- function(bytes) {
  if (identical(sort(as.integer(bytes[1:2])), c(254L, 255L))) {
    stop("it is in UTF-16; save it as UTF-8")
  }
}

stop_zero_byte <- function(at) {
  stop(sprintf("byte %.0f is 0, which no text has; it is damaged, or no text file", at))
}
