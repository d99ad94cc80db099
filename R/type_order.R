# Columns of an ordered rule made comparable: all become doubles, or 64-bit
# integers, that sort and subtract as the values do.

# `columns`: list of list(side, name). Returns list(values, int64, scale);
# scale is list(family, unit, left_unit), seconds per number (NA: no time).
ordered_values <- function(pairing, columns, kind, call) {
  values <- lapply(columns, function(column) {
    .subset2(pairing[[column$side]], column$name)
  })
  blank <- vapply(values, has_no_value, NA)
  if (any(blank)) {
    like <- if (all(blank)) numeric() else values[[which(!blank)[1L]]]
    values[blank] <- lapply(values[blank], function(x) missing_values(like, length(x)))
  }
  for (k in seq_along(values)) {
    if (is.factor(values[[k]])) {
      check_factor(values[[k]], columns[[k]]$name, frame_mark(columns[[k]]$side), call)
    }
  }
  distances <- kind %in% c("nearest", "around")
  families <- vapply(values, ordered_family, "", distances = distances)
  check_ordered_families(values, columns, families, kind, call)
  family <- family_group(families[1L])
  switch(family,
    number = number_values(values, columns, families, call),
    Date = date_values(values),
    POSIXct = time_values(values),
    difftime = duration_values(values),
    text = rank_values(values),
    list(
      values = lapply(values, function(x) as.double(as.integer(x))),
      int64 = FALSE, scale = no_scale(family)
    )
  )
}

no_scale <- function(family) {
  list(family = family, unit = NA_real_, left_unit = NA_real_)
}

ordered_family <- function(x, distances) {
  family <- key_family(x)
  if (is.na(family)) {
    return(NA_character_)
  }
  if (family == "factor") {
    family <- if (is.ordered(x)) "ordered" else NA_character_
  }
  if (family %in% c("logical", if (distances) c("text", "ordered"))) {
    return(NA_character_)
  }
  family
}

check_ordered_families <- function(values, columns, families, kind, call) {
  bad <- which(is.na(families))
  if (length(bad)) stop_unordered(values, columns, bad[1L], kind, call)
  for (k in seq_along(families)) {
    if (!families_match(families[1L], families[k])) {
      stop_ordered_types(values[c(1L, k)], columns[c(1L, k)], call)
    }
  }
  if (families[1L] == "ordered") {
    alike <- vapply(values, function(x) {
      identical(levels(x), levels(values[[1L]]))
    }, NA)
    if (!all(alike)) {
      stop_ronda("type",
        sprintf("%s and %s are ordered factors of different levels.",
          place_of(columns[[1L]]), place_of(columns[[which(!alike)[1L]]])
        ),
        "Give both the same levels, in the same order.",
        call = call
      )
    }
  }
}

place_of <- function(column) {
  sprintf("`%s` of `%s`", column$name, frame_mark(column$side))
}

place_code_of <- function(column) place_code(frame_mark(column$side), column$name)

stop_unordered <- function(values, columns, at, kind, call) {
  x <- values[[at]]
  place <- place_code_of(columns[[at]])
  near <- kind %in% c("nearest", "around")
  time <- Find(function(other) inherits(other, c("POSIXct", "Date")), values)
  stop_ronda("type",
    sprintf("%s is %s, which %s() can't use.", place_of(columns[[at]]), type_word(x),
      kind
    ),
    if (is.character(x) || is.factor(x)) {
      if (!is.null(time_form(x, time))) text_to_time_lines(x, place, time) else
        if (near && reads_as_numbers(x)) write_line(place, "as.numeric(as.character(%s))")
    } else if (is.na(key_family(x))) {
      lines_for_unknown(x, place)
    },
    if (is.factor(x) && !near) {
      c(
        "If its levels have an order:",
        write_line(place, "as.ordered(%s)")
      )
    },
    sprintf("%s() takes numbers and times%s.", kind,
      if (near) "" else ", text and ordered factors"
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

number_values <- function(values, columns, families, call) {
  long <- families == "integer64"
  if (!any(long)) {
    return(list(
      values = lapply(values, as_double), int64 = FALSE,
      scale = no_scale("number")
    ))
  }
  converted <- lapply(values, int64_parts)
  odd <- vapply(converted, function(x) !is.null(x$not_int64), NA)
  if (any(odd)) {
    return(mixed_numbers(values, columns, long, which(odd)[1L], call))
  }
  list(
    values = lapply(converted, function(x) strip_class(x$values)),
    int64 = TRUE, scale = no_scale("number")
  )
}

# 64-bit integers beside fractions: as doubles, where that loses nothing
mixed_numbers <- function(values, columns, long, odd, call) {
  as_doubles <- lapply(values, as_number)
  big <- vapply(as_doubles[long], function(x) any(abs(x) >= 2^53, na.rm = TRUE),
    NA
  )
  if (any(big)) {
    stop_ronda("type",
      sprintf("%s holds fractions and %s holds integers beyond 2^53.",
        place_of(columns[[odd]]), place_of(columns[[which(long)[1L]]])
      ),
      "They can't be compared exactly: convert one of them first.",
      call = call
    )
  }
  list(values = as_doubles, int64 = FALSE, scale = no_scale("number"))
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

# Text as its rank among all the values: in C order, the same everywhere
rank_values <- function(values) {
  texts <- lapply(values, function(x) enc2utf8(as_text(x)))
  all <- sort(unique(unlist(texts)), method = "radix")
  list(
    values = lapply(texts, function(x) as.double(match(x, all))),
    int64 = FALSE, scale = no_scale("text")
  )
}
