# JSON lines, with numbers that are never rounded, and days and times that are texts as
# they are written here.

read_json_lines <- function(path, asked, label, call) {
  types <- asked$types
  copy <- tempfile("ronda-text-")
  on.exit(unlink(paste0(copy, c("", "8"))))
  path <- plain_text(path, asked[names(asked) != "skip"], copy)$path
  check_bytes(path)
  # The last line needs no line break.
  lines <- utf8_lines(path)
  lines <- lines[grepl("[^[:space:]]", lines)]
  if (!length(lines)) {
    return(data.frame())
  }
  cut <- grep("(?<!\\\\)(\\\\\\\\)*\\\\u0000", lines, perl = TRUE)
  if (length(cut)) {
    stop_unread(sprintf("row %d has a text with the character 0, which no text of R has", cut[1L]))
  }
  frame <- jsonlite::fromJSON(paste0("[", paste(lines, collapse = ","), "]"),
    bigint_as_char = TRUE
  )
  if (is.data.frame(frame) && nrow(frame) != length(lines)) {
    stop("some line does not hold one object, a row")
  }
  check_typed_names(types, names(frame), label, call)
  for (name in names(frame)) {
    x <- as_odd_words(as_unrounded(frame[[name]], name, lines), name, lines)
    frame[[name]] <- x
    if (!is.character(x)) next
    frame[[name]] <- if (name %in% names(types)) {
      parse_as(x, types[[name]], name, ".", identity)
    } else if (holds_big_numbers(x, name, lines)) {
      parse_big(x)
    } else {
      as_times(x, name, lines)
    }
  }
  frame
}

# jsonlite takes texts that are all "Inf", "NaN" or "NA" for numbers; JSON has no such
# numbers, so they are the texts that stand in the file.
as_odd_words <- function(x, name, lines) {
  is_odd <- is.atomic(x) && !is.character(x) && !any(is.finite(x))
  pattern <- "\"(NA|NaN|-?Inf)\""
  if (!is_odd || !some_line_has(lines, name, pattern)) {
    return(x)
  }
  field_texts(lines, name, sprintf("(?:%s|null)", pattern))
}

# Numbers as the texts that stand in the file where no number of R is one of them
as_unrounded <- function(x, name, lines) {
  if (!is.double(x) || is.object(x) || !any(abs(x) >= 2^63, na.rm = TRUE)) {
    return(x)
  }
  texts <- field_texts(lines, name, "(-?[0-9][0-9.eE+-]*)")
  large <- which(abs(x) >= 2^63)
  is_same <- ifelse(grepl("[.eE]", texts[large]), is.finite(x[large]),
    texts[large] == sprintf("%.0f", x[large])
  )
  if (all(is_same, na.rm = TRUE)) x else texts
}

# Whether a column that came as text is one of whole numbers beyond 2^53: such
# numbers stand without quotes in the file.
holds_big_numbers <- function(x, name, lines) {
  if (!all(is.na(x) | grepl("^-?[0-9]+$", x))) {
    return(FALSE)
  }
  some_line_has(lines, name, "-?[0-9]{16}")
}

some_line_has <- function(lines, name, pattern) {
  any(grepl(paste0(field_pattern(name), pattern), lines, perl = TRUE))
}

# what the group of a pattern finds in a field, line by line; NA for nothing
field_texts <- function(lines, name, pattern) {
  found <- regexec(paste0(field_pattern(name), pattern), lines, perl = TRUE)
  texts <- vapply(regmatches(lines, found), `[`, "", 2L)
  texts[!nzchar(texts)] <- NA
  texts
}

# what stands before a field's value
field_pattern <- function(name) {
  name <- as.character(jsonlite::toJSON(name, auto_unbox = TRUE))
  sprintf("\\Q%s\\E\\s*:\\s*", name)
}

# Days and times, where each is written as write_frame() writes it. A text that only
# looks so has the first of its digits escaped there.
as_times <- function(x, name, lines) {
  found <- as_times_written(x)
  if (is.character(found) || some_line_has(lines, name, "\"\\\\u003[0-9]")) x else found
}

# texts as days or times, if all of them would be written the same again
as_times_written <- function(x) {
  found <- times_(x)
  value <- switch(found$kind,
    date = structure(found$value, class = "Date"), time = as_utc(found$value), x
  )
  if (is.character(value) || !identical(written_column(value), x)) x else value
}

# jsonlite writes at most 15 digits of a number, and 64-bit integers only where their
# package is loaded. Where that is too little, numbers go through it as marked texts, and
# the mark is taken off afterwards; so do texts that look like days.
write_json_lines <- function(x, path) {
  written <- as_written(x)
  long <- which(vapply(x, is_int64, NA) | vapply(written, needs_all_digits, NA))
  timely <- which(vapply(x, looks_timely, NA))
  mark <- basename(tempfile("mark"))
  written[long] <- lapply(written[long], function(number) {
    text <- if (is.character(number)) number else shortest_texts_(number)
    ifelse(is.na(text), NA, paste0(mark, "number:", text))
  })
  written[timely] <- lapply(written[timely], function(text) {
    ifelse(is.na(text), NA, paste0(mark, "text:", text))
  })
  stream <- function(path) {
    con <- file_to_write(path)
    on.exit(close(con))
    jsonlite::stream_out(written, con, verbose = FALSE, digits = NA, na = "null")
  }
  if (!length(c(long, timely))) {
    return(stream(path))
  }
  marked <- tempfile(fileext = ".jsonl")
  on.exit(unlink(marked))
  stream(marked)
  from <- file(marked, "rb")
  to <- file_to_write(path)
  on.exit({
    close(from)
    close(to)
  }, add = TRUE)
  while (length(lines <- readLines(from, 10000L, encoding = "bytes"))) {
    lines <- gsub(sprintf("\"%snumber:([^\"]*)\"", mark), "\\1", lines, useBytes = TRUE)
    lines <- gsub(sprintf("\"%stext:", mark), "\"\\\\u003", lines, useBytes = TRUE)
    writeLines(lines, to, useBytes = TRUE)
  }
}

# whether a column of texts would be read as days or times
looks_timely <- function(x) {
  (is.character(x) || is.factor(x)) && !is.character(as_times_written(as.character(x)))
}

file_to_write <- function(path) if (is_gz(path)) gzfile(path, "wb") else file(path, "wb")

# whether 15 digits are too few for some value, or its sign would be lost
needs_all_digits <- function(x) {
  is.double(x) && !is.object(x) &&
    (any(nchar(shortest_texts_(x)) > 15L, na.rm = TRUE) || any(x == 0 & 1 / x < 0, na.rm = TRUE))
}
