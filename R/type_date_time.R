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
  text <- format(as.POSIXct(whole, origin = "1970-01-01", tz = "UTC"),
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

# Text that looks like times, and how it becomes times
time_formats <- c(
  "^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}Z$" =
    "as.POSIXct(%s, format = \"%%Y-%%m-%%dT%%H:%%M:%%SZ\", tz = \"UTC\")",
  "^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}$" =
    "as.POSIXct(%s, format = \"%%Y-%%m-%%dT%%H:%%M:%%S\", tz = \"UTC\")",
  "^[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9]{2}:[0-9]{2}" =
    "as.POSIXct(%s, tz = \"UTC\")",
  "^[0-9]{4}-[0-9]{2}-[0-9]{2}$" = "as.Date(%s)",
  "^[0-9]{1,2}[.][0-9]{1,2}[.][0-9]{4}$" =
    "as.Date(%s, format = \"%%d.%%m.%%Y\")",
  "^[0-9]{1,2}/[0-9]{1,2}/[0-9]{4}$" = "as.Date(%s, format = \"%%d/%%m/%%Y\")"
)

# The line that turns text into times, where the text looks like times
time_conversion <- function(x, place) {
  if (!is.character(x) && !is.factor(x)) {
    return(NULL)
  }
  text <- readable(utils::head(as.character(x)[!is.na(x)], 20L))
  for (k in seq_along(time_formats)) {
    if (length(text) && all(grepl(names(time_formats)[k], text))) {
      as <- if (is.factor(x)) sprintf("as.character(%s)", place) else place
      return(sprintf("Write: %s <- %s", place, sprintf(time_formats[[k]], as)))
    }
  }
  NULL
}
