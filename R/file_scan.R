# The bytes of files.

# All bytes of a file; of a compressed one, those of what it holds. (R reads 2^31 bytes at
# once at the most.)
file_bytes <- function(path, piece = 1e9) {
  if (is_gz(path)) {
    parts <- list()
    for_bytes(path, function(bytes) parts[[length(parts) + 1L]] <<- bytes)
    return(do.call(c, c(list(raw()), parts)))
  }
  size <- file.size(path)
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

# action(bytes) for a file, in pieces
for_bytes <- function(path, action) {
  # (what is compressed is read as what it holds)
  con <- gzfile(path, "rb")
  on.exit(close(con))
  while (length(bytes <- readBin(con, raw(), 1e7))) action(bytes)
}

# Stops at a byte 0, which no text has
check_bytes <- function(path) {
  before <- 0
  for_bytes(path, function(bytes) {
    if (before == 0 && identical(sort(as.integer(bytes[1:2])), c(254L, 255L))) {
      stop("it is in UTF-16; save it as UTF-8")
    }
    zero <- grepRaw(as.raw(0L), bytes, fixed = TRUE)
    if (length(zero)) stop_zero_byte(before + zero)
    before <<- before + length(bytes)
  })
}

stop_zero_byte <- function(at) {
  stop(sprintf("byte %.0f is 0, which no text has; it is damaged, or no text file", at))
}
