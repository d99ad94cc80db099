# How far the values of columns of two frames meet: what suggestions of keys are made of.
#
# Of large frames a part is looked at, the same on both sides: rows whose value has a code that
# falls into the first of some parts. A value that is looked at on one side is so on the other.
# Texts that any cleaning makes equal have one code.

sample_limit <- 20000L

# Into how many parts values are cut, of which one is looked at: 1 where all are
parts_of_frames <- function(frames) {
  rows <- min(vapply(frames, nrow, 1L))
  part <- sample_rows_option(sample_limit)
  if (rows < 10 * part) 1 else rows %/% part
}

# with fewer distinct values than this a column is looked at whole
few_values <- 20000

# What is made of a column once, however many it is compared with
made_once <- function(made, what, expr) {
  key <- paste(what, collapse = "\r")
  if (!key %in% made$keys) {
    value <- list(expr)
    made$values <- c(made$values, list(value))
    made$keys <- c(made$keys, key)
  }
  made$values[[match(key, made$keys)]][[1L]]
}

# The columns of some rules on one side in the form that the rules give them: list(columns (of
# distinct rows), times (how often each stands), missing (rows without a value), whole (the same
# of all rows where a part was looked at and values are few; else NULL))
look_at_columns <- function(frames, side, rules, parts, made) {
  columns <- lapply(rules, rule_column, frames = frames, side = side, made = made)
  place <- c(side, unlist(lapply(rules, function(rule) {
    c(rule[[side]], if (identical(rule$convert$side, side)) rule$convert$code)
  })))
  look <- made_once(made, c("look", place), {
    at <- rows_looked_at(columns, parts)
    found <- distinct_look(lapply(columns, slice_column, at, "", NULL), NULL)
    if (parts > 1 && length(found$times) * parts < few_values) {
      found$whole <- distinct_look(columns, NULL)
    }
    found
  })
  words <- lapply(rules, `[[`, "words")
  if (!any(lengths(words))) {
    return(look)
  }
  made_once(made, c("cleaned", place, unlist(words)), {
    cleaned <- function(look) {
      columns <- Map(function(x, words) {
        if (length(words)) clean_texts(readable(as_text(x)), words) else x
      }, look$columns, words)
      found <- distinct_look(columns, look$times)
      found$missing <- found$missing + look$missing
      found
    }
    found <- cleaned(look)
    if (!is.null(look$whole)) found$whole <- cleaned(look$whole)
    found
  })
}

# A column, converted if its rule says so
rule_column <- function(frames, rule, side, made) {
  x <- .subset2(frames[[side]], rule[[side]])
  if (!identical(rule$convert$side, side)) {
    return(x)
  }
  made_once(made, c(rule$convert$code, side, rule[[side]]), suppressWarnings(rule$convert$run(x)))
}

# The rows whose values are looked at: all, or those whose code falls into the first part
rows_looked_at <- function(columns, parts) {
  n <- length(columns[[1L]])
  if (parts == 1) {
    return(seq_len(n))
  }
  codes <- lapply(columns, value_codes)
  kinds <- vapply(codes, function(x) {
    engine_kinds[[if (is_int64(x)) "int64" else if (is.integer(x)) "int32" else "real"]]
  }, 1L)
  first_part_(codes, kinds, parts)
}

# Numbers that are equal where values match, whatever their types
value_codes <- function(x) {
  switch(type_group(x),
    text = codes_of_texts(sound_texts(as_text(x))),
    number = if (is_int64(x)) int64_double(x) else strip_class(x),
    Date = floor(as.double(strip_class(x))),
    difftime = round(as.numeric(x, units = "secs"), 3L),
    POSIXct = as.double(strip_class(x)),
    codes_of_texts(sound_texts(key_texts(x)))
  )
}

