# Files that are there whole or not at all.

# Files are there whole or not at all: each is written under a temporary name by
# write(number, name), and renamed when all are. A link stays a link, its target is renewed;
# mode and owner stay as they were. A device or a pipe is written to, never replaced.
write_whole <- function(paths, call, write) {
  targets <- vapply(paths, target_of, "", call = call, USE.NAMES = FALSE)
  streams <- vapply(targets, file_kind_, "", USE.NAMES = FALSE) == "other"
  folders <- ifelse(streams, tempdir(), dirname(targets))
  parts <- character()
  on.exit(unlink(parts))
  for (k in seq_along(paths)) parts[k] <- own_file(folders[k], paths[k], call)
  for (k in seq_along(paths)) {
    tryCatch(suppressWarnings(write(k, parts[[k]])),
      error = function(e) {
        if (inherits(e, "ronda_error")) stop(e)
        stop_file("%s can't be written: %s", paths[[k]], call, conditionMessage(e))
      }
    )
  }
  for (k in which(!streams)) {
    if (!file.exists(targets[k])) Sys.chmod(parts[k], "0666") else take_after_(parts[k], targets[k])
  }
  moved <- rep(TRUE, length(paths))
  moved[!streams] <- suppressWarnings(file.rename(parts[!streams], targets[!streams]))
  for (k in which(streams)) moved[k] <- pour(parts[k], targets[k])
  if (!all(moved)) {
    stop_file("%s can't be written: renaming failed.", paths[!moved][1L], call)
  }
}

# Where a path leads, through links, those to nothing among them
target_of <- function(path, call) {
  for (step in 1:40) {
    link <- Sys.readlink(path)
    if (is.na(link) || !nzchar(link)) break
    path <- if (grepl("^(/|[A-Za-z]:)", link)) link else file.path(dirname(path), link)
  }
  if (!dir.exists(dirname(path))) {
    stop_file("There is no folder %s.", dirname(path), call)
  }
  if (dir.exists(path)) stop_file("%s is a folder, not a file.", path, call)
  path
}

# A new file that nobody else has made, under a name that nobody can guess
own_file <- function(folder, path, call) {
  for (attempt in 1:10) {
    part <- tempfile(".ronda-", folder, file_ending(path))
    if (create_file_(part)) {
      return(part)
    }
  }
  stop_file("%s can't be written: no file can be made in its folder.", path, call)
}

# the bytes of a file into a device or a pipe, as they are; whether it went well
pour <- function(from, to) {
  unless_it_fails({
    copy_bytes(file(from, "rb", raw = TRUE), file(to, "wb", raw = TRUE))
    TRUE
  }, FALSE)
}

# all that comes from one connection to another; closes both
copy_bytes <- function(from, to) {
  on.exit(close(from))
  on.exit(close(to), add = TRUE)
  while (length(bytes <- readBin(from, raw(), 1e6))) writeBin(bytes, to)
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
  for_bytes(path, function(bytes, before) {
    lines <<- lines + sum(bytes == as.raw(10L))
  })
  if (lines != rows) stop_cut_short()
}
