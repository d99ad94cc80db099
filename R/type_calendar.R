# Distances by the calendar: months and years have no fixed length, so a value is moved by
# them on the calendar of its zone.

# Numbers of days (of dates) or of seconds (of date-times) moved by some months: to the same
# day of that month, or to its last day where it has no such day, at the same time of day by
# the clock of the zone. A time that the clock skips there is taken as long after midnight
# as it would have been without the change.
shifted_months <- function(numbers, months, scale, zone, call) {
  moved <- numbers
  open <- which(is.finite(numbers))
  if (scale$family == "Date") {
    moved[open] <- days_of(shifted_date(as.POSIXlt(.Date(numbers[open])), months))
    return(moved)
  }
  whole <- floor(numbers[open])
  local <- whole + clock_ahead(whole, zone)
  day <- shifted_date(as.POSIXlt(.Date(local %/% 86400)), months)
  there <- 86400 * days_of(day) + local %% 86400
  moved[open] <- instant_of(there, zone) + (numbers[open] - whole)
  if (anyNA(moved[open])) {
    stop_ronda("type", "Some times lie beyond the calendar: no month can be added to them.",
      call = call
    )
  }
  moved
}

# list(year, month, day) of a date by the calendar, months later
shifted_date <- function(at, months) {
  month <- at$year * 12 + at$mon + months
  year <- 1900 + month %/% 12
  month <- month %% 12 + 1
  list(year = year, month = month, day = pmin(at$mday, days_in_month(year, month)))
}

days_in_month <- function(year, month) {
  leap <- year %% 4 == 0 & (year %% 100 != 0 | year %% 400 == 0)
  c(31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)[month] + (month == 2 & leap)
}

# days since 1970-01-01, in years that begin in March, so that the odd day is the last
days_of <- function(date) {
  year <- date$year - (date$month <= 2)
  month <- (date$month + 9) %% 12
  365 * year + year %/% 4 - year %/% 100 + year %/% 400 +
    (153 * month + 2) %/% 5 + date$day - 1 - 719468
}

# The instant at which clocks of a zone show so many seconds since 1970-01-01; the first,
# where they show it twice
instant_of <- function(there, zone) {
  before <- there - clock_ahead(there - 86400, zone)
  after <- there - clock_ahead(there + 86400, zone)
  open <- which(before != after)
  shows <- function(instant) instant[open] + clock_ahead(instant[open], zone) == there[open]
  takes_after <- open[!shows(before) & shows(after)]
  before[takes_after] <- after[takes_after]
  before
}

# By how many seconds the clock of a zone is ahead of UTC at some instants. It is asked once
# for each quarter of an hour, as clocks have changed at such times only since 1973.
clock_ahead <- function(instant, zone) {
  if (zone %in% c("UTC", "GMT")) {
    return(numeric(length(instant)))
  }
  asked <- ifelse(instant > 94694400, 900 * (instant %/% 900), instant)
  each <- unique(asked)
  clock <- as.POSIXlt(.POSIXct(each, zone), tz = zone)
  date <- list(year = clock$year + 1900, month = clock$mon + 1, day = clock$mday)
  ahead <- 86400 * days_of(date) + clock$hour * 3600 + clock$min * 60 + clock$sec - each
  ahead[match(asked, each)]
}

# the zone whose calendar counts for a column; "": that of the session
zone_of <- function(time) {
  zone <- attr(time, "tzone")[1L]
  if (is.null(zone) || is.na(zone)) "" else zone
}
