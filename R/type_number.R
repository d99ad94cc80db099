# Numbers: integers, doubles and 64-bit integers. They match and compare by value. And flags.

align_numbers <- function(x, y) {
  if (is_int64(x) || is_int64(y)) align_int64(x, y) else list(align_doubles(x, y))
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

common_numbers <- function(x, y) {
  if (is_int64(x) == is_int64(y)) common_storage(x, y) else {
    list(left = as_int64(x), right = as_int64(y))
  }
}

# Numbers that no 64-bit integer can hold are kept in an attribute: they matter only
# where the result takes them.
as_int64 <- function(x) {
  if (is_int64(x)) {
    return(x)
  }
  parts <- int64_parts(x)
  values <- int64_class(parts$values)
  attr(values, "not_int64") <- parts$not_int64
  values
}

# two columns without that attribute (setting one copies, so it is only taken off where
# it is there)
without_not_int64 <- function(common) {
  for (side in names(common)) {
    if (!is.null(attr(common[[side]], "not_int64"))) {
      attr(common[[side]], "not_int64") <- NULL
    }
  }
  common
}

# Order and distance -----------------------------------------------------------------

number_order <- function(values, columns, call) {
  long <- vapply(values, is_int64, NA)
  if (!any(long)) {
    return(list(
      values = lapply(values, as_double), int64 = FALSE, scale = no_scale("number")
    ))
  }
  converted <- lapply(values, int64_parts)
  odd <- vapply(converted, function(x) !is.null(x$not_int64), NA)
  if (any(odd)) {
    return(mixed_numbers(values, columns, long, which(odd)[1L], call))
  }
  list(
    values = lapply(converted, function(x) strip_class(x$values)),
    int64 = TRUE, scale = no_scale("number")
  )
}

# 64-bit integers beside fractions: as doubles, where that loses nothing
mixed_numbers <- function(values, columns, long, odd, call) {
  as_doubles <- lapply(values, as_number)
  big <- vapply(as_doubles[long], function(x) any(abs(x) >= 2^53, na.rm = TRUE),
    NA
  )
  if (any(big)) {
    stop_ronda("type",
      sprintf("%s holds fractions and %s holds integers beyond 2^53.",
        place_of(columns[[odd]]), place_of(columns[[which(long)[1L]]])
      ),
      "They can't be compared exactly: convert one of them first.",
      call = call
    )
  }
  list(values = as_doubles, int64 = FALSE, scale = no_scale("number"))
}

# Of 64-bit integers and integers a 64-bit integer; beside doubles, which may have
# fractions, a double.
number_gap <- function(x, y, call) {
  if (!is_int64(x) && !is_int64(y)) {
    return(plain_numbers(x) - plain_numbers(y))
  }
  long <- lapply(list(x, y), int64_parts)
  whole <- is.null(long[[1L]]$not_int64) && is.null(long[[2L]]$not_int64)
  if (whole) {
    gap <- int64_class(int64_minus_(long[[1L]]$values, long[[2L]]$values))
    over <- which(is_missing(gap) & !is_missing(x) & !is_missing(y))
    if (length(over)) {
      stop_ronda("type", "A gap is too long for a column of 64-bit integers.",
        sprintf("It is that between %s and %s.",
          value_words(gather_(x, over[1L])),
          value_words(gather_(y, over[1L]))
        ),
        said("Leave out `gap`, or look no farther than a distance: `within`."),
        call = call
      )
    }
  }
  is_real <- function(x) is.double(x) && !is_int64(x)
  if (!is_real(x) && !is_real(y)) {
    return(gap)
  }
  if (!whole) {
    return(as_number(x) - as_number(y))
  }
  number <- int64_double(gap)
  lost <- which(unlike(int64_class(int64_from_number_(number)$values), gap))
  if (length(lost)) {
    stop_ronda("type",
      sprintf("A gap of %s is too long for a column of doubles.",
        value_words(gather_(gap, lost[1L]))
      ),
      "Make both columns 64-bit integers.",
      call = call
    )
  }
  number
}

# The types ------------------------------------------------------------------------

register_number <- function(name, word, class = NULL, ...) {
  register_type(name, word,
    group = "number", class = class, align = align_numbers, common = common_numbers,
    order = number_order, measured = TRUE,
    gap = function(x, y, like, call) number_gap(x, y, call),
    read = function(text) utils::type.convert(text, as.is = TRUE), ...
  )
}

register_number("integer", "integer",
  shown = function(x) number_texts(x),
  hold = function(value, x) {
    if (is_plain_number(value) && is_whole(value, 2^31 - 1)) as.integer(value)
  },
  from_text = function(texts, like) {
    numbers <- suppressWarnings(as.numeric(texts))
    numbers[!is.na(numbers) & !is_whole(numbers, .Machine$integer.max)] <- NA
    as.integer(numbers)
  }
)

register_number("double", "double",
  shown = function(x) number_texts(x),
  hold = function(value, x) if (is_plain_number(value)) as.double(value),
  from_text = function(texts, like) suppressWarnings(as.numeric(texts))
)

register_number("integer64", "64-bit integer",
  class = "integer64", missing = function(x) int64_missing(x),
  unlike = function(x, y) int64_unlike(x, y), shown = function(x) int64_text(x),
  key_text = function(x) int64_text(x), hold = function(value, x) int64_value(value),
  cell = function(x) int64_text(x),
  from_text = function(texts, like) {
    if (requireNamespace("bit64", quietly = TRUE)) {
      whole_texts("^-?[0-9]+$", texts, suppressWarnings(bit64::as.integer64(texts)))
    }
  }
)

register_type("logical", "logical",
  align = function(x, y) list(key_pair("int32", x, y)),
  common = function(x, y) list(left = x, right = y),
  order_group = function(x) NA_character_,
  key_text = function(x) as.character(strip_class(x)),
  read = function(text) utils::type.convert(text, as.is = TRUE),
  hold = function(value, x) if (is.logical(value)) value,
  from_text = function(texts, like) as.logical(texts)
)
