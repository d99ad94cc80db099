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
    # (a row longer than a piece)
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
