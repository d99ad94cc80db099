# The kinds of files, by extension.

file_formats <- c(
  csv = "csv", tsv = "tsv", txt = "tsv", rds = "rds", parquet = "parquet",
  jsonl = "jsonl", ndjson = "jsonl"
)

# whether a file is compressed: its name ends in .gz
is_gz <- function(path) grepl("[.]gz$", path, ignore.case = TRUE)

# Only text files are compressed, and only these have no types of their own.
text_formats <- c("csv", "tsv", "jsonl")

file_format <- function(path, call) {
  extension <- tolower(tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE)))
  if (is_gz(path) && !file_formats[extension] %in% text_formats) extension <- "gz"
  if (!extension %in% names(file_formats)) {
    stop_ronda("file",
      sprintf("The kind of the file %s is not known.",
        encodeString(shortened(path, 200L), quote = "'")
      ),
      sprintf("Its name must end in %s; .csv, .tsv and .jsonl may be followed by .gz.",
        listed(paste0(".", names(file_formats)), "or")
      ),
      call = call
    )
  }
  file_formats[[extension]]
}

stop_file <- function(text, path, call, ...) {
  path <- encodeString(shortened(path, 200L), quote = "'")
  stop_ronda("file", one_line(sprintf(text, path, ...)),
    call = call
  )
}

# An unknown kind of file is reported before a missing file.
stop_no_file <- function(path, call) {
  file_format(path, call)
  stop_file("There is no file %s.", path, call)
}

# the extension, with .gz behind it where it is compressed
file_ending <- function(path) {
  inner <- tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE))
  paste0(".", inner, if (is_gz(path)) ".gz")
}

# Whole files ------------------------------------------------------------------------

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
  # An interrupt comes before all of them or after.
  suspendInterrupts({
    moved[!streams] <- suppressWarnings(file.rename(parts[!streams], targets[!streams]))
  })
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

# Writers don't always report a full disk, so the end of each file is checked afterwards.
check_end <- function(path, bytes) {
  if (!identical(last_bytes(path, length(bytes)), bytes)) stop_cut_short()
}

last_bytes <- function(path, size) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, file.size(path) - size))
  readBin(con, raw(), size)
}

stop_cut_short <- function() stop("only a part of it could be written")

# A text file is in memory while it is read: one that would fill it is refused first.
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

# Plain data -------------------------------------------------------------------------

# What R's own serialization holds is looked at before R could touch it: a file can hold
# code that R runs when a column is read.

# x, where it is plain data at any depth; else an error that names what is not
plain_data <- function(x, label, call) {
  known <- character()
  repeat {
    found <- not_plain_data_(x, known)
    if (!length(found)) {
      return(x)
    }
    # Classes of loaded packages, or defined in the session.
    class <- found[3L]
    if (!nzchar(class) || class %in% known || is.null(methods::getClassDef(class))) break
    known <- c(known, class)
  }
  where <- if (nzchar(found[1L])) sprintf("%s is %s", found[1L], found[2L]) else {
    sprintf("it is %s", found[2L])
  }
  stop_ronda("file",
    sprintf("%s holds more than data and was not read: %s.",
      encodeString(shortened(label, 200L), quote = "'"), where
    ),
    "An rds file can hold code that R would run. Ask for parquet or csv, which hold values.",
    either("If you trust who made it: readRDS(), and join what it gives.", NULL),
    call = call
  )
}
