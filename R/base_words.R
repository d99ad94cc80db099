# Words that messages are made of: counts, lists, names and values as an analyst
# would write them.

# `"a"`, `"b"` or `"c"`
any_of <- function(values, quote = "\"") {
  listed(paste0(quote, values, quote), "or", 20L)
}

# `a`, `b` and `c`
ticked <- function(values, most = 8L) {
  listed(paste0("`", readable(values), "`"), "and", most)
}

listed <- function(values, word, most = 8L) {
  if (length(values) > most) {
    more <- paste(length(values) - most + 1L, "more")
    values <- c(values[seq_len(most - 1L)], more)
  }
  n <- length(values)
  if (n < 2L) {
    return(paste(values))
  }
  paste(paste(values[-n], collapse = ", "), word, values[n])
}

# "1 row", "12 rows", "10,000,000 rows"
counted <- function(n, one, many = paste0(one, "s")) {
  paste(with_commas(n), if (n == 1) one else many)
}

with_commas <- function(n) {
  format(n, digits = 7L, big.mark = ",", decimal.mark = ".", scientific = FALSE, trim = TRUE)
}

# Numbers in sentences and in code are written in one way, whatever the session's options
# say of numbers (OutDec, scipen, digits).
format_number <- function(x, digits = 7L, scientific = 0L) {
  format(x, digits = digits, scientific = scientific, decimal.mark = ".")
}

with_commas_each <- function(n) vapply(n, with_commas, "")

# "90%", never "100%" or "0%" of what isn't all or nothing
percent_of <- function(part, whole) {
  share <- 100 * part / pmax(whole, 1)
  text <- paste0(format_each(share), "%")
  share[is.na(share)] <- 0
  text[share > 0 & share < 0.1] <- "under 0.1%"
  text[share < 100 & share > 99.9] <- "over 99.9%"
  text
}

format_each <- function(x) {
  vapply(x, function(one) {
    if (is.na(one)) {
      return("")
    }
    rounded <- round(one)
    is_whole <- one >= 10 && one <= 90 || one == rounded
    format_number(if (is_whole) rounded else round(one, 1L))
  }, "")
}

# Text that can be shown whatever its bytes: bytes that are not valid in its encoding become
# <ff>, as most functions on text stop at them.
readable <- function(text) {
  wrong <- !is_sound_text(text)
  if (any(wrong)) {
    text[wrong] <- iconv(text[wrong], "UTF-8", "UTF-8", sub = "byte")
  }
  text
}

# What moves the cursor, turns the direction of writing or has no width: names, values and
# labels of strangers may hold it
hidden_signs <- paste0(
  "[\u0001-\u001f\u007f-\u009f\u00ad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff",
  "\ufff9-\ufffb]"
)

# Lines as a terminal can be given them: hidden signs are shown. Line breaks, too, unless
# they are ours (`breaks`); the styles of styled() stay.
on_terminal <- function(lines, breaks = FALSE) {
  lines <- readable(lines)
  at <- which(grepl(hidden_signs, lines, perl = TRUE))
  lines[at] <- vapply(lines[at], signs_shown, "", breaks, USE.NAMES = FALSE)
  lines
}

signs_shown <- function(line, breaks) {
  ours <- if (has_styles()) own_styles else character()
  for (k in seq_along(ours)) line <- gsub(ours[k], style_places[k], line, fixed = TRUE)
  signs <- strsplit(enc2utf8(line), "")[[1L]]
  hidden <- grepl(hidden_signs, signs, perl = TRUE)
  if (breaks) hidden <- hidden & signs != "\n"
  codes <- vapply(signs[hidden], utf8ToInt, 1L)
  signs[hidden] <- ifelse(codes < 128L, encodeString(signs[hidden]), sprintf("<U+%04X>", codes))
  line <- paste(signs, collapse = "")
  for (k in seq_along(ours)) line <- gsub(style_places[k], ours[k], line, fixed = TRUE)
  line
}

own_styles <- paste0("\033[", c(1L, 22L, 90L, 39L), "m")

# Placeholders that occur in no text.
style_places <- intToUtf8(0xF0000L + 1:4, multiple = TRUE)

print_lines <- function(lines) cat(on_terminal(lines), sep = "\n")

is_sound_text <- function(text) {
  sound <- rep(TRUE, length(text))
  other <- beyond_ascii_(text)
  if (length(other)) sound[other] <- validEnc(text[other]) & Encoding(text[other]) != "bytes"
  sound
}

