# The cells of csv and tsv as texts: from R's own scan() where there are few of them (loading
# readr takes longer than reading a small file), from readr where there are many.

# up to so many cells, in as many bytes, are read by R's own functions
few_cells <- 1e5

few_bytes <- 1e8

are_few <- function(form) {
  form$rows * form$columns <= few_cells_option(few_cells) && form$size <= few_bytes
}

# The cells of `file` (its path, or bytes) as texts, column by column; `bytes` is only looked
# at where they are few. `form`: list(delimiter, quote, line_end, columns, rows, missing, size
# (bytes), blank: whether there are blank lines). A row of another number of cells is an error
# that names its line, and so is another number of rows.
cells_of <- function(file, bytes, form, line_of) {
  # Readers that skip blank lines also skip rows of tabs only.
  if (form$line_end == "\r" || form$blank && form$delimiter == "\t") {
    file <- bytes <- with_newlines(bytes, form, form$columns == 1L)
    form$blank <- FALSE
  }
  few <- are_few(form) && is_plain_text(bytes, form)
  texts <- if (few) scan_cells(bytes, form, line_of) else read_many_cells(file, form, line_of)
  rows <- unique(lengths(texts))
  if (!identical(as.double(rows), as.double(form$rows))) {
    stop(sprintf("%.0f rows were found, and %s read", form$rows, listed(rows, "and")))
  }
  texts
}

# The rows of a file, without its blank lines unless these are rows, ended by "\n"
with_newlines <- function(bytes, form, blank_is_row) {
  with_newlines_(without_mark(bytes), form$delimiter, form$quote, form$line_end, blank_is_row)
}

# the cells of one row, however many they are
cells_of_row <- function(bytes, form) {
  if (form$line_end == "\r") bytes <- with_newlines(bytes, form, FALSE)
  form <- c(form[c("delimiter", "quote")], list(missing = character(), blank = TRUE))
  if (is_plain_text(bytes, form)) {
    return(scan_texts(bytes, "", form))
  }
  vapply(read_many_texts(bytes, FALSE, form), `[[`, "", 1L)
}

# Whether all readers read it alike: no second byte-order mark, no carriage returns alone or
# beside quotes, quotes only around whole cells and doubled inside, and no line of blanks
is_plain_text <- function(bytes, form) {
  bytes <- without_mark(bytes)
  # scan() removes a byte-order mark from the first cell, too.
  if (length(grepRaw(byte_mark, bytes[1:4], fixed = TRUE))) {
    return(FALSE)
  }
  blanks <- if (form$delimiter == "\t") " " else "[ \t]"
  if (length(grepRaw(sprintf("(^|\n)%s+\r?(\n|$)|\r[^\n]", blanks), bytes))) {
    return(FALSE)
  }
  if (!nzchar(form$quote) || !any(bytes == charToRaw(form$quote))) {
    return(TRUE)
  }
  if (any(bytes == charToRaw("\r"))) {
    return(FALSE)
  }
  quote <- pattern_of_sign(form$quote)
  cell <- sprintf("(^|[%s\n])%s(?:[^%s]++|%s%s)*+%s(?=[%s\n]|$)",
    pattern_of_sign(form$delimiter), quote, quote, quote, quote, quote,
    pattern_of_sign(form$delimiter)
  )
  rest <- gsub(cell, "\\1", rawToChar(bytes), perl = TRUE, useBytes = TRUE)
  !grepl(form$quote, rest, fixed = TRUE, useBytes = TRUE)
}

# `what`: "" for all cells in one vector, else list("", ...) with one for each column.
scan_texts <- function(bytes, what, form) {
  con <- rawConnection(without_mark(bytes))
  on.exit(close(con))
  scan(con, what,
    sep = form$delimiter, quote = form$quote, na.strings = c("", form$missing), quiet = TRUE,
    blank.lines.skip = length(what) > 1L || is.character(what),
    multi.line = is.character(what)
  )
}

