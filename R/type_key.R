# Key columns made comparable: every pair of types becomes a pair of vectors that the
# engine reads as plain numbers or text.

# One rule's two columns as the engine takes them: a list of one or two column
# pairs, each list(kind, left, right), and where texts of a side may be equal at
# different addresses, `one_address`: FALSE for that side.
align_keys <- function(x, y, rule, call, frames = frame_marks) {
  families <- c(key_family(x), key_family(y))
  if (!families_match(families[1L], families[2L])) {
    if (!key_columns_match(x, y)) stop_key_types(x, y, rule, call)
    typed <- typed_alike(x, y)
    x <- typed$left
    y <- typed$right
    families <- c(key_family(x), key_family(y))
  }
  if (families[1L] == "factor") check_factor(x, rule$left, frames[1L], call)
  if (families[2L] == "factor") check_factor(y, rule$right, frames[2L], call)
  switch(family_group(families[1L]),
    number = align_numbers(x, y, families),
    text = list(align_text(x, y, families)),
    logical = list(key_pair("int32", x, y)),
    Date = list(align_dates(x, y)),
    POSIXct = list(align_doubles(x, y)),
    difftime = list(align_durations(x, y)),
    stop("align_keys(): unknown family ", families[1L])
  )
}

align_numbers <- function(x, y, families) {
  if (any(families == "integer64")) {
    return(align_int64(x, y))
  }
  if (all(families == "integer")) {
    return(list(key_pair("int32", x, y)))
  }
  list(align_doubles(x, y))
}

align_dates <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(key_pair("int32", x, y))
  }
  key_pair("day", as_double(x), as_double(y))
}

# A double that is no 64-bit integer equals none, but may equal another such
# double: it goes into a second column.
align_int64 <- function(x, y) {
  sides <- lapply(list(x, y), int64_parts)
  pairs <- list(key_pair("int64", sides[[1L]]$values, sides[[2L]]$values))
  rest <- lapply(sides, function(side) side$not_int64)
  if (!is.null(rest[[1L]]) || !is.null(rest[[2L]])) {
    none <- vapply(rest, is.null, NA)
    rest[none] <- lapply(list(x, y)[none], function(x) numeric(length(x)))
    pairs[[2L]] <- c(key_pair("real", rest[[1L]], rest[[2L]]), rest = TRUE)
  }
  pairs
}

align_text <- function(x, y, families) {
  if (all(families == "factor")) {
    return(align_factors(x, y))
  }
  c(list(kind = engine_kinds[["text"]]), comparable_texts_(as_text(x), as_text(y)))
}
