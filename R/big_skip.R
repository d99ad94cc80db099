# Chunks that need not be read: no row of theirs can pair, by the folder they are in or by the
# least and the largest value that their file says of a column, and rows that don't pair are
# not in the result.

# The job with the chunks that are read of each side; `unread` says of a side what is not:
# list(files, of, missing (rows with a missing key))
without_chunks <- function(job, pairing, rows, plan) {
  ends <- ends_of_keys(job$sides, pairing$key_rules)
  limits <- limits_of_where(pairing$where)
  types <- (if (is.null(plan$folds)) row_types else folded_row_types)[[rows]]
  # Rows with a missing key may be at fault.
  most_missing <- if (pairing$missing_keys == "stop" ||
    "no-missing-keys" %in% expectation_parts(pairing$expect)$words) 0 else Inf
  for (side in side_names) {
    of_side <- job$sides[[side]]
    if (of_side$kind == "own" || types[[paste0(side, "_alone")]] ||
      asks_of_all_rows(pairing, side)) next
    can <- can_pair(ends, side, pairing$missing_keys == "match") &
      within_limits(of_side, limits[[side]])
    missing <- missing_in_chunks(of_side, lapply(pairing$key_rules, `[[`, side))
    skipped <- which(!can & missing <= most_missing)
    chunks <- of_side$chunks
    # One chunk at least says what the columns are.
    if (length(skipped) == nrow(chunks)) skipped <- skipped[-which.min(chunks$rows[skipped])]
    if (!length(skipped)) next
    job$unread[[side]] <- list(
      files = length(setdiff(chunks$file[skipped], chunks$file[-skipped])),
      of = length(unique(chunks$file)), missing = sum(missing[skipped])
    )
    job$sides[[side]]$chunks <- chunks[-skipped, ]
  }
  job
}

# For each key that is compared as it is, what is known of both of its columns
ends_of_keys <- function(sides, rules) {
  rules <- Filter(function(rule) is.null(rule$via), rules)
  kinds <- lapply(rules, function(rule) {
    lapply(sides[side_names], function(side) {
      columns <- if (is.null(side$frame)) side$settled else side$frame
      kind_of_ends(.subset2(columns, rule[[side$side]]))
    })
  })
  rules <- rules[vapply(kinds, function(kind) {
    !is.null(kind[[1L]]) && identical(kind[[1L]], kind[[2L]])
  }, NA)]
  ends <- lapply(c(left = "left", right = "right"), function(side) {
    names <- vapply(rules, `[[`, "", side)
    if (is.null(sides[[side]]$frame)) lapply(names, ends_of_side, side = sides[[side]]) else {
      ends_of_values(lapply(names, function(name) .subset2(sides[[side]]$frame, name)))
    }
  })
  lapply(seq_along(rules), function(k) {
    comparable_ends(list(left = ends$left[[k]], right = ends$right[[k]]))
  })
}

# whether what is expected names rows of a side that don't pair
asks_of_all_rows <- function(pairing, side) {
  expected <- expectation_parts(pairing$expect)
  paste0(side, "-complete") %in% expected$words ||
    paste0(side, "_matched") %in% names(expected$shares)
}

# rows of each chunk with a missing key, NA where that can't be known
missing_in_chunks <- function(side, names) {
  nulls <- lapply(names, function(name) {
    found <- ends_of_side(side, name)
    if (is.null(found)) rep(NA_real_, nrow(side$chunks)) else found$nulls
  })
  none <- numeric(nrow(side$chunks))
  several <- Reduce(`+`, lapply(nulls, `>`, 0), none) > 1
  ifelse(several, NA, Reduce(`+`, nulls, none))
}

# What is known of a column of files: list(low, high, nulls, none), with a value for each
# chunk, NA where it isn't known. `none`: whether all values are missing. NULL for types that
# are not looked at.
ends_of_side <- function(side, name) {
  kind <- kind_of_ends(side$settled[[name]])
  if (is.null(kind)) {
    return(NULL)
  }
  of_chunk <- side$chunks$file
  rows <- side$chunks$rows
  told <- side$ends[[name]]
  found <- if (name %in% names(side$folders)) {
    x <- plain_ends(side$folders[[name]])[of_chunk]
    list(low = x, high = x, nulls = ifelse(is.na(x), rows, 0))
  } else if (is.null(told) || is.character(told$low) != (kind == "text")) {
    none <- rep(if (kind == "text") NA_character_ else NA_real_, length(of_chunk))
    list(low = none, high = none, nulls = rep(NA_real_, length(of_chunk)))
  } else {
    # Days and times may also stand in files as plain numbers, by a note of ours.
    alike <- told$kind %in% c(kind, if (kind != "text") "number")
    told[c("low", "high")] <- lapply(told[c("low", "high")], function(x) replace(x, !alike, NA))
    lapply(told[c("low", "high", "nulls")], `[`, of_chunk)
  }
  c(found, list(none = (found$nulls >= rows) %in% TRUE))
}

kind_of_ends <- function(x) {
  if (is.character(x) || is.factor(x)) {
    "text"
  } else if (inherits(x, "Date")) {
    "date"
  } else if (inherits(x, "POSIXct")) {
    "time"
  } else if (is_int64(x) || is.numeric(x) && !is.object(x)) {
    "number"
  }
}

# values as texts or doubles
plain_ends <- function(x) {
  if (is.factor(x)) as.character(x) else if (is.character(x)) utf8_text_(x) else if (is_int64(x)) {
    int64_double(x)
  } else {
    as.double(strip_class(x))
  }
}

# up to so many different rows of a frame's keys are compared one by one
most_values <- 10000L

