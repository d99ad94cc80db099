# Plain numbers, whatever their class says of them, and 64-bit integers: doubles by type,
# whose bits are whole numbers (R needs a package to see them).

# the engine's kinds, in the order of KeyKind in src/core/key_column.h
engine_kinds <- c(int32 = 0L, real = 1L, day = 2L, int64 = 3L, text = 4L)

key_pair <- function(kind, left, right) {
  list(kind = engine_kinds[[kind]], left = left, right = right)
}

align_doubles <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(key_pair("int32", x, y))
  }
  key_pair("real", as_double(x), as_double(y))
}

strip_class <- function(x) {
  if (!is.null(attributes(x))) attributes(x) <- NULL
  x
}

# the values as doubles, as R has them
as_double <- function(x) {
  switch(typeof(x),
    double = x,
    integer = , logical = as_doubles_(x),
    as.double(unclass(x))
  )
}

common_storage <- function(x, y) {
  if (typeof(x) != typeof(y)) {
    if (typeof(x) == "integer") storage.mode(x) <- "double"
    if (typeof(y) == "integer") storage.mode(y) <- "double"
  }
  list(left = x, right = y)
}

no_scale <- function(family) {
  list(family = family, unit = NA_real_, left_unit = NA_real_)
}

# values that are stored as the numbers they are ordered by
plain_order <- function(values, family) {
  list(values = lapply(values, as_double), int64 = FALSE, scale = no_scale(family))
}

# A number as a column stores its own: an integer one keeps its type, whichever rows
# are absent; one that can't be held so is refused.
as_stored <- function(number, x) {
  number <- strip_class(number)
  if (is.null(number) || typeof(x) == "double") {
    return(number)
  }
  if (is_whole(number, 2^31 - 1)) as.integer(number)
}

is_plain_number <- function(value) is.numeric(value) && !is.object(value)

is_whole <- function(value, most) abs(value) <= most & value == trunc(value)

# values that are not of a form as a whole are missing
whole_texts <- function(form, texts, values) {
  values[!grepl(form, texts)] <- NA
  values
}

# Each number as a text that reads back to it, so that two values never share one
number_texts <- function(x) {
  texts <- rep(NA_character_, length(x))
  whole <- !is.na(x) & abs(x) <= 2^53 & x == trunc(x)
  # most whole numbers are integers, whose digits are known soonest
  small <- whole & abs(x) <= .Machine$integer.max
  texts[small] <- as.character(as.integer(x[small]))
  large <- whole & !small
  texts[large] <- sprintf("%.0f", x[large])
  texts[is.infinite(x)] <- as.character(x[is.infinite(x)])
  other <- !whole & is.finite(x)
  texts[other] <- shortest_texts_(x[other])
  texts
}

# 64-bit integers -----------------------------------------------------------------------

is_int64 <- function(x) inherits(x, "integer64")

int64_class <- function(x) structure(x, class = "integer64")

# A number column as 64-bit integers: list(values, not_int64), where `not_int64` has
# the numbers that are none and 0 in their stead; NULL when all are
int64_parts <- function(x) {
  if (is_int64(x)) list(values = x, not_int64 = NULL) else int64_from_number_(x)
}

# one number as a 64-bit integer, NULL when it is none
int64_value <- function(value) {
  if (is_int64(value)) {
    return(value)
  }
  if (is_plain_number(value) && is_whole(value, 2^53)) int64_from_number_(value)$values
}

# exact up to 2^53
int64_double <- function(x) {
  halves <- int64_halves_(x)
  halves[[1L]] * 2^32 + halves[[2L]]
}

int64_text <- function(x) {
  halves <- int64_halves_(x)
  int64_digits(halves[[1L]], halves[[2L]])
}

# decimal digits of high * 2^32 + low, four at a time
int64_digits <- function(high, low) {
  negative <- !is.na(high) & high < 0
  carries <- negative & low > 0
  high[negative] <- -high[negative]
  high[carries] <- high[carries] - 1
  low[carries] <- 2^32 - low[carries]
  digits <- ""
  for (part in 1:5) {
    rest <- (high %% 1e4) * 2^32 + low
    high <- high %/% 1e4
    low <- rest %/% 1e4
    digits <- paste0(sprintf("%04.0f", rest %% 1e4), digits)
  }
  text <- paste0(ifelse(negative, "-", ""), sub("^0+(?=.)", "", digits, perl = TRUE))
  text[is.na(high)] <- NA
  text
}

int64_missing <- function(x) is.na(int64_halves_(x)[[1L]])

int64_unlike <- function(x, y) {
  x <- int64_halves_(x)
  y <- int64_halves_(y)
  x[[1L]] != y[[1L]] | x[[2L]] != y[[2L]]
}

# numbers of any type as doubles
as_number <- function(x) if (is_int64(x)) int64_double(x) else as_double(x)

plain_numbers <- function(x) strip_class(as_number(x))
