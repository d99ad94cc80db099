# Dates, date-times and durations: numbers of days, of seconds whatever the zone, and of
# a unit. Durations match and compare whatever the unit.

duration_seconds <- c(
  secs = 1, mins = 60, hours = 3600, days = 86400, weeks = 604800
)

# the name of a unit of so many seconds
unit_name <- function(seconds) names(duration_seconds)[match(seconds, duration_seconds)]

# numbers, written as these texts, with their unit: "1 day", "90 mins"
with_unit <- function(texts, numbers, unit) {
  sprintf("%s %s", texts, ifelse(numbers %in% 1, sub("s$", "", unit), unit))
}

# numbers of a unit of so many seconds, as they are ordered
time_order <- function(values, family, unit, left_unit = unit) {
  list(
    values = values, int64 = FALSE,
    scale = list(family = family, unit = unit, left_unit = left_unit)
  )
}

# Dates ------------------------------------------------------------------------------

# a date is its day, whatever part of it the number has
whole_days <- function(x) floor(as_double(strip_class(x)))

align_dates <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(list(key_pair("int32", x, y)))
  }
  list(key_pair("day", as_double(x), as_double(y)))
}

# days as texts, fractions cut off
day_texts <- function(days) {
  text <- time_texts_(days, FALSE)
  odd <- which(is.na(text) & !is.na(days))
  text[odd] <- format(structure(days[odd], class = "Date"))
  text
}

has_part_of_day <- function(days) is.finite(days) & days != floor(days)

register_type("Date", "date",
  class = "Date", stored = c("double", "integer"), align = align_dates,
  order = function(values, columns, call) {
    time_order(lapply(values, whole_days), "Date", 86400)
  },
  measured = TRUE,
  gap = function(x, y, like, call) as_duration(whole_days(x) - whole_days(y), "days"),
  key_text = function(x) format(structure(whole_days(x), class = "Date"), "%Y-%m-%d"),
  from_text = function(texts, like) {
    whole_texts("^-?[0-9]+-[0-9]{1,2}-[0-9]{1,2}$", texts, as.Date(texts, optional = TRUE))
  },
  read = function(text) tryCatch(as.Date(text), error = function(e) text),
  hold = function(value, x) if (inherits(value, "Date")) as_stored(as_double(value), x),
  cell = function(x) {
    if (identical(oldClass(x), "Date")) day_texts(as_double(strip_class(x))) else x
  },
  parquet = parquet_form(
    note = function(x, as_number) if (as_number) c("days", "parts"),
    noted = function(x, what, value) {
      if (what == "days" && is_stored_number(x)) class(x) <- "Date"
      x
    },
    rounds = function(x) {
      identical(oldClass(x), "Date") && is.double(x) && any(has_part_of_day(strip_class(x)))
    }
  ),
  axis = axis_form("days", values = function(numbers, like) structure(numbers, class = "Date"))
)

# Date-times -------------------------------------------------------------------------

# As text: with all of their fractions, in UTC
time_texts <- function(seconds, digits = 17L) {
  whole <- floor(seconds)
  text <- time_texts_(whole, TRUE)
  odd <- which(is.na(text) & is.finite(whole))
  text[odd] <- format(as.POSIXct(whole[odd], origin = "1970-01-01", tz = "UTC"),
    "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"
  )
  open <- which(seconds != whole)
  # as few digits as give the same number back
  for (n in seq_len(digits)) {
    fraction <- sprintf("%.*f", n, seconds[open] - whole[open])
    fits <- whole[open] + as.numeric(fraction) == seconds[open] | n == digits
    at <- open[fits]
    text[at] <- paste0(sub("Z", "", text[at], fixed = TRUE), substring(fraction[fits], 2L), "Z")
    open <- open[!fits]
  }
  endless <- which(is.infinite(seconds))
  text[endless] <- as.character(seconds[endless])
  text
}

# in their own zone, with fractions of a second where they have some
local_time_texts <- function(x) {
  seconds <- as_double(strip_class(x))
  is_fraction <- is.finite(seconds) & seconds != floor(seconds)
  if (!any(is_fraction)) {
    return(format(x, digits = 15, trim = TRUE))
  }
  whole <- format(structure(floor(seconds), class = class(x), tzone = attr(x, "tzone")),
    "%Y-%m-%d %H:%M:%S"
  )
  paste0(whole, ifelse(is_fraction,
    sub("^[^.]*([.][0-9]+)Z$", "\\1", time_texts(seconds)), ""
  ))
}

# nanoparquet cuts times below the microsecond and reads them a little off. What it cuts
# is put between two microseconds, what it has read is put on the nearest.
before_cutting <- function(seconds) {
  micros <- round(seconds * 1e6)
  low <- which(trunc(seconds * 1e6) != micros)
  seconds[low] <- (micros[low] + sign(micros[low]) / 2) / 1e6
  seconds
}

cut_microseconds <- function(seconds) trunc(seconds * 1e6) / 1000 / 1000

whole_microseconds <- function(seconds) round(seconds * 1e6) / 1e6

