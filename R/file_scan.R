# The bytes of files.

# All bytes of a file (R reads 2^31 bytes at once at the most)
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

# (a file of text is in memory while it is read: one that takes all of it is refused before)
most_file_bytes <- function() max_file_bytes_option(free_memory() / 3)

stop_too_large <- function(limit) {
  stop(sprintf(paste(
    "it holds more than %s, a third of the memory that is free;",
    "options(ronda.max_file_bytes = ) sets another limit, and frame_files() reads in pieces"
  ), byte_words(limit)))
}

# bytes that may still be taken; Inf where the system doesn't tell
free_memory <- function() {
  lines <- unless_it_fails(readLines("/proc/meminfo"), character())
  line <- grep("^MemAvailable:", lines, value = TRUE)
  if (length(line)) 1024 * as.double(gsub("[^0-9]", "", line)) else Inf
}

most_columns <- 1e5

longest_header <- 1e8

# A first line that no table has, told before the file is read
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

# action(bytes, before) for a file, in pieces, `before` being how many bytes are above; more
# than `limit` of them are refused
for_bytes <- function(path, action, limit = Inf) {
  # (what is compressed is read as what it holds)
  con <- gzfile(path, "rb")
  on.exit(close(con))
  before <- 0
  while (length(bytes <- readBin(con, raw(), 1e7))) {
    if (before + length(bytes) > limit) stop_too_large(limit)
    action(bytes, before)
    before <- before + length(bytes)
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
