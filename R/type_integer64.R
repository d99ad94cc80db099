# 64-bit integers: doubles by type, whose bits are whole numbers.

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
  if (is.numeric(value) && !is.object(value) && is_whole(value, 2^53)) {
    int64_from_number_(value)$values
  }
}

is_whole <- function(value, most) abs(value) <= most & value == trunc(value)

# As a number, a text, and as missing: ------------------------------------------

# exact up to 2^53
int64_double <- function(x) {
  halves <- int64_halves_(x)
  halves[[1L]] * 2^32 + halves[[2L]]
}

# (format() knows no 64-bit integers unless their package is loaded)
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