# The same for columns of a frame in memory: a line for each of their different rows, or where
# these are many one for all
ends_of_values <- function(columns) {
  columns <- lapply(columns, plain_ends)
  rows <- if (length(columns)) {
    which(!duplicated(as_base_frame(columns, length(columns[[1L]]))))
  }
  lapply(columns, function(x) {
    none <- is.na(x)
    if (length(rows) <= most_values) {
      return(list(low = x[rows], high = x[rows], nulls = none[rows] + 0, none = none[rows]))
    }
    ends <- sort(x[!none], method = "radix")[c(1L, sum(!none))]
    list(low = ends[1L], high = ends[2L], nulls = sum(none), none = all(none))
  })
}

# Whether a row of each chunk of a side can have a partner, by what is known of all keys. A
# line of the other side is one of its chunks, or of its values.
can_pair <- function(ends, side, missing_match) {
  if (!length(ends)) {
    return(TRUE)
  }
  other <- setdiff(side_names, side)
  vapply(seq_along(ends[[1L]][[side]]$low), function(k) {
    found <- TRUE
    for (key in ends) found <- found & ends_meet(key[[side]], k, key[[other]], missing_match)
    any(found)
  }, NA)
}

ends_meet <- function(one, k, other, missing_match) {
  unknown <- is.na(one$low[k]) | is.na(other$low)
  meets <- one$low[k] <= other$high & other$low <= one$high[k]
  both_missing <- missing_match & !one$nulls[k] %in% 0 & !other$nulls %in% 0
  unknown & !one$none[k] & !other$none | meets %in% TRUE | both_missing
}

# Ends as numbers in one order, wider than rounding
comparable_ends <- function(ends) {
  texts <- unlist(lapply(ends, `[`, c("low", "high")), use.names = FALSE)
  if (!is.character(texts)) {
    return(lapply(ends, function(one) {
      one[c("low", "high")] <- widened(one[c("low", "high")])
      one
    }))
  }
  order <- sort(unique(texts), method = "radix")
  lapply(ends, function(one) {
    one[c("low", "high")] <- lapply(one[c("low", "high")], match, order)
    one
  })
}

# One-sided conditions -----------------------------------------------------------------

# Comparisons of `where` of one column with a value: for each side, list(name, op, value)
limits_of_where <- function(where) {
  if (!inherits(where, "formula")) {
    return(list())
  }
  found <- lapply(split_and(where[[2L]]), limit_of_term, environment(where))
  lapply(c(left = "left", right = "right"), function(side) {
    Filter(function(limit) identical(limit$side, side), found)
  })
}

limit_of_term <- function(term, environment) {
  if (!is.call(term) || length(term) != 3L || !is.name(term[[1L]])) {
    return(NULL)
  }
  op <- as.character(term[[1L]])
  columns <- lapply(term[2:3], column_of_code)
  at <- which(lengths(columns) > 0L)
  if (length(at) != 1L || !op %in% c("<", "<=", ">", ">=", "==")) {
    return(NULL)
  }
  code <- term[[4L - at]]
  if (any(side_names %in% all.names(code))) {
    return(NULL)
  }
  value <- tryCatch(formula_part(code, environment)$run(NULL, NULL), error = function(e) NULL)
  if (length(value) != 1L || is.na(value) || is.null(kind_of_ends(value))) {
    return(NULL)
  }
  c(columns[[at]], list(op = if (at == 2L && op != "==") flip_op(op) else op, value = value))
}

# list(side, name) of `right$km` or `right[["km"]]`
column_of_code <- function(code) {
  if (!is.call(code) || length(code) != 3L || !is.name(code[[2L]])) {
    return(NULL)
  }
  side <- as.character(code[[2L]])
  is_column <- identical(code[[1L]], quote(`$`)) && (is.name(code[[3L]]) || is_name(code[[3L]])) ||
    identical(code[[1L]], quote(`[[`)) && is_name(code[[3L]])
  if (side %in% side_names && is_column) list(side = side, name = as.character(code[[3L]]))
}

# whether a row of each chunk can be what these comparisons ask for
within_limits <- function(side, limits) {
  can <- rep(TRUE, nrow(side$chunks))
  for (limit in limits) {
    ends <- if (limit$name %in% side$names) ends_of_side(side, limit$name)
    kind <- kind_of_ends(side$settled[[limit$name]])
    # Texts are compared by the language of the session.
    if (is.null(ends) || kind != kind_of_ends(limit$value) ||
      kind == "text" && limit$op != "==") next
    value <- plain_ends(limit$value)
    both <- comparable_ends(list(ends[c("low", "high")], list(low = value, high = value)))
    ends[c("low", "high")] <- both[[1L]]
    value <- both[[2L]]
    holds <- switch(limit$op,
      "<" = , "<=" = ends$low <= value$high, ">" = , ">=" = ends$high >= value$low,
      "==" = ends$low <= value$high & value$low <= ends$high
    )
    can <- can & !holds %in% FALSE & !ends$none
  }
  can
}

# "2 of 5 files of `left` were left out, ..."
unread_words <- function(job, verb = NULL) {
  noted <- if (length(job$pairing$rules) > length(job$pairing$key_rules)) {
    "whether keys repeat, and what is noted of other columns,"
  } else {
    "whether keys repeat"
  }
  unlist(lapply(names(job$unread), function(side) {
    of_side <- job$unread[[side]]
    if (of_side$files) {
      sprintf("%s of %s of %s %s left out, as no row in %s can pair; %s is said of the others.",
        with_commas(of_side$files), counted(of_side$of, "file"),
        job$pairing$labels[side_number(side)],
        if (!is.null(verb)) verb else if (of_side$files == 1) "was" else "were",
        if (of_side$files == 1) "it" else "them", noted
      )
    }
  }))
}
