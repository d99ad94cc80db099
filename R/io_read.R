#' Read and write data frames
#'
#' By the file's extension: `.csv`, `.tsv`, `.rds`, `.parquet` (with the
#' package nanoparquet) and `.jsonl` or `.ndjson` (JSON lines, with jsonlite). Csv, tsv
#' and JSON lines may be compressed: `.csv.gz`. A folder of parquet files is read as one
#' frame, in the order of their names.
#'
#' Cells of csv and tsv are read by R's own [scan()] where there are few of them, else by
#' readr. A column is of another type than text only where no cell changes by it;
#' all rows are looked at. Numbers become integers where all are whole and small, else
#' doubles; whole numbers beyond 2^53 are never rounded, but 64-bit integers (with the
#' package bit64) or text. ISO 8601 text becomes dates, and date-times in UTC, unless one of
#' the days doesn't exist. Only `TRUE` and `FALSE` in full are logical values.
#' Leading zeros, plus signs, thousands marks, exponents such as `12E4`
#' (which may be a code; `1.2e4` and `1e+05` are numbers), and digits that a double can't
#' keep leave a column text. What is text for the sake of a few cells, or in a form that may
#' mean two things (`03/04/2031`), is said in a message, with what to write.
#'
#' **What nobody says is found in the first rows, and a message says it.** Cells are between
#' commas (in a
#' .tsv between tabs); where the names have none, but have semicolons, tabs or bars that split
#' the first rows alike, between these. Between semicolons, a column of which all cells are
#' numbers with a decimal comma is a column of numbers; beside such a column one whose numbers
#' have points stays text, as its points may be marks between thousands. A first line `sep=;`
#' is followed. Separators at the end of every row make no column. A column without a name is
#' named by its place (`column_3`), and one of a name that an earlier one has gets a number
#' (`km_2`). Lines above the names are an error that says `skip`.
#'
#' A cell with nothing in it, or with a text of `missing`, is missing, in quotes or without:
#' quotes say neither that a cell is text nor that it is an empty one. Blanks are kept, but
#' for those before a number. A blank line is not a row, except in a file of one column, where
#' it is a missing value. Lines end in a line feed, a carriage return or both. Text is UTF-8,
#' with a byte-order mark or without, or UTF-16 with its mark; `encoding` says another.
#' A line with more or fewer cells than there are names, a quote that is never closed and a
#' byte 0 are errors that name the line and say what may cure it. Bytes of parquet or of a
#' compressed file are read as what they are, whatever the file's name says, with a message.
#'
#' What was written comes back as it was: values, missing ones, fractions of seconds. Text
#' files have no types of their own: whole numbers come back as integers where they fit, a
#' factor as text, a column without values as logical; a message says which times are written
#' in UTC, which durations as numbers, which texts are read back as numbers or days (but for
#' `types`), and where empty texts or `NA` are read back as missing. Parquet keeps zones,
#' levels and units in notes of its own that other programs pass over; .rds keeps
#' everything. What a file can't hold is an error before anything is written.
#'
#' `write_frame()` writes under a temporary name and renames at the end, so a
#' file is there whole or not at all. Text that begins with `=`, `+`, `-` or `@`
#' is written as it is; a spreadsheet may take it for a formula. A link stays a link, mode
#' and owner stay as they were; a device or a pipe is written to, and read.
#'
#' Rds is R's own serialization, for files of people you trust; parquet and csv hold values
#' only. What an rds file holds beside plain data (functions, promises, environments, code)
#' is refused before it could run. Text that would take more than a third of the free
#' memory is refused, too: `options(ronda.max_file_bytes = )` sets another limit, and
#' [frame_files()] reads in pieces.
#'
#' @param path `[character(1)]` The file; for reading, or a folder of parquet files.
#' @param types `[character]` For csv, tsv and JSON lines: types by column name, each
#'   `"text"`, `"number"`, `"integer"`, `"logical"`, `"date"` or `"datetime"`; with the
#'   form of the cells `"date:%d.%m.%Y"` or `"datetime:%d.%m.%Y %H:%M"`, as in
#'   [strptime()]. `"number"` also reads marks between thousands (`1,234.5`), `"date"` takes
#'   the day of a time, in UTC.
#' @param decimal `[character(1)]` For csv and tsv, the mark before decimals: `"."` or `","`.
#'   NULL: a point, or what the columns of a file with semicolons have.
#' @param delimiter `[character(1)]` For csv and tsv, the sign between cells. NULL: found in
#'   the first rows.
#' @param missing `[character]` For csv and tsv: texts of cells that mean a missing value.
#'   An empty cell always does.
#' @param encoding `[character(1)]` The encoding of text files, any that [iconv()] knows, such
#'   as `"latin1"` or `"windows-1252"`. NULL: UTF-8, or UTF-16 with its mark.
#' @param quote `[character(1)]` For csv and tsv, the sign around texts; `""` where none is.
#' @param skip `[numeric]` For csv and tsv, the numbers of lines that hold no row: `1:3` above
#'   the names, a line of units or totals, `-1` for the last line that is not blank.
#' @param x `[data.frame]` The frame to write.
#' @return `read_frame()`: a data frame (base). `write_frame()`: `path`,
#'   invisibly.
#' @section Errors: `ronda_error_file` when a file can't be read or written whole (a
#'   compressed one that was cut off can't), when its extension is not known, when a cell
#'   is not of the type asked for, or when
#'   the file can't hold a value (infinite ones in JSON lines; in text files parts of days
#'   and years of more than four digits; text with bytes that its encoding doesn't have);
#'   `ronda_error_type` when a column can't be written to that kind of file;
#'   `ronda_error_argument` otherwise.
#' @seealso `vignette("writing-files")`.
#' @examples
#' path <- system.file("extdata", "vessels.csv", package = "ronda")
#' vessels <- read_frame(path)
#' copy <- tempfile(fileext = ".tsv")
#' write_frame(vessels, copy)
#' identical(read_frame(copy), vessels)
#' @export
read_frame <- function(path, types = NULL, decimal = NULL, delimiter = NULL, missing = "NA",
                       encoding = NULL, quote = "\"", skip = NULL) {
  asked <- reading_asked(types, decimal, delimiter, missing, encoding, quote, skip)
  with_memory_errors(read_file(path, asked, quote(read_frame())))
}

