# Files that are there whole or not at all.

# Files are there whole or not at all: each is written under a temporary name by
# write(number, name), and renamed when all are.
write_whole <- function(paths, call, write) {
  for (path in paths) check_place(path, call)
  parts <- vapply(paths, function(path) {
    tempfile(".ronda-", dirname(path), file_ending(path))
  }, "")
  on.exit(unlink(parts))
  for (k in seq_along(paths)) {
    tryCatch(suppressWarnings(write(k, parts[[k]])),
      error = function(e) {
        if (inherits(e, "ronda_error")) stop(e)
        stop_file("%s can't be written: %s", paths[[k]], call, conditionMessage(e))
      }
    )
  }
  moved <- suppressWarnings(file.rename(parts, paths))
  if (!all(moved)) {
    stop_file("%s can't be written: renaming failed.", paths[!moved][1L], call)
  }
}

check_place <- function(path, call) {
  if (!dir.exists(dirname(path))) {
    stop_file("There is no folder %s.", dirname(path), call)
  }
  if (dir.exists(path)) stop_file("%s is a folder, not a file.", path, call)
}

# What `expr` gives, or `otherwise` where it fails. (Nothing may leave by a warning while R
# opens a file: R keeps a connection without a handle then, and who lists connections
# afterwards, as future does, ends the session.)
unless_it_fails <- function(expr, otherwise) {
  tryCatch(suppressWarnings(expr), error = function(e) otherwise)
}

# A full disk is not always told by those who write: each file is looked at
# afterwards, whether it ends as it must.
check_end <- function(path, bytes) {
  file <- file(path, "rb")
  on.exit(close(file))
  from <- file.size(path) - length(bytes)
  if (from < 0) stop_cut_short()
  seek(file, from)
  if (!identical(readBin(file, raw(), length(bytes)), bytes)) stop_cut_short()
}

stop_cut_short <- function() stop("only a part of it could be written")

# Reads the compressed file to its end, which says whether it is whole.
check_compressed <- function(path) {
  file <- gzfile(path, "rb")
  on.exit(close(file))
  tryCatch(while (length(readBin(file, raw(), 1e7))) NULL,
    warning = function(w) stop_cut_short(), error = function(e) stop_cut_short()
  )
}

# One line for each row: JSON has no line breaks inside its texts.
check_lines <- function(path, rows) {
  lines <- 0
  for_bytes(path, function(bytes) {
    lines <<- lines + sum(bytes == as.raw(10L))
  })
  if (lines != rows) stop_cut_short()
}
