# How the cells of a csv or tsv file are set apart, where nobody says it: the separator, lines
# above the names, and the names themselves, from the first rows.

# The first rows of some text: list(rows, lines), the rows with a letter in place of what is in
# quotes, and the line on which each begins
rows_at_top <- function(text, quote, is_end, most = 100L) {
  ends <- which(text == as.raw(10L))
  if (length(ends) && (length(ends) > most || !is_end)) {
    text <- text[seq_len(ends[min(length(ends), most + 1L)])]
  }
  has_quotes <- nzchar(quote) && any(text == charToRaw(quote))
  text <- rawToChar(text[text != as.raw(0L)])
  if (has_quotes) {
    at <- gregexpr(quoted_cells(quote), text, perl = TRUE, useBytes = TRUE)
    inside <- regmatches(text, at)
    # A line break in quotes is kept as another sign, for the numbers of the lines.
    regmatches(text, at) <- lapply(inside, function(x) {
      paste0("q", gsub("\n", "\001", gsub("[^\n]", "", x, useBytes = TRUE), fixed = TRUE))
    })
  }
  rows <- strsplit(text, "\r?\n", useBytes = TRUE)[[1L]]
  breaks <- lengths(regmatches(rows, gregexpr("\001", rows, fixed = TRUE, useBytes = TRUE)))
  lines <- cumsum(c(1, 1 + breaks))[seq_along(rows)]
  rows <- gsub("\001", "", rows, fixed = TRUE, useBytes = TRUE)
  there <- grepl("[^ \t]", rows, useBytes = TRUE) | grepl("\t", rows, fixed = TRUE, useBytes = TRUE)
  list(rows = rows[there], lines = lines[there])
}

cells_in_rows <- function(rows, sign) {
  1L + nchar(rows, "bytes") -
    nchar(gsub(sign, "", rows, fixed = TRUE, useBytes = TRUE), "bytes")
}

# The separator of a file: the usual one where the names have it, else the only other one that
# is in them and splits the first rows alike
found_separator <- function(top, usual) {
  if (!length(top$rows)) {
    return(usual)
  }
  in_names <- separators[vapply(separators, cells_in_rows, 1L, rows = top$rows[1L]) > 1L]
  if (usual %in% in_names || length(in_names) != 1L) {
    return(usual)
  }
  cells <- cells_in_rows(top$rows, in_names)
  alike <- cells[-1L] %in% (cells[1L] + 0:1)
  # lines above the names may be set apart by it, too
  common <- most_common(cells)
  if (!length(alike) || mean(alike) >= 0.9 || common > 1L && mean(cells == common) >= 0.6) {
    in_names[[1L]]
  } else {
    usual
  }
}

most_common <- function(counts) as.integer(names(which.max(table(counts))))

# How a file is read whose first line says its separator, as spreadsheets write it: "sep=;"
asked_of_first_line <- function(path, asked) {
  bytes <- without_mark(first_bytes(path, 9))
  line <- strsplit(rawToChar(bytes[bytes != as.raw(0L)]), "[\r\n]", useBytes = TRUE)[[1L]][1L]
  if (!grepl("^sep=.$", line, useBytes = TRUE)) {
    return(asked)
  }
  if (is.null(asked$delimiter)) asked$delimiter <- substring(line, 5L)
  asked$skip <- union(1, asked$skip)
  asked
}

# Lines above the names: they have fewer cells than nearly all rows from some line on.
check_names_first <- function(top, sign, asked) {
  if (length(top$rows) < 3L) {
    return()
  }
  one_cell <- cells_in_rows(top$rows[1L], sign) == 1L
  signs <- if (one_cell && is.null(asked$delimiter)) unique(c(sign, separators)) else sign
  found <- Filter(length, lapply(signs, names_below, top = top))
  if (!length(found)) {
    return()
  }
  # of several separators the one that makes most cells
  found <- found[[which.max(vapply(found, `[[`, 0L, "cells"))]]
  line <- top$lines[found$first]
  stop_unread(
    sprintf("line %.0f has %s, and %s from line %.0f on have %d", top$lines[1L],
      counted(found$above, "column"), if (found$all) "all rows" else "most rows", line, found$cells
    ),
    sprintf("If the names are in line %.0f: %s", line,
      reading_setting(asked, "skip", seq_len(line - 1))
    ),
    if (found$above == 1L && is.null(asked$delimiter)) {
      sprintf("If it has one column: %s", reading_setting(asked, "delimiter", sign))
    },
    quote_hint(top, asked)
  )
}

# list(first, cells, above, all): the row with the names, where rows above it have fewer cells
# by a separator; NULL where none have
names_below <- function(sign, top) {
  cells <- cells_in_rows(top$rows, sign)
  usual <- most_common(cells)
  first <- match(usual, cells)
  below <- seq.int(first, length(cells))
  there <- cells[below] == usual
  stands_above <- first > 1L && usual > 1L && all(cells[seq_len(first - 1L)] < usual) &&
    length(below) > 1L && mean(there) >= 0.8 &&
    sum(there) >= (first - 1L) * (if (cells[1L] > 1L) 2L else 1L) &&
    !(usual == cells[1L] + 1L && endsWith(top$rows[2L], sign))
  if (stands_above) list(first = first, cells = usual, above = cells[1L], all = all(there))
}

# What may be said of quotes: some cells begin with another one
quote_hint <- function(top, asked) {
  if (asked$quote == "\"" && any(grepl("(^|[,;\t|])'[^']*'", top$rows, useBytes = TRUE))) {
    sprintf("If texts are between ' signs: %s", reading_setting(asked, "quote", "'"))
  }
}

# Whether a separator ends every row, behind the last column: no name and no cell is there
ends_in_separator <- function(top, sign) {
  n <- length(top$rows)
  cells <- cells_in_rows(top$rows, sign)
  ends <- endsWith(top$rows, sign)
  n > 1L && cells[1L] - ends[1L] > 0L && all(ends[-1L]) &&
    all(cells[-1L] == cells[1L] + !ends[1L])
}

# Names ------------------------------------------------------------------------------

# Each column by a name of its own: those without one by their place, and those of a name
# that an earlier one has with a number
settled_names <- function(names) {
  empty <- !nzchar(names)
  names[empty] <- paste0("column_", which(empty))
  for (k in which(duplicated(names))) {
    name <- names[k]
    times <- sum(names[seq_len(k)] == name)
    while (paste0(name, "_", times) %in% names) times <- times + 1L
    names[k] <- paste0(name, "_", times)
  }
  names
}
