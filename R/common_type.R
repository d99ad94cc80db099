# The type that holds the values of both sides' columns: that of the one key
# column, and of columns merged by "fill" and "agree".

# list(left = , right = ): the two columns in their common type, which
# check_common_type() has made sure of
common_columns <- function(x, y) {
  if (inherits(x, "AsIs")) x <- plain_as_is(x)
  if (inherits(y, "AsIs")) y <- plain_as_is(y)
  families <- c(key_family(x), key_family(y))
  if (!families_match(families[1L], families[2L])) {
    return(list(left = x, right = y))
  }
  switch(family_group(families[1L]),
    number = common_numbers(x, y, families),
    text = common_text(x, y, families),
    difftime = common_durations(x, y),
    Date = ,
    POSIXct = common_storage(x, y),
    list(left = x, right = y)
  )
}

has_common_type <- function(x, y) {
  families_match(key_family(x), key_family(y)) || are_plain_alike(x, y)
}

# Columns that can't be keys have a common type when they are of one plain type.
are_plain_alike <- function(x, y) {
  !is.object(x) && !is.object(y) && is.null(dim(x)) && is.null(dim(y)) &&
    typeof(x) == typeof(y) && typeof(x) %in% c("list", "complex", "raw")
}

common_storage <- function(x, y) {
  if (typeof(x) != typeof(y)) {
    if (typeof(x) == "integer") storage.mode(x) <- "double"
    if (typeof(y) == "integer") storage.mode(y) <- "double"
  }
  list(left = x, right = y)
}

common_numbers <- function(x, y, families) {
  if (!any(families == "integer64") || all(families == "integer64")) {
    return(common_storage(x, y))
  }
  list(
    left = as_int64(x, families[1L]),
    right = as_int64(y, families[2L])
  )
}

as_int64 <- function(x, family) {
  if (family == "integer64") {
    return(x)
  }
  parts <- int64_from_number_(x)
  values <- structure(parts$values, class = "integer64")
  # values that no 64-bit integer can hold; they matter only where the result
  # takes them
  attr(values, "not_int64") <- parts$not_int64
  values
}

# (an attribute is only touched where it is there: setting one copies)
held_alone <- function(common) {
  for (side in names(common)) {
    if (!is.null(attr(common[[side]], "not_int64"))) {
      attr(common[[side]], "not_int64") <- NULL
    }
  }
  common
}

common_text <- function(x, y, families) {
  if (!all(families == "factor")) {
    return(list(left = as_text(x), right = as_text(y)))
  }
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

common_durations <- function(x, y) {
  units <- c(attr(x, "units"), attr(y, "units"))
  if (units[1L] != units[2L]) {
    seconds <- duration_seconds[units]
    y <- as_double(y) * (seconds[[2L]] / seconds[[1L]])
    x <- common_storage(x, 1)$left
  }
  common_storage(x, y)
}
