# The axis of an ordered rule: times, days or numbers.

# Times with their zone and year or day, which the ticks may leave out
timeline_axis <- function(axis) {
  switch(axis$scale,
    times = ggplot2::scale_x_datetime(axis$name, labels = time_labels),
    days = ggplot2::scale_x_date(axis$name),
    numbers = ggplot2::scale_x_continuous(axis$name, labels = number_labels)
  )
}

number_labels <- function(at) trimws(format_number(at))

# so much of each time as tells the ticks apart
time_labels <- function(at) {
  span <- diff(range(as.numeric(at), na.rm = TRUE))
  day <- 86400
  form <- if (!is.finite(span) || span < 300) "%H:%M:%S" else if (span < day) "%H:%M" else
    if (span < 5 * day) "%b %d %H:%M" else if (span < 300 * day) "%b %d" else
      if (span < 1500 * day) "%b %Y" else "%Y"
  format(at, form)
}

# The first ordered rule whose columns are points or intervals on an axis
timeline_rule <- function(pairing) Find(function(rule) lies_on_axis(pairing, rule), pairing$rules)

lies_on_axis <- function(pairing, rule) {
  !is.null(kind_of(rule)$plan) && !identical(rule$op, "!=") &&
    isTRUE(type_of(.subset2(pairing$left, rule$left[1L]))$measured)
}

most_cells <- 60L

# The axis cut into stretches with round bounds: list(edges, cell (which one each is in))
axis_cells <- function(at) {
  edges <- as.double(pretty(at, most_cells))
  list(edges = edges, cell = findInterval(at, edges, rightmost.closed = TRUE))
}

# the keys of some rows, as they stand beside an axis
axis_keys <- function(pairing, side, rows) {
  columns <- rule_columns(pairing$key_rules, side)
  do.call(paste, c(unname(lapply(columns, column_texts, frame = pairing[[side]], rows = rows)),
    sep = ", "
  ))
}

# From where to where each row lies, as numbers; points have the same twice
timeline_spans <- function(rule, found) {
  numbers <- lapply(found$values, function(x) {
    if (found$int64) x <- structure(x, class = "integer64")
    if (is_int64(x)) as_number(x) else as.double(strip_class(x))
  })
  two <- lengths(list(left = rule$left, right = rule$right)) == 2L
  at <- list(left = seq_len(1L + two[["left"]]))
  at$right <- length(at$left) + seq_len(1L + two[["right"]])
  lapply(at, function(k) {
    from <- numbers[[k[1L]]]
    to <- numbers[[k[length(k)]]]
    # An interval without one bound is drawn at the other.
    finite <- function(x, other) {
      x[!is.finite(x)] <- other[!is.finite(x)]
      x[!is.finite(x)] <- NA
      x
    }
    list(from = finite(from, to), to = finite(to, from))
  })
}

middle_of <- function(span, row) (span$from[row] + span$to[row]) / 2

# Numbers of the axis as the values they stand for, and its name
timeline_scale <- function(pairing, rule, scale, columns = unique(c(rule$left, rule$right)),
                           between = ", ") {
  like <- .subset2(pairing$left, rule$left[1L])
  form <- type_of(like)$axis
  name <- paste(columns, collapse = between)
  unit <- form$unit(like, scale)
  list(
    scale = form$scale, name = if (is.null(unit)) name else sprintf("%s (%s)", name, unit),
    value = function(x) form$values(x, like)
  )
}

# "departs (2031, UTC)", of one day "departs (2031-05-05, UTC)": the ticks may leave it out
with_years <- function(name, x, scale) {
  if (!length(x) || scale == "numbers") {
    return(name)
  }
  ends <- range(x, na.rm = TRUE)
  days <- format(ends, "%Y-%m-%d")
  one_day <- scale == "times" && days[1L] == days[2L]
  years <- paste(unique(if (one_day) days else format(ends, "%Y")), collapse = " to ")
  if (grepl("[)]$", name)) sub("\\(([^(]*)$", paste0("(", years, ", \\1"), name) else {
    sprintf("%s (%s)", name, years)
  }
}

has_groups <- function(seen) any(nzchar(seen$groups$shown))
