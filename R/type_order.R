# Columns whose order matters: as numbers that sort and subtract as the values do, and the
# order of rows by columns.

# Columns of one ordered rule: list(values, int64, scale), doubles or 64-bit integers by
# column; scale is list(family, unit, left_unit), seconds per number (NA: no time).
# `columns`: where each stands, list(side, name); `measured`: whether distances count.
numbers_in_order <- function(values, columns, kind, measured, call) {
  blank <- vapply(values, has_no_value, NA)
  if (any(blank)) {
    like <- if (all(blank)) numeric() else values[[which(!blank)[1L]]]
    values[blank] <- lapply(values[blank], function(x) missing_values(like, length(x)))
  }
  for (k in seq_along(values)) {
    check_values(values[[k]], columns[[k]]$name, frame_mark(columns[[k]]$side), call)
  }
  groups <- vapply(values, order_group, "", measured)
  bad <- which(is.na(groups))
  if (length(bad)) stop_unordered(values, columns, bad[1L], kind, measured, call)
  unlike <- which(groups != groups[1L])
  if (length(unlike)) {
    at <- c(1L, unlike[1L])
    stop_ordered_types(values[at], columns[at], call)
  }
  type_of(values[[1L]])$order(values, columns, call)
}

# the group of types whose order a column's values have; NA where they have none, or with
# `measured` no distances
order_group <- function(x, measured) {
  type <- type_of(x)
  if (is.null(type) || measured && !type$measured) NA_character_ else type$order_group(x)
}

# Columns of one group as doubles with their scale; 64-bit integers beyond 2^53 are rounded.
measured_numbers <- function(values) {
  type <- type_of(values[[1L]])
  if (type$group != "number") {
    return(type$order(values, NULL, NULL))
  }
  list(values = lapply(values, plain_numbers), scale = no_scale("number"))
}

stop_unordered <- function(values, columns, at, kind, measured, call) {
  x <- values[[at]]
  place <- place_code_of(columns[[at]])
  time <- Find(function(other) inherits(other, c("POSIXct", "Date")), values)
  stop_ronda("type",
    sprintf("%s is %s, which %s() can't use.", place_of(columns[[at]]), type_word(x),
      kind
    ),
    if (is.character(x) || is.factor(x)) {
      if (!is.null(time_form(x, time))) text_to_time_lines(x, place, time) else
        if (measured && reads_as_numbers(x)) write_line(place, "as.numeric(as.character(%s))")
    } else if (is.null(type_of(x))) {
      lines_for_unknown(x, place)
    },
    if (is.factor(x) && !measured) {
      c(
        "If its levels have an order:",
        write_line(place, "as.ordered(%s)")
      )
    },
    sprintf("%s() takes numbers and times%s.", kind,
      if (measured) "" else ", text and ordered factors"
    ),
    call = call
  )
}

stop_ordered_types <- function(values, columns, call) {
  places <- vapply(columns, place_code_of, "")
  stop_ronda("type",
    sprintf("%s is %s and %s is %s: they can't be compared.",
      place_of(columns[[1L]]), type_word(values[[1L]]),
      place_of(columns[[2L]]), type_word(values[[2L]])
    ),
    conversion_lines(values[[1L]], values[[2L]], places),
    call = call
  )
}

# Numbers as their rank among all the values, equal ones alike: 1, 2, ...
rank_numbers <- function(values, int64) {
  all <- unlist(lapply(values, strip_class))
  kind <- engine_kinds[[if (int64) "int64" else "real"]]
  order <- sort_rows_(list(all), kind, FALSE)
  sorted <- gather_(all, order)
  n <- length(sorted)
  before <- sorted[-n]
  after <- sorted[-1L]
  steps <- if (int64) int64_compare_(after, before) != 0 else after != before
  rank <- numeric(n)
  rank[order] <- cumsum(c(n > 0L, is.na(steps) | steps)[seq_len(n)])
  rank[missing_number(all, int64)] <- NA
  ends <- cumsum(lengths(values))
  Map(function(end, size) rank[seq.int(to = end, length.out = size)], ends,
    lengths(values)
  )
}

# The order of rows -----------------------------------------------------------------

# The order of rows by some columns of key types: stable, text in C order,
# factors by level, missing values last.
sort_rows <- function(columns, descending = logical(length(columns))) {
  sort_by(lapply(columns, sortable_values), vapply(columns, sort_kind, 0L), descending)
}

sortable_values <- function(x) if (is.factor(x)) factor_codes(x) else x

# the same for columns as the engine takes them
sort_by <- function(columns, kinds, descending) {
  text <- kinds == engine_kinds[["text"]]
  columns[text] <- lapply(columns[text], utf8_text_)
  sort_rows_(columns, kinds, descending)
}

sort_kind <- function(x) {
  kind <- if (is_int64(x)) "int64" else switch(typeof(x),
    character = "text",
    double = "real",
    "int32"
  )
  engine_kinds[[kind]]
}
