# Distances: numbers in the column's own units, difftimes, or text such as
# "10 mins".

# `calendar`: whether months and years, which have no fixed length, may be meant
check_distance <- function(distance, arg, call, calendar = TRUE) {
  if (calendar && is_calendar(distance)) {
    return()
  }
  seconds <- if (is.character(distance)) text_seconds(distance) else distance
  good <- (is.numeric(seconds) || inherits(seconds, "difftime")) &&
    length(seconds) == 1L && !is.na(seconds) && as.numeric(seconds) >= 0
  if (!good) {
    stop_argument(
      sprintf("%s must be one distance of 0 or more, not %s.", argument_said(arg),
        shown(distance)
      ),
      paste(
        "Write a number in the column's own units,",
        if (calendar) "or text such as \"10 mins\", \"2 hours\", \"1 day\" or \"3 months\"." else {
          "or text such as \"10 mins\", \"2 hours\" or \"1 day\"."
        }
      ),
      distance_advice(distance, calendar),
      call = call
    )
  }
}

# what a text may have meant that is no distance
distance_advice <- function(distance, calendar) {
  parts <- if (is_name(distance)) text_distance_parts(distance)
  if (is.null(parts)) {
    return(NULL)
  }
  if (identical(parts$unit, "m")) {
    return(sprintf("\"m\" may be minutes or months: write \"%1$s min\" or \"%1$s months\".",
      format_number(parts$number)
    ))
  }
  if (parts$unit %in% names(month_words)) {
    if (calendar) "Of months and years it must be a whole number." else {
      "Months and years have no fixed length here: write days."
    }
  }
}

# A plain number for times, whose unit is easily mistaken
distance_notes <- function(distance, scale, arg) {
  if (is.na(scale$unit) || is_unlimited(distance) || is_calendar(distance)) {
    return(NULL)
  }
  number <- as.numeric(distance_number(distance, scale, arg, NULL))
  if (scale$family == "Date" && !is.numeric(distance) && number > 0 &&
    number < 1) {
    return(sprintf(
      "`%s` is %s, but the columns are dates: only equal days are that near.",
      arg, distance_text(distance)
    ))
  }
  if (!is.numeric(distance) || inherits(distance, "difftime") || number == 0) {
    return(NULL)
  }
  unit <- names(duration_seconds)[match(scale$left_unit, duration_seconds)]
  sprintf("`%s = %s` counts %s here.", arg, distance_text(distance), unit)
}

unit_words <- c(
  s = "secs", sec = "secs", secs = "secs", second = "secs", seconds = "secs",
  min = "mins", mins = "mins", minute = "mins", minutes = "mins",
  h = "hours", hr = "hours", hrs = "hours", hour = "hours", hours = "hours",
  d = "days", day = "days", days = "days", w = "weeks", wk = "weeks", wks = "weeks",
  week = "weeks", weeks = "weeks"
)

# "10 mins" in seconds, NA when it can't be read
text_seconds <- function(text) {
  parts <- if (is_name(text)) text_distance_parts(text)
  unit <- unit_words[parts$unit]
  if (length(unit) && !is.na(unit)) parts$number * duration_seconds[[unit]] else NA_real_
}

# list(number, unit) of "10 mins" or "30d", NULL of another text
text_distance_parts <- function(text) {
  pattern <- "^ *([0-9]+[.]?[0-9]*) *([A-Za-z]+) *$"
  if (grepl(pattern, text)) {
    list(
      number = as.numeric(sub(pattern, "\\1", text)),
      unit = tolower(sub(pattern, "\\2", text))
    )
  }
}

# Months and years have no fixed length: type_calendar.R moves values by them.
month_words <- c(
  month = 1, months = 1, mon = 1, quarter = 3, quarters = 3,
  y = 12, yr = 12, yrs = 12, year = 12, years = 12
)

# "2 years" in months; NA where it is no whole number of them
text_months <- function(text) {
  if (!is_name(text)) {
    return(NA_real_)
  }
  parts <- text_distance_parts(text)
  months <- parts$number * month_words[parts$unit]
  if (length(months) && !is.na(months) && months == floor(months)) unname(months) else NA_real_
}

is_calendar <- function(distance) is.character(distance) && !is.na(text_months(distance))

# more seconds than so many months can take, changes of the clock included
most_seconds <- function(months) (31 * months + 2) * 86400

is_unlimited <- function(distance) {
  is.numeric(distance) && is.infinite(distance)
}

distance_text <- function(distance) {
  if (is.character(distance)) {
    return(encodeString(distance, quote = "\""))
  }
  if (inherits(distance, "difftime")) {
    return(sprintf("\"%s %s\"", format_number(as.numeric(distance)),
      attr(distance, "units")
    ))
  }
  format_number(distance, 15L)
}

