# Columns as the cells of text files.

# Columns as text files hold them: times with all of their fractions, in UTC (what
# others write of them is cut to seconds, or says no zone), 64-bit integers by their
# digits, whether their package is loaded or not, factors by their labels, durations as
# numbers.
as_written <- function(frame) {
  for (k in seq_along(frame)) frame[[k]] <- written_column(.subset2(frame, k))
  frame
}

written_column <- function(x) {
  type <- object_type(x)
  if (is.null(type)) x else type$cell(x)
}

# A frame as the cells of a text file: numbers of as few digits as give them back, texts
# in quotes where they need them
as_cells <- function(frame, delimiter) {
  for (k in seq_along(frame)) {
    x <- .subset2(frame, k)
    written <- written_column(x)
    frame[[k]] <- if (is.character(x) || is.factor(x)) {
      quoted_texts(written, delimiter)
    } else if (is.double(written) && !is.object(written)) {
      number_cells(written)
    } else {
      written
    }
  }
  # (a blank line would be no row)
  if (length(frame) == 1L) frame[[1L]][is.na(frame[[1L]])] <- "NA"
  names(frame) <- quoted_texts(names(frame), delimiter, is_name = TRUE)
  frame
}

# Texts in quotes where they hold a delimiter, a quote or a line break, or would be taken
# for a missing value (by readers that ask quotes; read_frame() doesn't)
quoted_texts <- function(texts, delimiter, is_name = FALSE) {
  texts <- enc2utf8(texts)
  needed <- grepl(sprintf("[%s\"\r\n]", delimiter), texts, useBytes = TRUE)
  needed <- needed | if (is_name) {
    # (a line of blanks is no header, and what begins a file may be a byte-order mark)
    grepl("^[ \t]*$", texts) | startsWith(texts, "\ufeff")
  } else {
    texts %in% c("", "NA")
  }
  quoted <- gsub("\"", "\"\"", texts[needed], fixed = TRUE, useBytes = TRUE)
  texts[needed] <- paste0("\"", quoted, "\"")
  Encoding(texts) <- "UTF-8"
  texts
}

number_cells <- function(x) {
  text <- shortest_texts_(x)
  odd <- which(is.infinite(x) | is.nan(x))
  text[odd] <- as.character(x[odd])
  text
}
