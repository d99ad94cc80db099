# The gap between two values: left - right, or with `ahead` right - left, in their own
# units.

gap_of <- function(x, y, ahead, call) {
  if (is_int64(x) || is_int64(y)) {
    return(if (ahead) gap_of_long(y, x, call) else gap_of_long(x, y, call))
  }
  minus <- if (ahead) function(a, b) b - a else `-`
  switch(key_family(x),
    Date = as_duration(Reduce(minus, date_values(list(x, y))$values), "days"),
    POSIXct = as_duration(minus(plain_numbers(x), plain_numbers(y)), "secs"),
    difftime = {
      unit <- unit_seconds(x)
      as_duration(minus(duration_number(x, unit), duration_number(y, unit)),
        attr(x, "units")
      )
    },
    minus(plain_numbers(x), plain_numbers(y))
  )
}

# Of 64-bit integers and integers a 64-bit integer; beside doubles, which may have
# fractions, a double.
gap_of_long <- function(x, y, call) {
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