# A value as an analyst would write it, short
shown <- function(value) {
  if (is.null(value)) {
    return("NULL")
  }
  if (is.function(value)) {
    return("a function")
  }
  if (!is.atomic(value) || length(value) != 1L || is.object(value) ||
    !is.null(dim(value))) {
    return(described(value))
  }
  if (is.character(value) && !is.na(value)) {
    return(encodeString(shortened(value), quote = "\""))
  }
  text <- format_number(value, 15L)
  exact <- !is.double(value) || is.na(value) || as.numeric(text) == value
  if (exact) text else format_number(value, 17L)
}

shortened <- function(text, most = 40L) {
  text <- readable(text)
  long <- nchar(text, "width", allowNA = TRUE) > most
  long <- !is.na(long) & long
  text[long] <- paste0(substr(text[long], 1L, most - 3L), "...")
  text
}

# Pairs of texts shortened so that they never look alike where they differ: around the
# place where they begin to
shortened_apart <- function(x, y, most = 40L) {
  short <- list(x = shortened(x, most), y = shortened(y, most))
  for (k in which(x != y & short$x == short$y)) {
    both <- shown_apart(readable(c(x[k], y[k])), most)
    short$x[k] <- both[1L]
    short$y[k] <- both[2L]
  }
  short
}

# texts around the first letter in which they differ
shown_apart <- function(texts, most) {
  letters <- strsplit(texts, "")
  n <- min(lengths(letters))
  differs <- vapply(seq_len(n), function(k) {
    length(unique(vapply(letters, `[`, "", k))) > 1L
  }, NA)
  first <- c(which(differs), n + 1L)[1L]
  # as many letters before it as after it, between two ellipses
  from <- max(1L, first - (most - 6L) %/% 2L)
  shortened(paste0("...", substring(texts, from)), most)
}

# names that stay apart when they are shortened: by their starts, or else their starts and
# ends, or else where they differ
distinct_short <- function(names, most) {
  names <- readable(names)
  apart <- function(short, shown) {
    for (at in split(seq_along(names), short)) {
      if (length(unique(names[at])) > 1L) short[at] <- shown(names[at])
    }
    short
  }
  both_ends <- function(names) {
    ends <- substring(names, pmax(1L, nchar(names) - most %/% 2L + 2L))
    paste0(substr(names, 1L, most %/% 2L - 2L), "...", ends)
  }
  short <- apart(shortened(names, most), both_ends)
  make.unique(apart(short, function(names) shown_apart(names, most)), " ")
}

described <- function(value) {
  kind <- if (is.data.frame(value)) {
    return("a data frame")
  } else if (is.object(value) && !is.null(dim(value))) {
    sprintf("an object of class `%s`", class(value)[1L])
  } else if (!is.null(dim(value))) {
    return("a matrix")
  } else if (is.object(value)) {
    sprintf("an object of class %s", any_of(class(value)[1L], "`"))
  } else if (is.character(value)) {
    "a text vector"
  } else if (is.list(value)) {
    "a list"
  } else if (is.language(value)) {
    "code"
  } else if (is.environment(value)) {
    "an environment"
  } else {
    sprintf("%s %s vector", if (is.integer(value)) "an" else "a", typeof(value))
  }
  if (is.atomic(value) && !is.object(value)) {
    kind <- sprintf("%s of length %d", kind, length(value))
  }
  kind
}

# What R's functions say of letters and signs of UTF-8 texts, the same in every session: they
# know those of its locale, in C none beyond ASCII, in Turkish other small letters.
with_all_letters <- function(expr) {
  if (!identical(tolower("I\u00d6"), "i\u00f6")) {
    locale <- Sys.getlocale("LC_CTYPE")
    suppressWarnings(Sys.setlocale("LC_CTYPE", "C.UTF-8"))
    on.exit(Sys.setlocale("LC_CTYPE", locale))
  }
  expr
}

# names without what is often written in two ways: case, signs and blanks
bare_name <- function(name) {
  with_all_letters(gsub("[^[:alnum:]]", "", tolower(enc2utf8(name))))
}

