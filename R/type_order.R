# Columns as the engine takes them: every pair of key columns becomes pairs of vectors that
# it reads as plain numbers or text, or two columns of one type.

# only what the engine reads: values, and the class of 64-bit integers
engine_values <- function(x) {
  int64 <- is_int64(x)
  attributes(x) <- NULL
  if (int64) int64_class(x) else x
}

# One rule's two columns as the engine takes them: a list of one or two column
# pairs, each list(kind, left, right), and where texts of a side may be equal at
# different addresses, `one_address`: FALSE for that side.
align_keys <- function(x, y, rule, call, frames = frame_marks) {
  if (!types_match(x, y)) {
    if (!key_columns_match(x, y)) stop_key_types(x, y, rule, call)
    typed <- typed_alike(x, y)
    x <- typed$left
    y <- typed$right
  }
  check_values(x, rule$left, frames[1L], call)
  check_values(y, rule$right, frames[2L], call)
  type_of(x)$align(x, y)
}

key_columns_match <- function(x, y) {
  if (types_match(x, y)) {
    return(TRUE)
  }
  typed <- typed_alike(x, y)
  types_match(typed$left, typed$right)
}

# Key columns of which one is logical without any value, as in a file that has a header
# alone: it is taken to be of the other's type.
typed_alike <- function(x, y) {
  if (has_no_value(x)) {
    if (!has_no_value(y)) x <- missing_values(y, length(x))
  } else if (has_no_value(y)) {
    y <- missing_values(x, length(y))
  }
  list(left = x, right = y)
}

has_no_value <- function(x) {
  is.logical(x) && !is.object(x) && is.null(dim(x)) && all(is.na(x))
}

# so many missing values as a column has them
missing_values <- function(like, n) gather_(like, integer(n))

# The type that holds the values of both sides' columns: that of the one key column, and of
# columns merged by "fill" and "agree". check_common_type() has made sure that there is one.
common_columns <- function(x, y) {
  if (inherits(x, "AsIs")) x <- plain_as_is(x)
  if (inherits(y, "AsIs")) y <- plain_as_is(y)
  if (types_match(x, y)) type_of(x)$common(x, y) else list(left = x, right = y)
}

has_common_type <- function(x, y) types_match(x, y) || are_plain_alike(x, y)

# Columns that can't be keys have a common type when they are of one plain type.
are_plain_alike <- function(x, y) {
  !is.object(x) && !is.object(y) && is.null(dim(x)) && is.null(dim(y)) &&
    typeof(x) == typeof(y) && typeof(x) %in% c("list", "complex", "raw")
}

# Columns whose order matters --------------------------------------------------------

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
  groups <- vapply(values, group_by_order, "", measured)
  bad <- which(is.na(groups))
  if (length(bad)) stop_unordered(values, columns, bad[1L], kind, measured, call)
  other <- which(groups != groups[1L])
  if (length(other)) {
    at <- c(1L, other[1L])
    stop_ordered_types(values[at], columns[at], call)
  }
  type_of(values[[1L]])$order(values, columns, call)
}

# the group of types whose order a column's values have; NA where they have none, or with
# `measured` no distances
group_by_order <- function(x, measured) {
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
    sprintf("%s is %s, which %s can't use.", place_of(columns[[at]]), type_word(x),
      said(paste0(kind, "()"))
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
    sprintf("%s takes numbers and times%s.", said(paste0(kind, "()")),
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
