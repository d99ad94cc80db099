# What is wrong with the bytes of a text file.

# action(bytes, number of bytes before them) for a file, in pieces
for_bytes <- function(path, action) {
  # (what is compressed is read as what it holds)
  con <- gzfile(path, "rb")
  on.exit(close(con))
  before <- 0
  while (length(bytes <- readBin(con, raw(), 1e7))) {
    action(bytes, before)
    before <- before + length(bytes)
  }
}

# Stops at a byte 0, which no text has, and at a quote that is opened and never
# closed, which would swallow the rows behind it. A quote inside a field that
# began without one is a character like others.
check_bytes <- function(path, delimiter = NULL) {
  scan <- scan_start
  separator <- if (is.null(delimiter)) -1L else utf8ToInt(delimiter)
  for_bytes(path, function(bytes, before) {
    if (before == 0) {
      marks <- as.integer(bytes[1:2])
      if (identical(sort(marks), c(254L, 255L))) {
        stop("it is in UTF-16; save it as UTF-8")
      }
      if (identical(bytes[1:3], as.raw(c(0xef, 0xbb, 0xbf)))) {
        bytes[1:3] <- charToRaw("\r")  # a byte-order mark
      }
    }
    scan <<- scan_bytes_(bytes, separator, scan)
    if (scan[["zero"]] > 0) {
      stop(sprintf(
        "byte %.0f is 0, which no text has; it is damaged, or no text file",
        before + scan[["zero"]]
      ))
    }
  })
  if (scan[["inside"]] && !is.null(delimiter)) {
    stop(sprintf("the quote opened in line %.0f is never closed",
      scan[["opened"]]
    ))
  }
}

# what scan_bytes_() knows at the start of a file
scan_start <- c(inside = 0, last = 10, closed = 0, line = 1, opened = 0, zero = 0)

check_encoding <- function(columns) {
  wrong <- which(!validUTF8(names(columns)))
  if (length(wrong)) {
    stop(sprintf("the name of column %d is not UTF-8; save it as UTF-8", wrong[1L]))
  }
  for (k in seq_along(columns)) {
    wrong <- which(!validUTF8(columns[[k]]))
    if (length(wrong)) {
      stop(sprintf("column `%s` has text in row %d that is not UTF-8; %s",
        names(columns)[k], wrong[1L], "save it as UTF-8"
      ))
    }
  }
}

# whether some line has nothing in it
has_blank_lines <- function(path) {
  last <- 10L
  found <- FALSE
  for_bytes(path, function(bytes, before) {
    bytes <- as.integer(bytes)
    bytes <- bytes[bytes != 13L]
    ends <- which(c(last, bytes) == 10L)
    found <<- found || any(diff(ends) == 1L)
    last <<- bytes[length(bytes)]
  })
  found
}
