# How text is to be read: what an analyst may say of a file, how that is written, and what is
# told of a file that can't be read.

# signs that separate cells, and what they are called
separators <- c("comma" = ",", "semicolon" = ";", "tab" = "\t", "bar" = "|")

usual_separators <- c(csv = ",", tsv = "\t")

separator_word <- function(sign) {
  known <- match(sign, separators)
  if (is.na(known)) shown(sign) else paste0(names(separators)[known], "s")
}

# How cells are read. `side`: the side that the file is on, where options say it. (`skipped`,
# added while it is read: lines that were left out already, and `marks`, those that may be
# before decimals.)
reading_asked <- function(types = NULL, decimal = NULL, delimiter = NULL, missing = "NA",
                          encoding = NULL, quote = "\"", skip = NULL, side = "") {
  list(
    types = types, decimal = decimal, delimiter = delimiter, missing = missing,
    encoding = encoding, quote = quote, skip = skip, side = side
  )
}

# An argument of reading as it is written, for the side of the file: --skip left=1-3
reading_setting <- function(asked, name, value) {
  # Lines that are left out already must be said again.
  if (name == "skip") value <- unique(c(asked$skipped, asked$skip, value))
  if (!speaks_options()) {
    return(if (name == "skip") sprintf("skip = %s", lines_code(value)) else setting(name, value))
  }
  if (name == "types") {
    if (nzchar(asked$side)) names(value) <- paste0(asked$side, ".", name_in_option(names(value)))
    return(paste("--types", shell_words(paste0(names(value), "=", value, collapse = ","))))
  }
  if (name == "skip") value <- gsub(":", "-", lines_ranges(value), fixed = TRUE)
  value <- paste(value, collapse = ",")
  if (nzchar(asked$side)) value <- paste0(asked$side, "=", value)
  paste(option_of(name), shell_words(value))
}

# numbers of lines as they are written: 1:3, c(1:3, 9)
lines_code <- function(lines) {
  parts <- strsplit(lines_ranges(lines), ",", fixed = TRUE)[[1L]]
  if (length(parts) == 1L) parts else sprintf("c(%s)", paste(parts, collapse = ", "))
}

lines_ranges <- function(lines) {
  lines <- sort(lines)
  runs <- split(lines, cumsum(c(TRUE, diff(lines) != 1)))
  paste(vapply(runs, function(run) {
    if (length(run) == 1L) format(run, scientific = FALSE) else {
      paste(format(range(run), scientific = FALSE, trim = TRUE), collapse = ":")
    }
  }, ""), collapse = ",")
}

# A file that can't be read: why, and what to write instead; the reader adds its name.
stop_unread <- function(text, ...) {
  stop(structure(
    class = c("ronda_unread", "error", "condition"),
    list(message = text, call = NULL, advice = c(...))
  ))
}

# Evaluates `expr`; what goes wrong is told of the file
naming_file <- function(expr, label, call) {
  tryCatch(expr, error = function(e) {
    if (inherits(e, "ronda_error")) stop(e)
    stop_ronda("file", one_line(sprintf("%s can't be read: %s",
      encodeString(shortened(label, 200L), quote = "'"), conditionMessage(e)
    )), e$advice, call = call)
  })
}

# Checks -----------------------------------------------------------------------------

check_asked <- function(asked, call) {
  check_types(asked$types, call)
  if (!is.null(asked$decimal)) check_choice(asked$decimal, c(".", ","), "decimal", call)
  check_sign(asked$delimiter, "delimiter", ";", call)
  if (!identical(asked$quote, "")) check_sign(asked$quote, "quote", "'", call)
  if (!is.character(asked$missing) || anyNA(asked$missing)) {
    stop_argument(said("`missing` must be the texts of cells that mean a missing value."),
      paste("Write, for example:", setting("missing", c("NA", "-"))),
      call = call
    )
  }
  check_encoding(asked$encoding, call)
  check_skip(asked$skip, call)
}

# one sign of one byte, or NULL
check_sign <- function(sign, arg, example, call) {
  if (is.null(sign)) {
    return()
  }
  is_sign <- is.character(sign) && length(sign) == 1L && !is.na(sign) &&
    nchar(sign, "bytes") == 1L && !sign %in% c("\n", "\r")
  if (!is_sign) {
    stop_argument(sprintf("%s must be a single sign, not %s.", argument_said(arg), shown(sign)),
      paste("Write, for example:", setting(arg, example)),
      call = call
    )
  }
}

check_encoding <- function(encoding, call) {
  if (is.null(encoding)) {
    return()
  }
  check_name(encoding, "encoding", call)
  known <- grepl("^[A-Za-z][A-Za-z0-9_.:+-]*$", encoding) && tryCatch({
    iconv("a", encoding, "UTF-8")
    TRUE
  }, error = function(e) FALSE)
  if (!known) {
    stop_argument(sprintf("%s %s is not known.", argument_said("encoding"), shown(encoding)),
      closest_name(encoding, common_encodings),
      either("iconvlist() lists those that are there.", "iconv -l lists those that are there."),
      call = call
    )
  }
}

common_encodings <- c(
  "latin1", "latin2", "latin9", "windows-1250", "windows-1251", "windows-1252", "UTF-8",
  "UTF-16", "UTF-16LE", "UTF-16BE", "Shift_JIS", "GB18030", "Big5", "EUC-KR"
)

# encodings in which a letter of ASCII has more bytes than one
is_wide <- function(encoding) {
  !is.null(encoding) && grepl("^(utf-?(16|32)|ucs)", encoding, ignore.case = TRUE)
}

check_skip <- function(skip, call) {
  if (is.null(skip)) {
    return()
  }
  if (!is.numeric(skip) || anyNA(skip) || any(skip == 0 | skip != trunc(skip))) {
    stop_argument(said("`skip` must be the numbers of lines that hold no row."),
      paste0("Write, for example: ", reading_setting(reading_asked(), "skip", 1:3), ", or ",
        reading_setting(reading_asked(), "skip", -1), " for the last one."
      ),
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
    stop_argument(said("`types` must be types by column name."),
      paste("Write, for example:", setting("types", c(id = "text"))),
      call = call
    )
  }
  for (type in types) {
    if (!grepl("^(date|datetime):.+", type)) check_choice(type, type_parsers, "types", call)
  }
}
