# Dates and date-times: numbers of days, and of seconds whatever the zone.

# As numbers that compare and subtract as they do: a date by its day, floored
date_values <- function(values) {
  list(
    values = lapply(values, function(x) floor(as_double(strip_class(x)))),
    int64 = FALSE,
    scale = list(family = "Date", unit = 86400, left_unit = 86400)
  )
}

time_values <- function(values) {
  list(
    values = lapply(values, as_double), int64 = FALSE,
    scale = list(family = "POSIXct", unit = 1, left_unit = 1)
  )
}

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

# days as texts, fractions cut off
day_texts <- function(days) {
  text <- time_texts_(days, FALSE)
  odd <- which(is.na(text) & !is.na(days))
  text[odd] <- format(structure(days[odd], class = "Date"))
  text
}
