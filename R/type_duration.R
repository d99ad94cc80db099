# Durations: numbers of a unit. They match and compare whatever the unit.

as_duration <- function(number, units) {
  structure(number, class = "difftime", units = units)
}

unit_seconds <- function(x) duration_seconds[[attr(x, "units")]]

# the numbers in a unit of so many seconds (in the finer of two units they are whole
# multiples, so nothing is rounded)
duration_number <- function(x, seconds) {
  as_double(strip_class(x)) * (unit_seconds(x) / seconds)
}

# Durations of unlike units are compared in the finer one: its number is a
# whole multiple.
align_durations <- function(x, y) {
  if (attr(x, "units") == attr(y, "units")) {
    return(align_doubles(x, y))
  }
  finest <- min(unit_seconds(x), unit_seconds(y))
  key_pair("real", duration_number(x, finest), duration_number(y, finest))
}

common_durations <- function(x, y) {
  if (attr(x, "units") != attr(y, "units")) {
    y <- duration_number(y, unit_seconds(x))
    x <- common_storage(x, 1)$left
  }
  common_storage(x, y)
}

duration_values <- function(values) {
  finest <- min(vapply(values, unit_seconds, 0))
  list(
    values = lapply(values, duration_number, finest), int64 = FALSE,
    scale = list(
      family = "difftime", unit = finest, left_unit = unit_seconds(values[[1L]])
    )
  )
}

duration_value <- function(value, x) {
  if (inherits(value, "difftime")) {
    duration_number(value, unit_seconds(x))
  }
}

# Durations to be compared, in the finest unit that any frame of the chain has: no
# number is rounded to a coarser one's.
in_finest_units <- function(columns) {
  durations <- vapply(columns, inherits, NA, "difftime")
  units <- vapply(columns[durations], attr, "", "units")
  if (length(unique(units)) < 2L) {
    return(columns)
  }
  finest <- min(duration_seconds[units])
  unit <- names(duration_seconds)[match(finest, duration_seconds)]
  columns[durations] <- lapply(columns[durations], function(x) {
    as_duration(duration_number(x, finest), unit)
  })
  columns
}
