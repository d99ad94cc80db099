# What stands in a work folder is data and nothing else: R's serialization of plain values
# behind a line that tells its bytes and their digest. What was changed, or holds anything
# that could run, is an error before R looks at a value.

state_mark <- "ronda state"

write_state <- function(x, path) {
  values <- serialize(x, NULL, xdr = FALSE)
  con <- file(path, "wb")
  on.exit(close(con))
  writeLines(c(state_mark, length(values), digest_of(values)), con)
  writeBin(values, con)
}

read_state <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  told <- readLines(con, 3L, warn = FALSE)
  bytes <- if (length(told) == 3L && told[1L] == state_mark) as.double(told[2L]) else 0
  values <- if (bytes > 0) readBin(con, raw(), min(bytes, file.size(path)))
  if (is.null(values) || length(values) != bytes || digest_of(values) != told[3L]) {
    stop(sprintf("%s is not what was written there", basename(path)))
  }
  unserialized(values)
}

digest_of <- function(values) digest::digest(values, "xxhash64", serialize = FALSE)

# Values of a file of ours
unserialized <- function(values) {
  x <- unserialize(values)
  if (length(not_plain_data_(x, character()))) {
    stop("a file of the work folder holds more than data")
  }
  x
}

# An error as plain data, and as an error again
plain_error <- function(e) {
  fields <- unclass(e)
  fields <- fields[setdiff(names(fields), "call")]
  is_plain <- vapply(fields, function(x) !length(not_plain_data_(x, character())), NA)
  list(class = class(e), fields = fields[is_plain])
}

error_again <- function(plain, call) {
  structure(class = plain$class, c(plain$fields, list(call = plain_call(call))))
}

plain_call <- function(call) {
  attr(call, "frames") <- NULL
  call
}