# `asked`: how cells are read, as of reading_asked(); `spare`: types of columns that
# the file doesn't have, or has types of its own for, are passed over
read_file <- function(path, asked, call, spare = FALSE) {
  check_name(path, "path", call)
  check_asked(asked, call)
  if (!file.exists(path)) stop_no_file(path, call)
  # A pipe can be read only once, so its bytes go to a file first.
  if (file_kind_(path) == "other") {
    copy <- kept_stream(file(path, "rb", raw = TRUE), path)
    on.exit(unlink(copy))
    if (is.null(asked$label)) asked$label <- path
    return(read_file(copy, asked, call, spare))
  }
  # A folder holds parquet files.
  format <- if (dir.exists(path)) "parquet" else file_format(path, call)
  if (spare && !format %in% text_formats) asked$types <- NULL
  if (length(asked$types) && !format %in% text_formats) {
    stop_argument(said("`types` is for csv, tsv and JSON lines; %s has its own types.",
      encodeString(shortened(path, 200L), quote = "'")
    ), call = call)
  }
  if (file.access(path, 4L) != 0L) {
    stop_file("The file %s may not be read.", path, call)
  }
  # readers would take some names for addresses or for data
  file <- normalizePath(path)
  if (grepl("[\r\n]", file)) {
    file <- tempfile(fileext = file_ending(path))
    on.exit(unlink(file))
    file.copy(path, file)
  }
  if (spare && length(asked$types)) attr(asked$types, "spare") <- TRUE
  label <- if (is.null(asked$label)) path else asked$label
  naming_file(read_as(true_format(format, file, label), file, asked, label, call), label, call)
}

check_is_parquet <- function(file) {
  if (kind_by_bytes(file) != "parquet") {
    stop_unread("it is not a parquet file", "If it is text, give it a name in .csv.")
  }
}

# The format that a file has by its first bytes, where these say more than its name
true_format <- function(format, file, label) {
  name <- encodeString(shortened(label, 200L), quote = "'")
  if (!format %in% text_formats) {
    return(format)
  }
  kind <- text_kind(file, c("parquet", "gzip"))
  if (kind == "parquet") {
    say_classed("note", sprintf("%s is a parquet file, whatever its name says.", name))
    return(kind)
  }
  if (kind == "gzip" && !is_gz(label)) {
    packed <- first_bytes(file, 2)
    if (identical(packed, charToRaw("X\n")) || identical(packed, charToRaw("RD"))) {
      stop_unread("it is an rds file, whatever its name says", "Give it a name in .rds.")
    }
    say_classed("note", sprintf("%s is compressed, whatever its name says.", name))
  }
  format
}

# What comes through a connection, copied to a file of the kind that its name says, csv by
# default
kept_stream <- function(con, name) {
  known <- tolower(tools::file_ext(sub("[.]gz$", "", name, ignore.case = TRUE)))
  ending <- if (known %in% names(file_formats)) file_ending(name) else ".csv"
  copy <- tempfile(fileext = ending)
  copy_bytes(con, file(copy, "wb"))
  copy
}

#' @rdname read_frame
#' @export
write_frame <- function(x, path) {
  call <- quote(write_frame())
  check_frame(x, "x", call)
  check_name(path, "path", call)
  with_memory_errors(write_frames(structure(list(x), names = path), call))
  invisible(path)
}

read_as <- function(format, path, asked, label, call) {
  switch(format,
    csv = , tsv = read_delimited(path, usual_separators[[format]], asked, label, call),
    rds = as_plain_frame(plain_data(readRDS(path), label, call)),
    parquet = {
      need_packages("nanoparquet", "Reading parquet", class = "file", least = "0.5.1")
      if (dir.exists(path)) {
        read_parquet_folder(if (dir.exists(label)) label else path, asked, call)
      } else {
        check_is_parquet(path)
        read_parquet_file(path)
      }
    },
    jsonl = {
      need_packages("jsonlite", "Reading JSON lines", class = "file")
      as_plain_frame(read_json_lines(path, asked, label, call))
    }
  )
}
