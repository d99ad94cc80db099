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
time_texts <- function(seconds) {
  whole <- floor(seconds)
  text <- time_texts_(whole, TRUE)
  odd <- which(is.na(text) & is.finite(whole))
  text[odd] <- format(as.POSIXct(whole[odd], origin = "1970-01-01", tz = "UTC"),
    "%Y-%m-%dT%H:%M:%S", tz = "UTC"
  )
  fraction <- rep("", length(seconds))
  open <- which(!is.na(seconds) & seconds != whole)
  # as few digits as give the same number back
  for (digits in 1:9) {
    tenths <- round((seconds[open] - whole[open]) * 10^digits)
    fits <- whole[open] + tenths / 10^digits == seconds[open] | digits == 9
    at <- open[fits]
    fraction[at] <- sprintf(".%0*.0f", digits, tenths[fits])
    open <- open[!fits]
  }
  text <- paste0(text, fraction, "Z")
  text[is.infinite(seconds)] <- as.character(seconds[is.infinite(seconds)])
  text[is.na(seconds)] <- NA
  text
}

# days as texts, fractions cut off
day_texts <- function(days) {
  text <- time_texts_(days, FALSE)
  odd <- which(is.na(text) & !is.na(days))
  text[odd] <- format(structure(days[odd], class = "Date"))
  text
}