scan_cells <- function(bytes, form, line_of) {
  columns <- form$columns
  con <- rawConnection(without_mark(bytes))
  cells <- utils::count.fields(con,
    sep = form$delimiter, quote = form$quote, blank.lines.skip = columns > 1L, comment.char = ""
  )
  close(con)
  # A row of several lines has the number of its last one.
  cells <- cells[!is.na(cells)]
  wrong <- which(if (columns == 1L) cells > 1L else cells != columns)
  if (length(wrong)) stop_ragged(line_of(wrong[1L]), cells[wrong[1L]], form)
  texts <- scan_texts(bytes, rep(list(""), columns), form)
  lapply(texts, function(text) {
    Encoding(text) <- "UTF-8"
    text
  })
}

stop_ragged <- function(line, cells, form) {
  stop_unread(
    sprintf("line %.0f has %s instead of %d", line, counted(cells, "column"), form$columns),
    form$hint,
    if (!is.null(form$asked)) paste("If that line holds no row:",
      reading_setting(form$asked, "skip", line)
    )
  )
}

read_many_cells <- function(file, form, line_of) {
  need_packages("readr", "Reading csv and tsv", class = "file")
  columns <- form$columns
  frame <- read_many_texts(file, as.character(seq_len(columns)), form)
  if (length(frame) != columns) stop_ragged(line_of(1), length(frame), form)
  odd <- readr::problems(frame)
  if (nrow(odd)) stop_ragged(line_of(odd$row[1L]), odd$col[1L], form)
  lapply(seq_along(frame), function(k) .subset2(frame, k))
}

# Blank lines are skipped only where there are some, see cells_of().
read_many_texts <- function(file, names, form) {
  suppressWarnings(readr::read_delim(file,
    delim = form$delimiter, col_types = readr::cols(.default = readr::col_character()),
    col_names = names, na = c("", form$missing), trim_ws = FALSE, progress = FALSE,
    show_col_types = FALSE, quote = form$quote, escape_double = TRUE, lazy = FALSE,
    skip_empty_rows = form$blank && !identical(form$columns, 1L), name_repair = "minimal"
  ))
}

# Rows, by the bytes -----------------------------------------------------------------

# Where the rows of csv and tsv files are, by their bytes: how many there are is known before
# somebody reads their cells, so that none is lost, and files are cut between rows.

# Bytes that are looked at in one go
text_piece <- 1.6e7

# The names of a file, and what is above its rows: list(names, columns, size (bytes), lines,
# above (blank lines before the names), line_end, delimiter, quote, blank_is_row, found: what
# nobody said, ends_in_separator: an empty last column, not among the names)
text_head <- function(path, asked, usual) {
  size <- 65536
  repeat {
    bytes <- first_bytes(path, size)
    is_end <- length(bytes) < size
    if (is_end && is_gz(path)) check_packed_end(path, length(bytes))
    if (!is.null(encoding_of(path, NULL)) || is_wide(asked$encoding)) stop_wide()
    text <- without_mark(bytes)
    mark <- length(bytes) - length(text)
    form <- head_form(text, asked, usual, is_end)
    seen <- see_text(text[seq.int(form$skipped + 1, length.out = length(text) - form$skipped)],
      form, is_end, most = 1
    )
    if (seen$zero) stop_zero_byte(mark + seen$zero, asked)
    if (seen$rows) break
    if (is_end) {
      stop_unclosed(seen, form$lines_skipped, asked)
      stop("it is empty")
    }
    size <- size * 16
  }
  names <- cells_of_row(text[form$skipped + seq_len(seen$size)], form)
  names[is.na(names)] <- ""
  names <- decoded_names(names, asked)
  if (form$ends_in_separator && !nzchar(names[length(names)])) names <- names[-length(names)]
  form$blank_is_row <- length(names) == 1L && !form$ends_in_separator
  c(form, list(
    names = settled_names(names), names_there = names,
    columns = length(names) + form$ends_in_separator, size = mark + form$skipped + seen$size,
    lines = form$lines_skipped + seen$lines, above = seen$last - 1
  ))
}

