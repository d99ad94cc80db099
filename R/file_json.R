# JSON lines, with numbers that are never rounded.

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

# (jsonlite writes 15 digits of a number at the most, and 64-bit integers where their
# package is loaded. Where that is too little, numbers go through it as texts with a
# mark, which is taken off afterwards.)
write_json_lines <- function(x, written, path) {
  whole <- vapply(x, is_int64, NA)
  long <- which(whole | vapply(x, needs_all_digits, NA))
  mark <- paste0("number", basename(tempfile("")), ":")
  x <- written
  x[long] <- lapply(x[long], function(number) {
    text <- if (is.character(number)) number else shortest_texts_(number)
    ifelse(is.na(text), NA, paste0(mark, text))
  })
  stream <- function(path) {
    con <- file_to_write(path)
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
  to <- file_to_write(path)
  on.exit({
    close(from)
    close(to)
  }, add = TRUE)
  pattern <- sprintf("\"%s([^\"]*)\"", mark)
  while (length(lines <- readLines(from, 10000L, encoding = "bytes"))) {
    writeLines(gsub(pattern, "\\1", lines, useBytes = TRUE), to, useBytes = TRUE)
  }
}

file_to_write <- function(path) if (is_gz(path)) gzfile(path, "wb") else file(path, "wb")

# whether 15 digits are too few for some value
needs_all_digits <- function(x) {
  is.double(x) && !is.object(x) && any(nchar(shortest_texts_(x)) > 15L, na.rm = TRUE)
}
