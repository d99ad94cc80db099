#' Read and write data frames
#'
#' By the file's extension: `.csv`, `.tsv`, `.rds`, `.parquet` (with the
#' package nanoparquet) and `.jsonl` or `.ndjson` (JSON lines, with jsonlite).
#'
#' In csv and tsv, text is kept as it stands, blanks included, and a column is of
#' another type only where no cell changes by it. ISO 8601 text becomes dates and
#' date-times (in UTC), unless a day among it doesn't exist. Numbers become
#' doubles, or integers where all are whole and small; leading zeros, plus signs,
#' thousands marks, decimal commas, and digits that a double can't keep leave a
#' column text. Only `TRUE` and `FALSE` in full are logical values.
#'
#' Whole numbers beyond 2^53 are never rounded, in any kind of file: they come as
#' 64-bit integers (with the package bit64) or as text. Text must be UTF-8, with a
#' byte-order mark or without. A csv or tsv file can't tell an empty text, or the
#' text `NA`, from a missing value; the other kinds can. Times are written with
#' their fractions of seconds, in UTC.
#'
#' `write_frame()` writes under a temporary name and renames at the end, so a
#' file is there whole or not at all. Text that begins with `=`, `+`, `-` or `@`
#' is written as it is; a spreadsheet may take it for a formula.
#'
#' @param path `[character(1)]` The file.
#' @param types `[character]` For csv and tsv: types by column name, each
#'   `"text"`, `"number"`, `"integer"`, `"logical"`, `"date"` or `"datetime"`.
#' @param x `[data.frame]` The frame to write.
#' @return `read_frame()`: a data frame (base). `write_frame()`: `path`,
#'   invisibly.
#' @section Errors: `ronda_error_file` when a file can't be read or written, when
#'   its extension is not known, when a cell is not of the type asked for, or when
#'   the file can't hold a value (infinite ones in JSON lines, text with bytes that
#'   are none in its encoding); `ronda_error_type` when a column can't be
#'   written to that kind of file; `ronda_error_argument` otherwise.
#' @examples
#' path <- system.file("extdata", "vessels.csv", package = "ronda")
#' vessels <- read_frame(path)
#' copy <- tempfile(fileext = ".tsv")
#' write_frame(vessels, copy)
#' identical(read_frame(copy), vessels)
#' @export
read_frame <- function(path, types = NULL) {
  call <- quote(read_frame())
  check_name(path, "path", call)
  check_types(types, call)
  format <- file_format(path, call)
  if (!file.exists(path)) stop_file("There is no file %s.", path, call)
  if (dir.exists(path)) stop_file("%s is a folder, not a file.", path, call)
  if (file.access(path, 4L) != 0L) {
    stop_file("The file %s may not be read.", path, call)
  }
  # what reads files would take some names for addresses or for data
  file <- normalizePath(path)
  if (grepl("[\r\n]", file)) {
    file <- tempfile(fileext = paste0(".", tools::file_ext(path)))
    on.exit(unlink(file))
    file.copy(path, file)
  }
  tryCatch(read_as(format, file, types, path),
    error = function(e) {
      if (inherits(e, "ronda_error")) stop(e)
      stop_file("%s can't be read: %s", path, call, conditionMessage(e))
    }
  )
}

#' @rdname read_frame
#' @export
write_frame <- function(x, path) {
  call <- quote(write_frame())
  check_frame(x, "x", call)
  check_name(path, "path", call)
  write_frames(structure(list(x), names = path), call)
  invisible(path)
}

# Frames by path
write_frames <- function(frames, call) {
  paths <- names(frames)
  formats <- vapply(paths, file_format, "", call = call)
  for (k in seq_along(frames)) {
    check_writable_columns(frames[[k]], formats[[k]], call)
  }
  write_whole(paths, call, function(k, part) {
    write_as(formats[[k]], frames[[k]], part)
  })
}

