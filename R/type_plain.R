# Plain numbers, without what their class says of them.

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
