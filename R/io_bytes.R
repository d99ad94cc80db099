# The bytes of files: read as they are, and as plain UTF-8 text.

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
  while (length(bytes <- next_bytes(con, 1e6))) {
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
    zero <- grepRaw(as.raw(0L), bytes, fixed = TRUE)
    if (length(zero)) stop_zero_byte(before + zero, NULL)
  }, most_file_bytes())
}

# Text of two bytes a letter, which isn't cut into pieces
stop_wide <- function() {
  stop_unread("it is in UTF-16, and only UTF-8 is read in pieces",
    "Convert it first: iconv -f UTF-16 -t UTF-8 old.csv > new.csv"
  )
}

stop_zero_byte <- function(at, asked) {
  stop_unread(sprintf("byte %.0f is 0, which no text has; it is damaged, or not a text file", at),
    if (!is.null(asked) && at <= 2) paste("If its letters have two bytes each:",
      reading_setting(asked, "encoding", if (at == 2) "UTF-16LE" else "UTF-16BE")
    )
  )
}

first_bytes <- function(path, size) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  next_bytes(con, size)
}

byte_mark <- as.raw(c(0xef, 0xbb, 0xbf))

without_mark <- function(bytes) {
  if (identical(bytes[1:3], byte_mark)) bytes[-(1:3)] else bytes
}

# The first bytes of files that are no text, or hold it compressed
magic <- list(
  parquet = charToRaw("PAR1"), zip = as.raw(c(0x50, 0x4b, 0x03, 0x04)),
  gzip = as.raw(c(0x1f, 0x8b)), bzip2 = charToRaw("BZh"),
  xz = as.raw(c(0xfd, 0x37, 0x7a, 0x58, 0x5a)), zstd = as.raw(c(0x28, 0xb5, 0x2f, 0xfd))
)

# what a file is by its first bytes: one of the names of `magic`, or ""
kind_by_bytes <- function(file) {
  if (dir.exists(file)) {
    return("")
  }
  bytes <- readBin(file, raw(), max(lengths(magic)))
  is_kind <- vapply(magic, function(first) identical(bytes[seq_along(first)], first), NA)
  c(names(magic)[is_kind], "")[1L]
}

# The same, where it is "" or among those `allowed`. (Text may begin with PAR1, and a parquet
# file ends with it, too.)
text_kind <- function(file, allowed = if (is_gz(file)) "gzip") {
  kind <- kind_by_bytes(file)
  if (kind == "parquet" && !identical(last_bytes(file, 4), magic$parquet)) kind <- ""
  if (kind %in% c("", allowed)) {
    return(kind)
  }
  stop_unread(
    switch(kind,
      parquet = "it is a parquet file, whatever its name says",
      zip = "it is a spreadsheet or another archive, whatever its name says",
      gzip = "it is compressed by gzip, whatever its name says",
      sprintf("it is compressed by %s, and only gzip is read", kind)
    ),
    switch(kind,
      parquet = "Give it a name in .parquet.", zip = "Save the sheet as csv and read that.",
      gzip = "Give it a name in .gz.", sprintf("Uncompress it first: %s -dc old > new", kind)
    )
  )
}

# What is compressed ------------------------------------------------------------------

# Compressed files are read as what they hold, by R's gzfile(), which reads plain ones, too.

# action(bytes, before) for a file, in pieces, `before` being how many bytes are above; more
# than `limit` of them are refused
for_bytes <- function(path, action, limit = Inf) {
  held <- bytes_that_come(path, action, limit)
  check_packed_end(path, held)
}

# The same, wherever a compressed file ends: how many bytes came
bytes_that_come <- function(path, action, limit = Inf) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  before <- 0
  while (length(bytes <- next_bytes(con, 1e7))) {
    if (before + length(bytes) > limit) stop_too_large(limit)
    action(bytes, before)
    before <- before + length(bytes)
  }
  before
}

# The lines of a file of UTF-8. In text mode they would come in the encoding that the
# session's option says.
utf8_lines <- function(path) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  suppressWarnings(readLines(con, encoding = "UTF-8"))
}

