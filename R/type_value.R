# Values of any type as they are shown, told apart and found missing.

# the record of an object whose values are stored as they should be, else NULL
object_type <- function(x) {
  type <- if (is.object(x)) claimed_type(x)
  if (!is.null(type) && typeof(x) %in% type$stored) type
}

is_missing <- function(x) {
  if (is.list(x)) {
    return(vapply(x, is.null, NA))
  }
  own <- object_type(x)$missing
  if (is.null(own)) is.na(x) else own(x)
}

# how many are missing; where R says so by its own missing values the engine counts
missing_count <- function(x) {
  kind <- if (is.null(object_type(x)$missing)) typeof(x) else "other"
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
  type <- object_type(x)
  if (is.null(type)) strip_class(x) != strip_class(y) else type$unlike(x, y)
}

# Values as they are shown: numbers and times with all of the digits that tell them apart,
# times in their own zone
value_texts <- function(x) {
  type <- if (is.character(x)) {
    type_kinds$text
  } else if (is.object(x)) {
    object_type(x)
  } else if (is.numeric(x)) {
    type_kinds$double
  }
  if (is.null(type)) format(x, digits = 15, trim = TRUE) else type$shown(x)
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
  type <- type_of(x)
  if (is.null(type)) value_texts(x) else type$key_text(x)
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

# The gap between two values: left - right, or with `ahead` right - left, in the left
# column's units
gap_of <- function(x, y, ahead, call) {
  gap <- type_of(x)$gap
  if (ahead) gap(y, x, x, call) else gap(x, y, x, call)
}

# Where a column stands: list(side, name)
place_of <- function(column) {
  sprintf("`%s` of `%s`", column$name, frame_mark(column$side))
}

place_code_of <- function(column) place_code(frame_mark(column$side), column$name)
