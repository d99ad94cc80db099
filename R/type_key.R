# Columns as the engine takes them: every pair of key columns becomes pairs of vectors that
# it reads as plain numbers or text, or two columns of one type.

# only what the engine reads: values, and the class of 64-bit integers
engine_values <- function(x) {
  int64 <- is_int64(x)
  attributes(x) <- NULL
  if (int64) int64_class(x) else x
}

# One rule's two columns as the engine takes them: a list of one or two column
# pairs, each list(kind, left, right), and where texts of a side may be equal at
# different addresses, `one_address`: FALSE for that side.
align_keys <- function(x, y, rule, call, frames = frame_marks) {
  if (!types_match(x, y)) {
    if (!key_columns_match(x, y)) stop_key_types(x, y, rule, call)
    typed <- typed_alike(x, y)
    x <- typed$left
    y <- typed$right
  }
  check_values(x, rule$left, frames[1L], call)
  check_values(y, rule$right, frames[2L], call)
  type_of(x)$align(x, y)
}

key_columns_match <- function(x, y) {
  if (types_match(x, y)) {
    return(TRUE)
  }
  typed <- typed_alike(x, y)
  types_match(typed$left, typed$right)
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

# The type that holds the values of both sides' columns: that of the one key column, and of
# columns merged by "fill" and "agree". check_common_type() has made sure that there is one.
common_columns <- function(x, y) {
  if (inherits(x, "AsIs")) x <- plain_as_is(x)
  if (inherits(y, "AsIs")) y <- plain_as_is(y)
  if (types_match(x, y)) type_of(x)$common(x, y) else list(left = x, right = y)
}

has_common_type <- function(x, y) types_match(x, y) || are_plain_alike(x, y)

# Columns that can't be keys have a common type when they are of one plain type.
are_plain_alike <- function(x, y) {
  !is.object(x) && !is.object(y) && is.null(dim(x)) && is.null(dim(y)) &&
    typeof(x) == typeof(y) && typeof(x) %in% c("list", "complex", "raw")
}