next_bytes <- function(con, size) {
  suppressWarnings(tryCatch(readBin(con, raw(), size), error = function(e) {
    if (is_memory_error(e)) stop(e)
    stop_unread("its compressed data is damaged", "Copy or download it again.")
  }))
}

# Stops where a compressed file ends early, over which R passes without a word. Such a file is
# one part or several, and the last four bytes of each say how many bytes it holds (RFC 1952).
# `held`: how many bytes of the file were read
check_packed_end <- function(path, held) {
  if (kind_by_bytes(path) != "gzip") {
    return()
  }
  said <- sum(as.integer(last_bytes(path, 4)) * 256^(0:3))
  if (held %% 2^32 != said && !ends_in_part_of(path, said)) {
    stop_unread("the end of its compressed data is missing", "Copy or download it again.")
  }
}

# Whether a compressed file ends in a whole part that holds so many bytes. (What looks like
# the first bytes of a part may be anywhere: the last few are tried.)
ends_in_part_of <- function(path, size, most = 8L) {
  bytes <- file_bytes(path)
  starts <- grepRaw(c(magic$gzip, as.raw(8L)), bytes, fixed = TRUE, all = TRUE)[-1L]
  part <- tempfile()
  on.exit(unlink(part))
  for (start in rev(utils::tail(starts, most))) {
    writeBin(bytes[start:length(bytes)], part)
    held <- unless_it_fails(bytes_that_come(part, function(bytes, before) NULL), NA)
    if (identical(held %% 2^32, size)) {
      return(TRUE)
    }
  }
  FALSE
}

# A plain copy ----------------------------------------------------------------------

# The file as UTF-8 without compression, lines of `skip` blank: itself, or a copy at `copy`.
# list(path, skipped): the numbers of the lines that are blank now
plain_text <- function(path, asked, copy) {
  if (is_gz(path) || kind_by_bytes(path) == "gzip") {
    unpack(path, copy)
    path <- copy
  }
  encoding <- encoding_of(path, asked$encoding)
  if (!is.null(encoding)) {
    recode_file(path, encoding, paste0(copy, "8"))
    path <- paste0(copy, "8")
  }
  skipped <- numeric()
  if (length(asked$skip)) {
    lines <- line_ends(path, line_end_in(path, asked$quote))
    skipped <- lines_to_skip(asked$skip, lines$ends, path)
    skipped <- blank_lines(path, lines, skipped, paste0(copy, "s"))
    path <- paste0(copy, "s")
  }
  list(path = path, skipped = skipped)
}

# the encoding that a file must be converted from; NULL for UTF-8
encoding_of <- function(path, asked) {
  mark <- as.integer(first_bytes(path, 2))
  if (is.null(asked) || grepl("^utf-?16$", asked, ignore.case = TRUE)) {
    if (identical(mark, c(255L, 254L))) return("UTF-16LE")
    if (identical(mark, c(254L, 255L))) return("UTF-16BE")
  }
  if (!is.null(asked) && !grepl("^utf-?8$", asked, ignore.case = TRUE)) asked
}

# A file in another encoding as UTF-8, piece by piece: cut behind a line break, or between
# letters where these have two or four bytes
recode_file <- function(path, encoding, copy) {
  out <- file(copy, "wb")
  on.exit(close(out))
  rest <- raw()
  for_bytes(path, function(bytes, before) {
    bytes <- c(rest, bytes)
    end <- last_cut(bytes, encoding)
    rest <<- bytes[end + seq_len(length(bytes) - end)]
    if (end) writeBin(recoded(bytes[seq_len(end)], encoding), out)
  }, most_file_bytes())
  if (length(rest)) writeBin(recoded(rest, encoding), out)
}

last_cut <- function(bytes, encoding) {
  if (!is_wide(encoding)) {
    return(max(which(bytes == as.raw(10L)), 0L))
  }
  end <- length(bytes) %/% 4L * 4L
  # the first half of a letter of four bytes, in either order
  if (end && any(bytes[end - 0:1] >= 0xd8 & bytes[end - 0:1] <= 0xdb)) end <- end - 2L
  end
}

