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
    text = if (all(families == "factor")) {
      common_factors(x, y)
    } else {
      list(left = as_text(x), right = as_text(y))
    },
    difftime = common_durations(x, y),
    Date = ,
    POSIXct = common_storage(x, y),
    list(left = x, right = y)
  )
}

# Key columns of which one is logical without any value, as in a file that has a header
# alone: it is taken to be of the other's type.
typed_alike <- function(x, y) {
  if (has_no_value(x)) {
    if (!has_no_value(y)) x <- missing_values(y, length(x))
  } else if (has_no_value(y)) {
    y <- missing_values(x, length(y))
  }
  list(left = x, right = y)
}

has_no_value <- function(x) {
  is.logical(x) && !is.object(x) && is.null(dim(x)) && all(is.na(x))
}

# so many missing values as a column has them
missing_values <- function(like, n) gather_(like, integer(n))

key_columns_match <- function(x, y) {
  if (families_match(key_family(x), key_family(y))) {
    return(TRUE)
  }
  typed <- typed_alike(x, y)
  families_match(key_family(typed$left), key_family(typed$right))
}

has_common_type <- function(x, y) {
  families_match(key_family(x), key_family(y)) || are_plain_alike(x, y)
}

# Columns that can't be keys have a common type when they are of one plain type.
are_plain_alike <- function(x, y) {
  !is.object(x) && !is.object(y) && is.null(dim(x)) && is.null(dim(y)) &&
    typeof(x) == typeof(y) && typeof(x) %in% c("list", "complex", "raw")
}

common_numbers <- function(x, y, families) {
  if (!any(families == "integer64") || all(families == "integer64")) {
    return(common_storage(x, y))
  }
  list(left = as_int64(x), right = as_int64(y))
}

# numbers that no 64-bit integer can hold ride along; they matter only where the
# result takes them
as_int64 <- function(x) {
  if (is_int64(x)) {
    return(x)
  }
  parts <- int64_parts(x)
  values <- int64_class(parts$values)
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
