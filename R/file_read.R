#' Read and write data frames
#'
#' By the file's extension: `.csv`, `.tsv`, `.rds`, `.parquet` (with the
#' package nanoparquet) and `.jsonl` or `.ndjson` (JSON lines, with jsonlite). Csv, tsv
#' and JSON lines may be compressed: `.csv.gz`.
#'
#' In csv and tsv, text is kept as it stands, blanks included, and a column is of
#' another type only where no cell changes by it. ISO 8601 text becomes dates and
#' date-times (in UTC), unless a day among it doesn't exist. Numbers become doubles, or
#' integers where all are whole and small; leading zeros, plus signs, thousands marks,
#' decimal commas, exponents such as `12E4` (which may be a code), and digits that a
#' double can't keep leave a column text. Only `TRUE` and `FALSE` in full are logical
#' values.
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
#'   `"text"`, `"number"`, `"integer"`, `"logical"`, `"date"` or `"datetime"`; with the
#'   form of the cells `"date:%d.%m.%Y"` or `"datetime:%d.%m.%Y %H:%M"`, as in
#'   [strptime()].
#' @param decimal `[character(1)]` For csv and tsv: `"."`, or `","` where numbers are
#'   written with a decimal comma.
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
read_frame <- function(path, types = NULL, decimal = ".") {
  call <- quote(read_frame())
  check_name(path, "path", call)
  check_types(types, call)
  check_choice(decimal, c(".", ","), "decimal", call)
  format <- file_format(path, call)
  if (!file.exists(path)) stop_file("There is no file %s.", path, call)
  if (dir.exists(path)) stop_file("%s is a folder, not a file.", path, call)
  if (file.access(path, 4L) != 0L) {
    stop_file("The file %s may not be read.", path, call)
  }
  # what reads files would take some names for addresses or for data
  file <- normalizePath(path)
  if (grepl("[\r\n]", file)) {
    file <- tempfile(fileext = file_ending(path))
    on.exit(unlink(file))
    file.copy(path, file)
  }
  tryCatch(read_as(format, file, types, decimal, path, call),
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

read_as <- function(format, path, types, decimal, label, call) {
  switch(format,
    csv = read_delimited(path, ",", types, decimal, label, call),
    tsv = read_delimited(path, "\t", types, decimal, label, call),
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
  for (type in types) {
    if (!grepl("^(date|datetime):.+", type)) check_choice(type, type_parsers, "types", call)
  }
}