recoded <- function(bytes, encoding) {
  found <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1L]]
  if (is.null(found)) stop_unread(sprintf("its text is not in the encoding %s", encoding))
  found
}

# What ends the lines of some text: "\r" where all of it has no "\n" outside quotes
line_end_of <- function(text, quote) {
  text <- rawToChar(text[text != as.raw(0L)])
  if (nzchar(quote)) text <- gsub(quoted_cells(quote), "", text, perl = TRUE, useBytes = TRUE)
  if (grepl("\n", text, fixed = TRUE, useBytes = TRUE)) "\n" else "\r"
}

# the same of a file, of which no more is read than is needed
line_end_in <- function(path, quote) {
  size <- 65536
  repeat {
    bytes <- first_bytes(path, size)
    found <- line_end_of(bytes, quote)
    if (found == "\n" || length(bytes) < size) {
      return(found)
    }
    size <- size * 16
  }
}

# a sign of one byte in a pattern, whatever it means there
pattern_of_sign <- function(sign) sprintf("\\x{%02x}", as.integer(charToRaw(sign)))

# a pattern of cells in quotes, whatever separates them
quoted_cells <- function(quote) {
  q <- pattern_of_sign(quote)
  sprintf("(?:^|(?<=[,;\t|\r\n]))%s(?:[^%s]++|%s%s)*+%s", q, q, q, q, q)
}

# Where the lines of a file end, in bytes, and the byte that ends them: list(ends, mark)
line_ends <- function(path, line_end) {
  mark <- charToRaw(line_end)
  ends <- list()
  size <- 0
  for_bytes(path, function(bytes, before) {
    ends[[length(ends) + 1L]] <<- before + which(bytes == mark)
    size <<- before + length(bytes)
  }, most_file_bytes())
  ends <- unlist(ends)
  if (!length(ends) || ends[length(ends)] < size) ends <- c(ends, size)
  list(ends = ends, mark = mark)
}

# Numbers of lines; those from the end count lines that are not blank.
lines_to_skip <- function(skip, ends, path) {
  from_end <- -skip[skip < 0]
  lines <- skip[skip > 0]
  if (length(from_end)) {
    con <- file(path, "rb")
    on.exit(close(con))
    line <- length(ends)
    left <- max(from_end)
    place <- 0
    while (line >= 1 && place < left) {
      begin <- if (line > 1) ends[line - 1] else 0
      seek(con, begin)
      if (any(!readBin(con, raw(), ends[line] - begin) %in% as.raw(c(9L, 10L, 13L, 32L)))) {
        place <- place + 1
        if (place %in% from_end) lines <- c(lines, line)
      }
      line <- line - 1
    }
    if (place < left) stop_skips_too_many(-left, length(ends))
  }
  if (any(lines > length(ends))) stop_skips_too_many(max(lines), length(ends))
  sort(unique(lines))
}

stop_skips_too_many <- function(line, lines) {
  stop_unread(sprintf("%s names line %.0f, and it has %s", argument_said("skip"), line,
    counted(lines, "line")
  ))
}

# A copy of the file in which some lines have nothing in them, so that all others keep their
# numbers; those at the end are cut off. Gives the numbers of the lines that are blank.
blank_lines <- function(path, lines, blank, copy) {
  ends <- lines$ends
  last <- length(ends)
  while (last %in% blank) last <- last - 1L
  from <- file(path, "rb")
  on.exit(close(from))
  to <- file(copy, "wb")
  on.exit(close(to), add = TRUE)
  at <- 0
  # all bytes up to a place
  pass_on <- function(until) {
    while (at < until) {
      bytes <- readBin(from, raw(), min(until - at, 1e7))
      writeBin(bytes, to)
      at <<- at + length(bytes)
    }
  }
  for (line in blank[blank < last]) {
    pass_on(if (line > 1) ends[line - 1] else 0)
    at <- ends[line]
    seek(from, at)
    writeBin(lines$mark, to)
  }
  pass_on(if (last) ends[last] else 0)
  blank[blank < last]
}