# "Did you mean `vessel`?", or nothing when no name is close
closest_name <- function(name, names) {
  name <- readable(name)
  names <- readable(names)
  if (!length(names) || nchar(name) > 200L) {
    return("")
  }
  plain <- bare_name(names)
  own <- bare_name(name)
  distance <- drop(utils::adist(own, plain))
  starts <- startsWith(plain, own) & nchar(name) > 2L
  distance[starts] <- pmin(distance[starts], 1)
  letters_of <- function(x) {
    vapply(strsplit(x, ""), function(c) paste(sort(c), collapse = ""), "")
  }
  swapped <- letters_of(plain) == letters_of(own)
  distance[swapped] <- pmin(distance[swapped], 1)
  best <- which.min(distance)
  if (distance[best] > max(1, nchar(name) %/% 3)) {
    return("")
  }
  sprintf("Did you mean `%s`?", names[best])
}

# What helps who named a column that isn't there: the closest name, else all of them
columns_hint <- function(name, names) {
  near <- closest_name(name, names)
  if (nzchar(near) || !length(names)) near else paste("Its columns:", ticked(names))
}

# Lines no wider than the terminal
folded <- function(text, width = min(getOption("width"), 80L)) {
  unlist(lapply(text, strwrap, width = width, exdent = 2L))
}

# Text in a style where the terminal has styles
styled <- function(text, style) {
  if (!has_styles()) {
    return(text)
  }
  switch(style,
    bold = as.character(cli::style_bold(text)),
    dim = as.character(cli::col_grey(text))
  )
}

has_styles <- function() {
  requireNamespace("cli", quietly = TRUE) && cli::num_ansi_colors() > 1L
}

symbol_arrow <- function() if (has_unicode()) "\u2192" else "->"

has_unicode <- function() {
  isTRUE(getOption("cli.unicode", l10n_info()[["UTF-8"]]))
}

byte_words <- function(bytes) {
  if (bytes < 1000) sprintf("%d bytes", as.integer(bytes)) else {
    units <- c("kB", "MB", "GB", "TB")
    k <- min(floor(log10(bytes) / 3), length(units))
    sprintf("%.3g %s", bytes / 1000^k, units[k])
  }
}

# Names as code ----------------------------------------------------------------------

# Names and texts as R code, so that what is told to be written can be pasted.

text_code <- function(text) paste0("\"", escaped(text, "\""), "\"")

# A name as R code: port, `tide level`
name_code <- function(name) {
  plain <- make.names(readable(name)) == name | name %in% frame_marks
  ifelse(plain, name, paste0("`", escaped(name, "`"), "`"))
}

# A column of a frame as R code: ports$`tide level`; its name is that of --types: left.km
place_code <- function(frame, column) {
  side <- match(frame, frame_marks)
  side <- ifelse(is.na(side), frame, c("left", "right")[side])
  structure(paste0(name_code(frame), "$", name_code(column)), names = paste0(side, ".", column))
}

escaped <- function(text, quote) {
  text <- readable(text)
  signs <- c("\\" = "\\\\", "\n" = "\\n", "\r" = "\\r", "\t" = "\\t")
  for (sign in names(signs)) text <- gsub(sign, signs[[sign]], text, fixed = TRUE)
  gsub(quote, paste0("\\", quote), text, fixed = TRUE)
}

# Frames in messages --------------------------------------------------------------

# Inner functions know a frame only as left or right, so their messages have a mark in its
# place. The mark becomes what the analyst calls the frame: `sailings` (left) in words,
# sailings in code.
frame_mark <- function(side) paste0("\001", side, "\002")

frame_marks <- frame_mark(c("left", "right"))

# the call to blame, with what its frames are called in words and in code
call_with_frames <- function(call, labels, code) {
  # Wrong `sides` are reported later.
  if (!is.character(labels) || length(labels) != 2L || anyNA(labels)) labels <- code
  attr(call, "frames") <- list(labels = labels, code = code)
  call
}

# The caller's own names of the two frames, where they are plain names
frame_code <- function(left, right) {
  code <- c(
    if (is.symbol(left)) as.character(left) else "left",
    if (is.symbol(right)) as.character(right) else "right"
  )
  hidden <- startsWith(code, ".")
  if (any(hidden)) code[hidden] <- c("left", "right")[hidden]
  code
}

# the same as the two are called in words: each needs a name of its own, also where a frame
# is joined with itself
frame_labels <- function(code) {
  if (code[1L] == code[2L]) sprintf("%s (%s)", code, c("left", "right")) else code
}
