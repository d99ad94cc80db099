#' Read and write data frames
#'
#' By the file's extension: `.csv`, `.tsv`, `.rds`, `.parquet` (with the
#' package nanoparquet) and `.jsonl` or `.ndjson` (JSON lines, with jsonlite).
#'
#' Text is kept as it stands, blanks included. ISO 8601 text becomes dates and
#' date-times (in UTC), numbers become doubles, or integers where all are whole
#' and small. Whole numbers beyond 2^53 are never rounded: they come as 64-bit
#' integers (with the package bit64) or as text. `write_frame()` writes under a
#' temporary name and renames at the end, so a file is there whole or not at
#' all.
#'
#' @param path `[character(1)]` The file.
#' @param types `[character]` For csv and tsv: types by column name, each
#'   `"text"`, `"number"`, `"integer"`, `"logical"`, `"date"` or `"datetime"`.
#' @param x `[data.frame]` The frame to write.
#' @return `read_frame()`: a data frame (base). `write_frame()`: `path`,
#'   invisibly.
#' @section Errors: `ronda_error_file` when a file can't be read or written, or
#'   its extension is not known; `ronda_error_type` when a column can't be
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
  tryCatch(read_as(format, path, types),
    ronda_error = function(e) stop(e),
    error = function(e) {
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

# Frames by path: all are written under temporary names before the first is
# renamed.
write_frames <- function(frames, call) {
  paths <- names(frames)
  formats <- vapply(paths, file_format, "", call = call)
  for (k in seq_along(frames)) {
    check_writable_columns(frames[[k]], formats[[k]], call)
    if (!dir.exists(dirname(paths[k]))) {
      stop_file("There is no folder %s.", dirname(paths[k]), call)
    }
    if (dir.exists(paths[k])) {
      stop_file("%s is a folder, not a file.", paths[k], call)
    }
  }
  parts <- vapply(paths, function(path) {
    tempfile(".ronda-", dirname(path), paste0(".", tools::file_ext(path)))
  }, "")
  on.exit(unlink(parts))
  for (k in seq_along(frames)) {
    tryCatch(suppressWarnings(write_as(formats[[k]], frames[[k]], parts[k])),
      error = function(e) {
        stop_file("%s can't be written: %s", paths[k], call, conditionMessage(e))
      }
    )
  }
  moved <- suppressWarnings(file.rename(parts, paths))
  if (!all(moved)) {
    stop_file("%s can't be written: renaming failed.", paths[!moved][1L], call)
  }
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

need_package <- function(package, what) {
  if (!requireNamespace(package, quietly = TRUE)) {
    stop_ronda("file",
      sprintf("%s needs the package %s, which isn't installed.", what, package),
      sprintf("Write: install.packages(\"%s\")", package)
    )
  }
}

read_as <- function(format, path, types) {
  switch(format,
    csv = read_delimited(path, ",", types),
    tsv = read_delimited(path, "\t", types),
    rds = as_plain_frame(readRDS(path), path),
    parquet = {
      need_package("nanoparquet", "Reading parquet")
      as_plain_frame(nanoparquet::read_parquet(path), path)
    },
    jsonl = {
      need_package("jsonlite", "Reading JSON lines")
      con <- file(path, "r", encoding = "UTF-8")
      on.exit(close(con))
      as_plain_frame(jsonlite::stream_in(con, verbose = FALSE), path)
    }
  )
}

as_plain_frame <- function(x, path) {
  if (!is.data.frame(x)) stop("it holds no data frame")
  class(x) <- "data.frame"
  x
}

write_as <- function(format, x, path) {
  class(x) <- "data.frame"
  switch(format,
    csv = write_delimited(x, path, ","),
    tsv = write_delimited(x, path, "\t"),
    rds = {
      saveRDS(x, path)
      check_compressed(path)
    },
    parquet = {
      need_package("nanoparquet", "Writing parquet")
      nanoparquet::write_parquet(x, path)
      check_end(path, charToRaw("PAR1"))
    },
    jsonl = {
      need_package("jsonlite", "Writing JSON lines")
      write_json_lines(x, path)
      check_lines(path, nrow(x))
    }
  )
}

write_delimited <- function(x, path, delimiter) {
  need_package("readr", "Writing csv and tsv")
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

write_json_lines <- function(x, path) {
  con <- file(path, "w", encoding = "UTF-8")
  on.exit(close(con))
  jsonlite::stream_out(x, con, verbose = FALSE, digits = NA, na = "null")
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
  file <- file(path, "rb")
  on.exit(close(file))
  lines <- 0
  while (length(bytes <- readBin(file, raw(), 1e7))) {
    lines <- lines + sum(bytes == as.raw(10L))
  }
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
}

# Text first, types after: so blanks stay and no number is rounded unseen.
read_delimited <- function(path, delimiter, types) {
  need_package("readr", "Reading csv and tsv")
  frame <- suppressWarnings(readr::read_delim(path,
    delim = delimiter, col_types = readr::cols(.default = "c"),
    trim_ws = FALSE, progress = FALSE, show_col_types = FALSE,
    name_repair = "minimal", quote = "\"", escape_double = TRUE
  ))
  problems <- readr::problems(frame)
  if (nrow(problems)) {
    first <- problems[1L, ]
    stop(sprintf("line %d has %s where %s were expected", first$row,
      first$actual, first$expected
    ))
  }
  columns <- lapply(seq_along(frame), function(k) .subset2(frame, k))
  names(columns) <- names(frame)
  unknown <- setdiff(names(types), names(columns))
  if (length(unknown)) {
    stop_argument(sprintf("`types` names a column `%s`, which %s doesn't have.",
      unknown[1L], encodeString(path, quote = "'")
    ), closest_name(unknown[1L], names(columns)), call = quote(read_frame()))
  }
  columns <- Map(function(text, name) {
    if (name %in% names(types)) {
      parse_as(text, types[[name]], name)
    } else {
      parse_column(text)
    }
  }, columns, names(columns))
  as_base_frame(columns, nrow(frame))
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

parse_as <- function(text, type, name) {
  parser <- switch(type,
    text = return(text),
    number = readr::parse_double,
    integer = readr::parse_integer,
    logical = readr::parse_logical,
    date = readr::parse_date,
    datetime = readr::parse_datetime
  )
  value <- suppressWarnings(parser(text))
  wrong <- which(is.na(value) & !is.na(text))
  if (length(wrong)) {
    stop(sprintf("column `%s` has %s in row %d, which is no %s", name,
      shown(text[wrong[1L]]), wrong[1L], type
    ))
  }
  attr(value, "problems") <- NULL
  value
}

parse_column <- function(text) {
  if (all(is.na(text))) {
    return(as.logical(text))
  }
  value <- readr::parse_guess(text)
  attr(value, "problems") <- NULL
  if (is.character(value) || inherits(value, "hms")) {
    return(text)
  }
  if (!is.numeric(value) ||
    !all(is.na(text) | grepl("^ *-?[0-9]+ *$", text))) {
    return(value)
  }
  largest <- max(abs(value), na.rm = TRUE)
  if (largest <= .Machine$integer.max) {
    as.integer(value)
  } else if (largest < 2^53) {
    value
  } else {
    parse_big(text)
  }
}

# Whole numbers too big for doubles: 64-bit integers, or text where even those
# don't hold them.
parse_big <- function(text) {
  if (!requireNamespace("bit64", quietly = TRUE)) {
    return(text)
  }
  value <- suppressWarnings(bit64::as.integer64(text))
  back <- as.character(value)
  same <- is.na(text) | (!is.na(back) & back == trimws(text))
  if (all(same)) value else text
}
