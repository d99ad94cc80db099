# Text, and factors: codes with labels. They match by label, and a level that is missing
# is a missing value.

# A factor whose codes have no level would be read past its levels.
is_damaged_factor <- function(x) {
  is.factor(x) && !(typeof(x) == "integer" && is.character(levels(x)) &&
    codes_within_(x, length(levels(x))))
}

# codes, missing where the level is
factor_codes <- function(x) {
  codes <- as.integer(unclass(x))
  if (anyNA(levels(x))) codes[codes %in% which(is.na(levels(x)))] <- NA
  codes
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

# a column that can hold a value: a factor with it as a level
with_level <- function(x, value) {
  if (is.factor(x) && !value %in% levels(x)) with_levels(x, c(levels(x), value)) else x
}

align_texts <- function(x, y) {
  list(if (is.factor(x) && is.factor(y)) {
    align_factors(x, y)
  } else {
    c(list(kind = engine_kinds[["text"]]), comparable_texts_(as_text(x), as_text(y)))
  })
}

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

common_texts <- function(x, y) {
  if (is.factor(x) && is.factor(y)) {
    return(common_factors(x, y))
  }
  list(left = as_text(x), right = as_text(y))
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

# Text as its rank among all the values: in C order, the same everywhere
rank_values <- function(values) {
  texts <- lapply(values, function(x) enc2utf8(as_text(x)))
  all <- sort(unique(unlist(texts)), method = "radix")
  lapply(texts, function(x) as.double(match(x, all)))
}

# ordered factors by their levels, which must be the same
level_order <- function(values, columns, call) {
  alike <- vapply(values, function(x) identical(levels(x), levels(values[[1L]])), NA)
  if (!all(alike)) {
    stop_ronda("type",
      sprintf("%s and %s are ordered factors of different levels.",
        place_of(columns[[1L]]), place_of(columns[[which(!alike)[1L]]])
      ),
      "Give both the same levels, in the same order.",
      call = call
    )
  }
  list(
    values = lapply(values, function(x) as.double(as.integer(x))), int64 = FALSE,
    scale = no_scale("ordered")
  )
}

register_text <- function(name, word, ...) {
  register_type(name, word,
    group = "text", align = align_texts, common = common_texts,
    shown = function(x) readable(as.character(x)), key_text = function(x) as_text(x),
    hold = function(value, x) {
      if (is.character(value) || is.factor(value)) as.character(value)
    }, ...
  )
}

register_text("text", "text",
  order = function(values, columns, call) {
    list(values = rank_values(values), int64 = FALSE, scale = no_scale("text"))
  }
)

register_text("factor", "factor",
  class = "factor", classes = c("factor", "ordered"), stored = "integer",
  damage = function(x) if (!is.character(levels(x))) "its levels are not text",
  damaged_values = function(x) if (is_damaged_factor(x)) "codes without a level",
  order_group = function(x) if (is.ordered(x)) "ordered" else NA_character_,
  order = level_order, missing = function(x) is.na(factor_codes(x)),
  unlike = function(x, y) as.integer(x) != as.integer(y),
  cell = function(x) as.character(x),
  parquet = parquet_form(
    note = function(x, as_number) if (is.ordered(x)) c("levels", "ordered"),
    noted = function(x, what, value) {
      if (what == "levels" && is.factor(x)) class(x) <- c("ordered", "factor")
      x
    }
  )
)
