# Factors: codes with labels. They match by label, and a level that is missing is a
# missing value.

# A factor whose codes have no level would be read past its levels.
check_factor <- function(x, column, frame, call) {
  if (!is_damaged_factor(x)) {
    return()
  }
  stop_ronda("type",
    sprintf("`%s` of `%s` is a damaged factor: it has codes without a level.",
      column, frame
    ),
    sprintf("Make it anew: %s <- factor(...)", place_code(frame, column)),
    call = call
  )
}

is_damaged_factor <- function(x) {
  is.factor(x) && !(typeof(x) == "integer" && is.character(levels(x)) &&
    codes_within_(x, length(levels(x))))
}

# As a number, missing where the level is; as a text
factor_codes <- function(x) {
  codes <- as.integer(unclass(x))
  if (anyNA(levels(x))) codes[codes %in% which(is.na(levels(x)))] <- NA
  codes
}

as_text <- function(x) if (is.factor(x)) as.character(x) else x

align_factors <- function(x, y) {
  left <- enc2utf8(levels(x))
  right <- enc2utf8(levels(y))
  if (!identical(left, right) || anyNA(left) || anyDuplicated(left)) {
    all <- union(left, right)
    all <- all[!is.na(all)]
    x <- match(left, all)[as.integer(x)]
    y <- match(right, all)[as.integer(y)]
  }
  key_pair("int32", x, y)
}

# two factors with the left's levels, then the right's new ones; ordered only if both
# are, with equal levels
common_factors <- function(x, y) {
  if (identical(levels(x), levels(y))) {
    if (is.ordered(x) != is.ordered(y)) {
      x <- unordered(x)
      y <- unordered(y)
    }
    return(list(left = x, right = y))
  }
  levels <- union(levels(x), levels(y))
  list(
    left = with_levels(unordered(x), levels),
    right = with_levels(unordered(y), levels)
  )
}

unordered <- function(x) {
  class(x) <- setdiff(oldClass(x), "ordered")
  x
}

# a factor with more or other levels; its other attributes stay
with_levels <- function(x, levels) {
  codes <- match(levels(x), levels)
  kept <- attributes(x)
  kept$levels <- levels
  if (!identical(codes, seq_along(codes))) x <- codes[as.integer(x)]
  attributes(x) <- kept
  x
}