# A distance in the engine's number for columns of this scale: list(family,
# unit = seconds per number, left_unit = the same for a plain number). Of months and years
# it is more than they can take: shifted_by() says where each row's end.
distance_number <- function(distance, scale, arg, call) {
  is_time <- !is.na(scale$unit)
  if (is.numeric(distance) && !inherits(distance, "difftime")) {
    return(distance * if (is_time) scale$left_unit / scale$unit else 1)
  }
  if (!is_time) {
    stop_argument(
      sprintf("%s is %s, but the columns are plain numbers.", argument_said(arg),
        distance_text(distance)
      ),
      "Write a number in their own units.",
      call = call
    )
  }
  seconds <- if (is_calendar(distance)) {
    if (scale$family == "difftime") {
      stop_argument(
        sprintf("%s is %s, but the columns are durations, which have no calendar.",
          argument_said(arg), distance_text(distance)
        ),
        "Write days, such as \"30 days\".",
        call = call
      )
    }
    most_seconds(text_months(distance))
  } else if (is.character(distance)) {
    text_seconds(distance)
  } else {
    as.numeric(distance, units = "secs")
  }
  seconds / scale$unit
}

# Distances in words, from the engine's numbers; each with as many digits as tell it from
# the distance `apart`
distance_words <- function(numbers, scale, apart = numbers) {
  plain <- is.na(scale$unit)
  # each different number once
  words <- function(numbers, digits) {
    once <- unique(numbers)
    texts <- (if (plain) number_words else duration_words)(once, scale, digits)
    texts[match(numbers, once)]
  }
  text <- character(length(numbers))
  left <- seq_along(numbers)
  apart <- rep_len(apart, length(numbers))
  for (digits in c(if (plain) 6L else 3L, 7L, 9L, 12L, 15L)) {
    text[left] <- words(numbers[left], digits)
    alike <- text[left] == words(apart[left], digits)
    left <- left[alike & numbers[left] != apart[left]]
    if (!length(left)) break
  }
  text
}

number_words <- function(numbers, scale, digits) {
  vapply(numbers, function(number) {
    written <- abs(number) >= 1e4 && abs(number) < 1e15
    format_number(number, digits, if (written) FALSE else 0L)
  }, "")
}

duration_words <- function(numbers, scale, digits) {
  seconds <- numbers * scale$unit
  steps <- c(days = 86400, hours = 3600, mins = 60, secs = 1)
  unit <- rep("secs", length(seconds))
  # 71 mins, not 1.183 hours
  for (name in rev(names(steps))) {
    step <- steps[[name]]
    # Whole numbers beyond 2^53 have no exact remainder.
    whole <- seconds >= step & seconds < 2^53
    whole[whole] <- seconds[whole] %% step == 0
    unit[seconds >= 2 * step | whole] <- name
  }
  # plain days stay days, and odd seconds stay readable
  if (scale$family == "Date") unit[] <- "days"
  number <- seconds / steps[unit]
  with_unit(vapply(number, format_number, "", digits), number, unit)
}

# Distances as the engine tells them -----------------------------------------

# `found` is what standings_() gives. A distance of 64-bit integers has two halves,
# high * 2^32 + low, so that none is rounded; one of doubles is `high` alone.
new_distances <- function(found, int64, scale) {
  list(high = found$high, low = found$low, int64 = int64, scale = scale)
}

closest_first <- function(distance, at) {
  at[order(distance$high[at], distance$low[at])]
}

# below 0, 0 or above 0 as those at `at` are closer than, as far as, or farther
# than the one at `other`
compare_distances <- function(distance, at, other) {
  high <- compare_numbers(distance$high[at], distance$high[other])
  ifelse(high != 0, high, compare_numbers(distance$low[at], distance$low[other]))
}

compare_numbers <- function(x, y) (x > y) - (x < y)

is_finite_distance <- function(distance, at) is.finite(distance$high[at])

# as one number each; rounded beyond 2^53
distance_numbers <- function(distance) {
  if (distance$int64) distance$high * 2^32 + distance$low else distance$high
}

words_of_distance <- function(distance, at, apart = distance$high[at]) {
  if (distance$int64) {
    return(int64_digits(distance$high[at], distance$low[at]))
  }
  text <- rep("infinitely far", length(at))
  finite <- is_finite_distance(distance, at)
  text[finite] <- distance_words(distance$high[at][finite], distance$scale,
    rep_len(apart, length(at))[finite]
  )
  text
}

# by how much it is more than a number
words_of_excess <- function(distance, at, within) {
  if (!distance$int64) {
    return(distance_words(distance$high[at] - within, distance$scale))
  }
  within <- floor(within)
  # int64_digits() borrows from the high half where the low one is below 0.
  high <- distance$high[at] - within %/% 2^32
  low <- distance$low[at] - within %% 2^32
  int64_digits(high, low)
}

# The left values of a rule as the engine takes them, moved ahead by a distance, or back
shifted_by <- function(found, like, distance, back, arg, call) {
  values <- found$values[[1L]]
  number <- distance_number(distance, found$scale, arg, call)
  sign <- if (back) -1 else 1
  if (is_calendar(distance)) {
    shifted_months(as.double(strip_class(values)), sign * text_months(distance), found$scale,
      zone_of(like), call
    )
  } else {
    shifted_values(values, sign * number, found$int64)
  }
}

# values as the engine takes them, moved by a number
shifted_values <- function(values, by, int64) {
  if (int64) {
    return(int64_shift_(values, by))
  }
  from <- strip_class(values)
  moved <- from + by
  # any distance from an infinite value
  if (is.infinite(by)) moved[is.nan(moved) & !is.na(from)] <- by
  moved
}