# `times`: how often each row stands, NULL for once
distinct_look <- function(columns, times) {
  pairs <- unlist(lapply(columns, function(x) align_keys(x, x, list(), NULL)), recursive = FALSE)
  first <- group_rows_(lapply(pairs, function(pair) engine_values(pair$left)),
    vapply(pairs, function(pair) pair$kind, 1L), FALSE
  )
  n <- length(columns[[1L]])
  if (is.null(first)) first <- seq_len(n)
  at <- which(first == seq_len(n))
  if (is.null(times)) {
    counts <- tabulate(first, n)[at]
    missing <- sum(first == 0L)
  } else {
    counts <- numeric(n)
    sums <- rowsum(times, first)
    of <- as.integer(rownames(sums))
    counts[of[of > 0L]] <- sums[of > 0L, 1L]
    counts <- counts[at]
    missing <- sum(times[first == 0L])
  }
  list(
    columns = lapply(columns, slice_column, at, "", NULL), times = as.double(counts),
    missing = missing
  )
}

# How far the columns of some rules meet: list(found, unique (shares by side), shared, several)
measure_columns <- function(frames, rules, parts, made) {
  looks <- lapply(c(left = "left", right = "right"), function(side) {
    look_at_columns(frames, side, rules, parts, made)
  })
  if (!is.null(looks$left$whole) && !is.null(looks$right$whole)) {
    looks <- lapply(looks, `[[`, "whole")
  }
  keys <- unlist(Map(align_keys, looks$left$columns, looks$right$columns, rules, list(NULL)),
    recursive = FALSE
  )
  of_side <- function(side) lapply(unname(keys), function(pair) engine_values(pair[[side]]))
  kinds <- unname(vapply(keys, function(pair) pair$kind, 1L))
  pairs <- all_pairs(match_equal_(of_side("left"), of_side("right"), kinds, FALSE, FALSE)$matches)
  found <- shares_found(looks, pairs)
  partners <- numeric(length(looks$left$times))
  sums <- rowsum(looks$right$times[pairs$right], pairs$left)
  partners[as.integer(rownames(sums))] <- sums[, 1L]
  rows <- sum(looks$left$times) + looks$left$missing
  list(
    found = found,
    unique = vapply(unname(looks), function(look) {
      if (sum(look$times)) length(look$times) / sum(look$times) else 0
    }, 0),
    shared = all(found > 0),
    several = if (rows) sum(looks$left$times[partners > 1]) / rows else 0
  )
}

# The share of each side's rows, of those with a value, that are in some pairs of their looks
shares_found <- function(looks, pairs) {
  vapply(side_names, function(side) {
    times <- looks[[side]]$times
    sum(times[unique(pairs[[side]])]) / max(1, sum(times))
  }, 0, USE.NAMES = FALSE)
}

# Whether some cleaning could make more values meet than the shares `found` of both sides: texts
# that it makes equal have one code
may_be_cleaned <- function(frames, rule, found, parts, made) {
  looks <- lapply(c(left = "left", right = "right"), function(side) {
    look <- look_at_columns(frames, side, list(rule), parts, made)
    look$codes <- made_once(made, c("codes", side, rule[[side]]), value_codes(look$columns[[1L]]))
    look
  })
  pairs <- engine_pairs(list(looks$left$codes), list(looks$right$codes), "int64")
  sum(shares_found(looks, pairs)) > found + 1e-9
}

# Of a column of whole numbers or days: list(values (distinct ones that are looked at), count
# (of all distinct ones, estimated), range); NULL for others
number_facts <- function(frames, side, rule, parts, made) {
  column <- .subset2(frames[[side]], rule[[side]])
  if (!key_type(column) %in% c("integer", "double", "Date", "difftime")) {
    return(NULL)
  }
  look <- look_at_columns(frames, side, list(rule[side_names]), parts, made)
  made_once(made, c("numbers of", side, rule[[side]]), {
    if (!is.null(look$whole)) {
      look <- look$whole
      parts <- 1
    }
    values <- as_double(strip_class(look$columns[[1L]]))
    values <- values[is.finite(values)]
    if (length(values) >= 2L && !any(values != trunc(values))) {
      list(
        values = values, count = length(values) * parts, range = finite_range(strip_class(column))
      )
    }
  })
}

finite_range <- function(x) {
  ends <- c(min(x, na.rm = TRUE), max(x, na.rm = TRUE))
  if (all(is.finite(ends))) ends else range(x[is.finite(x)])
}
