# Values of any type as numbers, as texts, and as missing: for one type each question
# is answered here and in the type's own file.

# numbers of any type as doubles
as_number <- function(x) if (is_int64(x)) int64_double(x) else as_double(x)

plain_numbers <- function(x) strip_class(as_number(x))

is_missing <- function(x) {
  if (is.list(x)) {
    return(vapply(x, is.null, NA))
  }
  if (is_int64(x) && is.double(x)) {
    return(int64_missing(x))
  }
  is.na(if (is.factor(x)) factor_codes(x) else x)
}

# how many are missing; of plain numbers and times the engine counts
missing_count <- function(x) {
  kind <- if (is_int64(x) || is.factor(x)) "other" else typeof(x)
  switch(kind,
    double = count_missing_(list(x), engine_kinds[["real"]]),
    integer = , logical = count_missing_(list(x), engine_kinds[["int32"]]),
    sum(is_missing(x))
  )
}

# the same for values as the engine takes them
missing_number <- function(x, int64) {
  if (int64) int64_missing(x) else is.na(strip_class(x))
}

# whether two columns of one type differ, value by value
unlike <- function(x, y) {
  if (is.list(x)) {
    return(!mapply(identical, x, y))
  }
  if (is_int64(x)) {
    return(int64_unlike(x, y))
  }
  if (is.factor(x)) {
    return(as.integer(x) != as.integer(y))
  }
  strip_class(x) != strip_class(y)
}

# Values as they are shown: numbers and times with all of the digits that tell them apart,
# times in their own zone
value_texts <- function(x) {
  if (is_int64(x)) {
    int64_text(x)
  } else if (is.character(x) || is.factor(x)) {
    readable(as.character(x))
  } else if (is.numeric(x) && !is.object(x)) {
    number_texts(x)
  } else if (inherits(x, "POSIXct") && any(is_fraction(x))) {
    local_time_texts(x)
  } else {
    format(x, digits = 15, trim = TRUE)
  }
}

is_fraction <- function(x) {
  seconds <- as_double(strip_class(x))
  is.finite(seconds) & seconds != floor(seconds)
}

# of times with fractions of a second
local_time_texts <- function(x) {
  seconds <- as_double(strip_class(x))
  whole <- format(structure(floor(seconds), class = class(x), tzone = attr(x, "tzone")),
    "%Y-%m-%d %H:%M:%S"
  )
  paste0(whole, ifelse(is_fraction(x),
    sub("^[^.]*([.][0-9]+)Z$", "\\1", time_texts(seconds)), ""
  ))
}

# the same as in messages: texts in quotes, none longer than `most` letters
value_words <- function(x, most = 40L) {
  text <- value_texts(x)
  if (is.finite(most)) text <- shortened(text, most)
  if (is.character(x) || is.factor(x)) text <- encodeString(text, quote = "\"")
  text[is_missing(x)] <- "NA"
  text
}

# values as texts that tell them apart and can be read back: without an exponent, dates
# and times in one form whatever the locale
key_texts <- function(x) {
  family <- key_family(x)
  switch(if (is.na(family)) "none" else family,
    text = , factor = as_text(x),
    integer64 = int64_text(x),
    integer = , double = , difftime = number_texts(as_double(strip_class(x))),
    Date = format(structure(floor(as_double(strip_class(x))), class = "Date"), "%Y-%m-%d"),
    POSIXct = time_texts(as_double(strip_class(x))),
    logical = as.character(strip_class(x)),
    value_texts(x)
  )
}

# Each number as a text that reads back to it, so that two values never share one
number_texts <- function(x) {
  texts <- rep(NA_character_, length(x))
  whole <- !is.na(x) & abs(x) <= 2^53 & x == trunc(x)
  # (most whole numbers are integers, whose digits are known soonest)
  small <- whole & abs(x) <= .Machine$integer.max
  texts[small] <- as.character(as.integer(x[small]))
  large <- whole & !small
  texts[large] <- sprintf("%.0f", x[large])
  texts[is.infinite(x)] <- as.character(x[is.infinite(x)])
  other <- !whole & is.finite(x)
  texts[other] <- shortest_texts_(x[other])
  texts
}

# the same, with more letters where some would look alike
distinct_words <- function(x) {
  words <- value_words(x)
  all <- value_words(x, Inf)
  alike <- words %in% words[duplicated(words) & !duplicated(all)]
  if (any(alike)) {
    # from where the first two of them begin to differ
    letters <- strsplit(unique(all[alike]), "")
    n <- min(lengths(letters))
    begin <- lapply(letters, utils::head, n)
    differ <- Reduce(`|`, lapply(begin[-1L], `!=`, begin[[1L]]))
    first <- c(which(differ), n)[1L]
    from <- max(2L, first - 15L)
    words[alike] <- paste0("\"...", shortened(substring(all[alike], from), 37L))
  }
  words
}