register_type("POSIXct", "date-time",
  class = "POSIXct", classes = c("POSIXct", "POSIXt"), stored = c("double", "integer"),
  order = function(values, columns, call) {
    time_order(lapply(values, as_double), "POSIXct", 1)
  },
  measured = TRUE,
  gap = function(x, y, like, call) as_duration(plain_numbers(x) - plain_numbers(y), "secs"),
  shown = local_time_texts,
  key_text = function(x) time_texts(as_double(strip_class(x))),
  from_text = function(texts, like) {
    whole_texts("Z$", texts, as.POSIXct(texts, format = "%Y-%m-%dT%H:%M:%OSZ", tz = "UTC"))
  },
  read = function(text) tryCatch(as.POSIXct(text, tz = "UTC"), error = function(e) text),
  hold = function(value, x) if (inherits(value, "POSIXct")) as_stored(as_double(value), x),
  cell = function(x) time_texts(as_double(strip_class(x))),
  parquet = parquet_form(
    note = function(x, as_number) {
      zone <- attr(x, "tzone")[1L]
      c("zone", if (is.null(zone)) "-" else zone)
    },
    noted = function(x, what, value) {
      is_number <- is_stored_number(x)
      if (what == "zone" && (is_number || inherits(x, "POSIXct"))) {
        if (!is_number) x <- whole_microseconds(as_double(strip_class(x)))
        class(x) <- c("POSIXct", "POSIXt")
        attr(x, "tzone") <- if (value != "-") value
      }
      x
    },
    rounds = function(x) {
      number <- strip_class(x)
      is.double(number) && !all(is.na(number) |
        whole_microseconds(cut_microseconds(before_cutting(number))) == number)
    }
  ),
  axis = axis_form("times",
    unit = function(x, scale) {
      zone <- attr(x, "tzone")[1L]
      if (is.null(zone) || !nzchar(zone)) format(Sys.time(), "local time, %Z") else zone
    },
    values = function(numbers, like) {
      zone <- attr(like, "tzone")[1L]
      .POSIXct(numbers, tz = if (is.null(zone)) "" else zone)
    }
  )
)

# Durations --------------------------------------------------------------------------

as_duration <- function(number, units) {
  structure(number, class = "difftime", units = units)
}

is_plain_duration <- function(x) identical(oldClass(x), "difftime")

unit_seconds <- function(x) duration_seconds[[attr(x, "units")]]

# the numbers in a unit of so many seconds (in the finer of two units they are whole
# multiples, so nothing is rounded)
duration_number <- function(x, seconds) {
  as_double(strip_class(x)) * (unit_seconds(x) / seconds)
}

finest_unit <- function(durations) min(vapply(durations, unit_seconds, 0))

# Durations of unlike units are compared in the finer one.
align_durations <- function(x, y) {
  if (attr(x, "units") == attr(y, "units")) {
    return(list(align_doubles(x, y)))
  }
  finest <- finest_unit(list(x, y))
  list(key_pair("real", duration_number(x, finest), duration_number(y, finest)))
}

common_durations <- function(x, y) {
  if (attr(x, "units") != attr(y, "units")) {
    y <- duration_number(y, unit_seconds(x))
    x <- common_storage(x, 1)$left
  }
  common_storage(x, y)
}

duration_order <- function(values, columns, call) {
  finest <- finest_unit(values)
  time_order(lapply(values, duration_number, finest), "difftime", finest,
    unit_seconds(values[[1L]])
  )
}

# Durations to be compared, in the finest unit that any frame of the chain has: no
# number is rounded to a coarser one's.
in_finest_units <- function(columns) {
  durations <- vapply(columns, inherits, NA, "difftime")
  units <- vapply(columns[durations], attr, "", "units")
  if (length(unique(units)) < 2L) {
    return(columns)
  }
  finest <- finest_unit(columns[durations])
  columns[durations] <- lapply(columns[durations], function(x) {
    as_duration(duration_number(x, finest), unit_name(finest))
  })
  columns
}

# more digits than parquet has room for, as they are read back
is_rounded_duration <- function(x) {
  if (!is_plain_duration(x) || !is.double(x)) {
    return(FALSE)
  }
  number <- strip_class(x)
  back <- as_duration(round(number * unit_seconds(x) * 1e9) / 1e9, "secs")
  units(back) <- attr(x, "units")
  !all(is.na(number) | strip_class(back) == number)
}

register_type("difftime", "duration",
  class = "difftime", classes = c("difftime", "hms"), stored = c("double", "integer"),
  damage = function(x) {
    units <- attr(x, "units")
    if (!is.character(units) || length(units) != 1L || !units %in% names(duration_seconds)) {
      sprintf("its units must be %s", any_of(names(duration_seconds)))
    }
  },
  align = align_durations, common = common_durations, order = duration_order,
  measured = TRUE,
  gap = function(x, y, like, call) {
    unit <- unit_seconds(like)
    as_duration(duration_number(x, unit) - duration_number(y, unit), attr(like, "units"))
  },
  # a class that builds on it shows itself
  shown = function(x) {
    if (!is_plain_duration(x)) return(format(x, digits = 15, trim = TRUE))
    numbers <- as_double(strip_class(x))
    with_unit(number_texts(numbers), numbers, attr(x, "units"))
  },
  from_text = function(texts, like) {
    as.difftime(suppressWarnings(as.numeric(texts)), units = attr(like, "units"))
  },
  hold = function(value, x) {
    if (inherits(value, "difftime")) as_stored(duration_number(value, unit_seconds(x)), x)
  },
  cell = function(x) as_double(strip_class(x)),
  parquet = parquet_form(
    note = function(x, as_number) if (is_plain_duration(x)) c("units", attr(x, "units")),
    noted = function(x, what, value) {
      if (what == "units" && value %in% names(duration_seconds)) {
        if (is_plain_duration(x)) units(x) <- value
        if (is_stored_number(x)) x <- as_duration(x, value)
      }
      x
    },
    rounds = is_rounded_duration
  ),
  axis = axis_form(unit = function(x, scale) unit_name(scale$unit))
)

# a column that parquet stored as plain numbers
is_stored_number <- function(x) is.double(x) && !is.object(x)