# Files are there whole or not at all: each is written under a temporary name by
# write(number, name), and renamed when all are.
write_whole <- function(paths, call, write) {
  for (path in paths) check_place(path, call)
  parts <- vapply(paths, function(path) {
    tempfile(".ronda-", dirname(path), paste0(".", tools::file_ext(path)))
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

stop_file <- function(text, path, call, ...) {
  path <- encodeString(shortened(path, 200L), quote = "'")
  stop_ronda("file", sprintf(text, path, ...),
    call = call
  )
}

file_formats <- c(
  csv = "csv", tsv = "tsv", txt = "tsv", rds = "rds", parquet = "parquet",
  jsonl = "jsonl", ndjson = "jsonl"
)

file_format <- function(path, call) {
  extension <- tolower(tools::file_ext(path))
  if (!extension %in% names(file_formats)) {
    stop_ronda("file",
      sprintf("The kind of the file %s is not known.",
        encodeString(shortened(path, 200L), quote = "'")
      ),
      sprintf("Its name must end in %s.",
        listed(paste0(".", names(file_formats)), "or")
      ),
      call = call
    )
  }
  file_formats[[extension]]
}

read_as <- function(format, path, types, label) {
  switch(format,
    csv = read_delimited(path, ",", types, label),
    tsv = read_delimited(path, "\t", types, label),
    rds = as_plain_frame(readRDS(path), path),
    parquet = {
      need_packages("nanoparquet", "Reading parquet", class = "file",
        least = "0.5.1"
      )
      with_big_numbers(as_plain_frame(nanoparquet::read_parquet(path,
        options = nanoparquet::parquet_options(read_int64_type = "integer64")
      ), path))
    },
    jsonl = {
      need_packages("jsonlite", "Reading JSON lines", class = "file")
      as_plain_frame(read_json_lines(path), path)
    }
  )
}

read_json_lines <- function(path) {
  check_bytes(path)
  # (a last line without a line break is as good as one with it)
  lines <- suppressWarnings(readLines(path, encoding = "UTF-8"))
  lines <- lines[grepl("[^[:space:]]", lines)]
  frame <- jsonlite::fromJSON(paste0("[", paste(lines, collapse = ","), "]"),
    bigint_as_char = TRUE
  )
  if (!length(lines)) {
    return(data.frame())
  }
  if (is.data.frame(frame) && nrow(frame) != length(lines)) {
    stop("some line does not hold one object, a row")
  }
  for (name in names(frame)) {
    if (holds_big_numbers(frame[[name]], name, lines)) {
      frame[[name]] <- parse_big(frame[[name]])
    }
  }
  frame
}

# Whether a column that came as text is one of whole numbers beyond 2^53: such
# numbers stand without quotes in the file.
holds_big_numbers <- function(x, name, lines) {
  if (!is.character(x) || !all(is.na(x) | grepl("^-?[0-9]+$", x))) {
    return(FALSE)
  }
  name <- as.character(jsonlite::toJSON(name, auto_unbox = TRUE))
  any(grepl(sprintf("\\Q%s\\E\\s*:\\s*-?[0-9]{16}", name), lines, perl = TRUE))
}

# 64-bit integers are of use only with their package; without it they are doubles
# where these hold them.
with_big_numbers <- function(frame) {
  if (requireNamespace("bit64", quietly = TRUE)) {
    return(frame)
  }
  for (name in names(frame)) {
    x <- .subset2(frame, name)
    if (!is_int64(x)) next
    number <- int64_double(x)
    if (any(abs(number) >= 2^53, na.rm = TRUE)) {
      need_packages("bit64", sprintf("Column `%s`", name), class = "file")
    }
    frame[[name]] <- number
  }
  frame
}

as_plain_frame <- function(x, path) {
  if (!is.data.frame(x)) stop("it holds no data frame")
  class(x) <- "data.frame"
  x
}

write_as <- function(format, x, path) {
  class(x) <- "data.frame"
  if (format %in% c("csv", "tsv")) x <- as_written(x)
  switch(format,
    csv = write_delimited(x, path, ","),
    tsv = write_delimited(x, path, "\t"),
    rds = {
      saveRDS(x, path)
      check_compressed(path)
    },
    parquet = {
      need_packages("nanoparquet", "Writing parquet", class = "file")
      # (a dictionary of 64-bit integers with missing ones can't be written)
      long <- names(x)[vapply(x, is_int64, NA)]
      nanoparquet::write_parquet(x, path,
        encoding = if (length(long)) {
          structure(rep("PLAIN", length(long)), names = long)
        }
      )
      check_end(path, charToRaw("PAR1"))
    },
    jsonl = {
      need_packages("jsonlite", "Writing JSON lines", class = "file")
      write_json_lines(x, path)
      check_lines(path, nrow(x))
    }
  )
}

write_delimited <- function(x, path, delimiter) {
  need_packages("readr", "Writing csv and tsv", class = "file")
  readr::write_delim(x, path, delim = delimiter, na = "", progress = FALSE,
    quote = "needed"
  )
  last <- readr::format_delim(x[nrow(x), , drop = FALSE],
    delim = delimiter, na = "", quote = "needed", col_names = nrow(x) == 0L
  )
  check_end(path, charToRaw(last))
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

# (jsonlite writes 15 digits of a number at the most, and 64-bit integers where their
# package is loaded. Where that is too little, numbers go through it as texts with a
# mark, which is taken off afterwards.)
write_json_lines <- function(x, path) {
  whole <- vapply(x, is_int64, NA)
  long <- which(whole | vapply(x, needs_all_digits, NA))
  mark <- paste0("number", basename(tempfile("")), ":")
  x <- as_written(x)
  x[long] <- lapply(x[long], function(number) {
    text <- if (is.character(number)) number else shortest_texts_(number)
    ifelse(is.na(text), NA, paste0(mark, text))
  })
  stream <- function(path) {
    con <- file(path, "wb")
    on.exit(close(con))
    jsonlite::stream_out(x, con, verbose = FALSE, digits = NA, na = "null")
  }
  if (!length(long)) {
    return(stream(path))
  }
  marked <- tempfile(fileext = ".jsonl")
  on.exit(unlink(marked))
  stream(marked)
  from <- file(marked, "r")
  to <- file(path, "wb")
  on.exit({
    close(from)
    close(to)
  }, add = TRUE)
  pattern <- sprintf("\"%s([^\"]*)\"", mark)
  while (length(lines <- readLines(from, 10000L, encoding = "bytes"))) {
    writeLines(gsub(pattern, "\\1", lines, useBytes = TRUE), to, useBytes = TRUE)
  }
}

# whether 15 digits are too few for some value
needs_all_digits <- function(x) {
  is.double(x) && !is.object(x) && any(nchar(shortest_texts_(x)) > 15L, na.rm = TRUE)
}

# Columns as text files hold them: times with all of their fractions, in UTC (what
# others write of them is cut to seconds, or says no zone), 64-bit integers by their
# digits, whether their package is loaded or not.
as_written <- function(frame) {
  for (name in names(frame)) {
    x <- .subset2(frame, name)
    if (is_int64(x)) {
      frame[[name]] <- int64_text(x)
    } else if (inherits(x, "POSIXct")) {
      frame[[name]] <- time_texts(as.double(strip_class(x)))
    }
  }
  frame
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

check_writable_columns <- function(x, format, call) {
  if (format == "rds") {
    return()
  }
  flat <- vapply(x, function(column) {
    is.atomic(column) && is.null(dim(column)) && !is.complex(column) &&
      !is.raw(column)
  }, NA)
  if (!all(flat) && format != "jsonl") {
    name <- names(x)[!flat][1L]
    stop_ronda("type",
      sprintf("Column `%s` (%s) can't be written to a %s file.", name,
        type_word(.subset2(x, name)), format
      ),
      "Leave it out, or write an .rds file.",
      call = call
    )
  }
  check_writable_names(names(x), format, call)
  for (name in names(x)) {
    column <- .subset2(x, name)
    check_writable_text(column, name, format, call)
    if (format == "jsonl") check_finite(column, name, call)
  }
}

# What is no text in its own encoding would be written as something else.
check_writable_names <- function(names, format, call) {
  wrong <- which(!is_sound_text(names))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("The name of column %d (%s) is no text in its encoding.", wrong[1L],
        readable(names[wrong[1L]])
      ),
      "Give it another name.",
      call = call
    )
  }
}

check_writable_text <- function(x, name, format, call) {
  if (!is.character(x) && !is.factor(x)) {
    return()
  }
  texts <- if (is.factor(x)) levels(x) else x
  wrong <- which(!is_sound_text(texts))
  if (!length(wrong)) {
    return()
  }
  stop_ronda("file",
    sprintf("`%s` has %s in %s %d, which is no text in its encoding.", name,
      shown(texts[wrong[1L]]), if (is.factor(x)) "level" else "row", wrong[1L]
    ),
    sprintf("A %s file would hold other bytes.", format),
    "Fix them with iconv(), or write an .rds file.",
    call = call
  )
}

check_finite <- function(x, name, call) {
  if (!is.double(x) || is_int64(x)) {
    return()
  }
  wrong <- which(is.infinite(x) | is.nan(x))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("`%s` has %s in row %d, which JSON can't hold.", name,
        format(strip_class(x)[wrong[1L]]), wrong[1L]
      ),
      "Write a csv, parquet or .rds file, or make it missing.",
      call = call
    )
  }
}

type_parsers <- c("text", "number", "integer", "logical", "date", "datetime")

check_types <- function(types, call) {
  if (is.null(types)) {
    return()
  }
  if (!is.character(types) || is.null(names(types))) {
    stop_argument("`types` must be types by column name.",
      "Write, for example: types = c(id = \"text\")",
      call = call
    )
  }
  for (type in types) check_choice(type, type_parsers, "types", call)
}