# What the first rows say of a file
head_form <- function(text, asked, usual, is_end) {
  form <- list(
    quote = asked$quote, blank_is_row = FALSE,
    # Few files have a carriage return without a line feed.
    line_end = if (is_end && length(grepRaw("\r([^\n]|$)", text))) {
      line_end_of(text, asked$quote)
    } else {
      "\n"
    }
  )
  ends <- which(text == charToRaw(form$line_end))
  # lines above the names
  skipped <- length(asked$skip)
  form$lines_skipped <- skipped
  form$skipped <- if (skipped) c(ends, NA)[skipped] else 0
  if (is.na(form$skipped)) stop_skips_too_many(skipped, length(ends))
  text[ends] <- as.raw(10L)
  rest <- if (form$skipped) text[-seq_len(form$skipped)] else text
  top <- rows_at_top(rest, form$quote, is_end)
  top$lines <- top$lines + skipped
  form$delimiter <- if (is.null(asked$delimiter)) found_separator(top, usual) else asked$delimiter
  form$found <- form$delimiter != usual && is.null(asked$delimiter)
  check_names_first(top, form$delimiter, asked)
  form$ends_in_separator <- ends_in_separator(top, form$delimiter)
  form$hint <- quote_hint(top, asked)
  form
}

decoded_names <- function(names, asked) {
  if (!is.null(asked$encoding)) names <- iconv(names, asked$encoding, "UTF-8")
  Encoding(names) <- "UTF-8"
  wrong <- which(is.na(names) | !validUTF8(names))
  if (length(wrong)) {
    stop_not_utf8(sprintf("the name of column %d", wrong[1L]), names[wrong[1L]], asked)
  }
  names
}

# Text that is not UTF-8: what its bytes may be
stop_not_utf8 <- function(what, text, asked) {
  if (!is.null(asked$encoding)) stop_unread(sprintf("%s is not in %s", what, asked$encoding))
  bytes <- charToRaw(text)
  likely <- if (any(bytes >= 0x80 & bytes < 0xa0)) "windows-1252" else "latin1"
  stop_unread(sprintf("%s is not UTF-8", what), paste(
    "Say its encoding, for example:", reading_setting(asked, "encoding", likely)
  ))
}

see_text <- function(bytes, form, is_end, most = Inf) {
  see_rows_(bytes, form$delimiter, form$quote, form$line_end, form$blank_is_row, is_end, most)
}

stop_unclosed <- function(seen, lines_above, asked) {
  if (seen$opened) {
    stop_unread(
      sprintf("the quote opened in line %.0f is never closed", lines_above + seen$opened),
      if (!is.null(asked)) paste(
        "If quotes have no meaning in it:", reading_setting(asked, "quote", "")
      )
    )
  }
}

# Pieces of whole rows of a file: where they begin and end (bytes from 0 on), on which line,
# how many rows and blank lines they have, and whether all of their bytes are ASCII. What is
# compressed has its places in what it holds. `limit`: more bytes than that are refused.
text_rows <- function(path, head, asked, piece = text_piece, limit = Inf) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  readBin(con, raw(), head$size)
  at <- head$size
  lines <- head$lines
  rest <- raw()
  want <- piece
  found <- list()
  repeat {
    more <- next_bytes(con, want)
    is_end <- !length(more)
    bytes <- if (length(rest)) c(rest, more) else more
    if (is_end && is_gz(path)) check_packed_end(path, at + length(bytes))
    if (is_end && !length(bytes)) break
    if (at + length(bytes) > limit) stop_too_large(limit)
    seen <- see_text(bytes, head, is_end)
    if (seen$zero) stop_zero_byte(at + seen$zero, asked)
    if (is_end) stop_unclosed(seen, lines, asked)
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
