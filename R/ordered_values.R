# Columns of an ordered rule made comparable: all become doubles, or 64-bit
# integers, that sort and subtract as the values do.

# `columns`: list of list(side, name). Returns list(values, int64, scale);
# scale is list(family, unit, left_unit), seconds per number (NA: no time).
ordered_values <- function(pairing, columns, kind, call) {
  values <- lapply(columns, function(column) {
    .subset2(pairing[[column$side]], column$name)
  })
  for (k in which(vapply(values, is.factor, NA))) {
    check_factor(values[[k]], columns[[k]]$name, columns[[k]]$side, call)
  }
  distances <- kind %in% c("nearest", "around")
  families <- vapply(values, ordered_family, "", distances = distances)
  check_ordered_families(values, columns, families, kind, call)
  family <- family_group(families[1L])
  switch(family,
    number = number_values(values, columns, families, call),
    Date = list(
      values = lapply(values, function(x) {
        floor(as.double(strip_class(x)))
      }), int64 = FALSE,
      scale = list(family = family, unit = 86400, left_unit = 86400)
    ),
    POSIXct = list(
      values = lapply(values, as_double), int64 = FALSE,
      scale = list(family = family, unit = 1, left_unit = 1)
    ),
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
  groups <- vapply(families, family_group, "")
  other <- which(groups != groups[1L])
  if (length(other)) {
    k <- other[1L]
    stop_ordered_types(values[c(1L, k)], columns[c(1L, k)], call)
  }
  if (families[1L] == "ordered") {
    same <- vapply(values, function(x) {
      identical(levels(x), levels(values[[1L]]))
    }, NA)
    if (!all(same)) {
      stop_ronda("type",
        sprintf("%s and %s are ordered factors of different levels.",
          place_of(columns[[1L]]), place_of(columns[[which(!same)[1L]]])
        ),
        "Give both the same levels, in the same order.",
        call = call
      )
    }
  }
}

place_of <- function(column) sprintf("`%s` of `%s`", column$name, column$side)

stop_unordered <- function(values, columns, at, kind, call) {
  x <- values[[at]]
  column <- columns[[at]]
  place <- place_code(column$side, column$name)
  stop_ronda("type",
    sprintf("%s (%s) can't be used in %s().", place_of(column), type_word(x),
      kind
    ),
    time_conversion(x, place),
    if (is.factor(x) && !kind %in% c("nearest", "around")) {
      sprintf("Write: %s <- as.ordered(%s), if its levels have an order.",
        place, place
      )
    },
    sprintf("%s() takes numbers and times%s.", kind,
      if (kind %in% c("nearest", "around")) "" else {
        ", text and ordered factors"
      }
    ),
    call = call
  )
}

stop_ordered_types <- function(values, columns, call) {
  rule <- list(left = columns[[1L]]$name, right = columns[[2L]]$name)
  frames <- c(columns[[1L]]$side, columns[[2L]]$side)
  text <- vapply(values, is.character, NA)
  mend <- if (any(text)) {
    at <- which(text)[1L]
    time_conversion(values[[at]], place_code(frames[at], rule[[at]]))
  }
  if (is.null(mend)) {
    mend <- key_conversion(values[[1L]], values[[2L]], rule, frames)
  }
  stop_ronda("type",
    sprintf("%s (%s) can't be compared with %s (%s).",
      place_of(columns[[1L]]), type_word(values[[1L]]),
      place_of(columns[[2L]]), type_word(values[[2L]])
    ),
    mend,
    call = call
  )
}

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

number_values <- function(values, columns, families, call) {
  long <- families == "integer64"
  if (!any(long)) {
    return(list(
      values = lapply(values, as_double), int64 = FALSE,
      scale = no_scale("number")
    ))
  }
  converted <- Map(function(x, is_long) {
    if (is_long) list(values = x) else int64_from_number_(x)
  }, values, long)
  odd <- vapply(converted, function(x) !is.null(x$not_int64), NA)
  if (any(odd)) {
    return(mixed_numbers(values, columns, long, which(odd)[1L], call))
  }
  list(
    values = lapply(converted, function(x) strip_class(x$values)),
    int64 = TRUE, scale = no_scale("number")
  )
}

# 64-bit integers as doubles: exact up to 2^53
int64_double <- function(x) {
  halves <- int64_halves_(x)
  halves[[1L]] * 2^32 + halves[[2L]]
}

strip_class <- function(x) {
  if (!is.null(attributes(x))) attributes(x) <- NULL
  x
}

# 64-bit integers beside fractions: as doubles, where that loses nothing
mixed_numbers <- function(values, columns, long, odd, call) {
  as_doubles <- Map(function(x, is_long) {
    if (!is_long) {
      return(as_double(x))
    }
    int64_double(x)
  }, values, long)
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

duration_values <- function(values) {
  units <- vapply(values, attr, "", "units")
  seconds <- duration_seconds[units]
  finest <- min(seconds)
  list(
    values = Map(function(x, unit) {
      as.double(strip_class(x)) * (unit / finest)
    }, values, seconds),
    int64 = FALSE,
    scale = list(
      family = "difftime", unit = finest, left_unit = seconds[[1L]]
    )
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

# Text as its rank among all the values: in C order, the same everywhere
rank_values <- function(values) {
  texts <- lapply(values, function(x) enc2utf8(as_text(x)))
  all <- sort(unique(unlist(texts)), method = "radix")
  list(
    values = lapply(texts, function(x) as.double(match(x, all))),
    int64 = FALSE, scale = no_scale("text")
  )
}

# Values as text that is equal where the values are
key_text <- function(x) {
  if (is.character(x) || is.factor(x)) {
    return(as.character(x))
  }
  if (inherits(x, "integer64")) {
    halves <- int64_halves_(x)
    text <- rep(NA_character_, length(x))
    there <- which(!is.na(halves[[1L]]))
    text[there] <- mapply(int64_digits, halves[[1L]][there], halves[[2L]][there])
    return(text)
  }
  text <- sprintf("%.17g", x)
  whole <- !is.na(x) & x == trunc(x)
  text[whole] <- sprintf("%.0f", x[whole] + 0)
  text[is.na(x)] <- NA
  text
}
