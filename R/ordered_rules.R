# Ordered rules turned into what the engine takes: comparisons of numbers that
# must all hold, rows that pair with nothing, and the one nearest().

ordered_kinds <- c(
  "nearest", "around", "inside", "covers", "overlap", "relate"
)

# NULL when `on` has no ordered rule
ordered_plan <- function(pairing, call) {
  rules <- pairing$rules
  rules <- rules[kinds_of(rules) %in% ordered_kinds]
  if (!length(rules)) {
    return(NULL)
  }
  parts <- lapply(rules, plan_rule, pairing = pairing, call = call)
  skip <- function(side) {
    flags <- lapply(parts, function(part) part$skip[[side]])
    flags <- flags[!vapply(flags, is.null, NA)]
    if (length(flags)) as.raw(Reduce(`|`, flags))
  }
  nearest <- which(vapply(parts, function(part) !is.null(part$nearest), NA))
  list(
    comparisons = do.call(c, lapply(parts, function(part) part$comparisons)),
    skip_left = skip("left"), skip_right = skip("right"),
    nearest = if (length(nearest)) parts[[nearest]]$nearest,
    parts = parts, rules = rules
  )
}

# What one rule gives the engine
plan_rule <- function(pairing, rule, call) {
  switch(rule$kind,
    nearest = plan_nearest(pairing, rule, call),
    around = plan_around(pairing, rule, call),
    inside = plan_inside(pairing, rule, call),
    covers = plan_covers(pairing, rule, call),
    overlap = plan_overlap(pairing, rule, call),
    relate = plan_relate(pairing, rule, call),
    stop("plan_rule(): unknown rule ", rule$kind)
  )
}

side_columns <- function(rule) {
  c(
    lapply(rule$left, function(name) list(side = "left", name = name)),
    lapply(rule$right, function(name) list(side = "right", name = name))
  )
}

comparison <- function(left, op, right, int64, end = FALSE) {
  list(left = left, op = op, right = right, int64 = int64, end = end)
}

plan_nearest <- function(pairing, rule, call) {
  found <- ordered_values(pairing, side_columns(rule), "nearest", call)
  within <- distance_number(rule$within, found$scale, "within", call)
  list(
    nearest = list(
      left = found$values[[1L]], right = found$values[[2L]],
      int64 = found$int64, look = rule$look, ties = rule$ties,
      within = within, equal = rule$equal
    ),
    scale = found$scale, values = found$values,
    notes = distance_notes(rule$within, found$scale, "within")
  )
}

plan_around <- function(pairing, rule, call) {
  found <- ordered_values(pairing, side_columns(rule), "around", call)
  left <- found$values[[1L]]
  right <- found$values[[2L]]
  before <- distance_number(rule$before, found$scale, "before", call)
  after <- distance_number(rule$after, found$scale, "after", call)
  int64 <- found$int64
  shift <- function(by) {
    if (int64) {
      return(int64_shift_(left, by))
    }
    from <- strip_class(left)
    moved <- from + by
    # any distance from an infinite value
    if (is.infinite(by)) moved[is.nan(moved) & !is.na(from)] <- by
    moved
  }
  list(
    comparisons = list(
      comparison(shift(-before), "<=", right, int64),
      comparison(shift(after), ">=", right, int64)
    ),
    values = found$values, scale = found$scale,
    notes = c(
      distance_notes(rule$before, found$scale, "before"),
      distance_notes(rule$after, found$scale, "after")
    )
  )
}

plan_inside <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "inside", call)
  bounds <- interval_bounds(found$values[[2L]], found$values[[3L]], rule,
    found$int64
  )
  ops <- end_ops(rule$ends)
  list(
    comparisons = list(
      comparison(found$values[[1L]], ops$from, bounds$from, found$int64, TRUE),
      comparison(found$values[[1L]], ops$to, bounds$to, found$int64, TRUE)
    ),
    skip = list(right = bounds$skip), values = found$values[1L],
    intervals = list(right = bounds[c("reversed", "empty", "missing")]),
    several = "right"
  )
}

plan_covers <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "covers", call)
  bounds <- interval_bounds(found$values[[1L]], found$values[[2L]], rule,
    found$int64
  )
  ops <- lapply(end_ops(rule$ends), flip_op)
  list(
    comparisons = list(
      comparison(bounds$from, ops$from, found$values[[3L]], found$int64, TRUE),
      comparison(bounds$to, ops$to, found$values[[3L]], found$int64, TRUE)
    ),
    skip = list(left = bounds$skip), values = found$values[3L],
    intervals = list(left = bounds[c("reversed", "empty", "missing")]),
    several = "left"
  )
}

plan_overlap <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "overlap", call)
  left <- interval_bounds(found$values[[1L]], found$values[[2L]], rule,
    found$int64
  )
  right <- interval_bounds(found$values[[3L]], found$values[[4L]], rule,
    found$int64
  )
  closed <- rule$ends == "[]"
  list(
    comparisons = list(
      comparison(left$from, if (closed) "<=" else "<", right$to, found$int64),
      comparison(left$to, if (closed) ">=" else ">", right$from, found$int64)
    ),
    skip = list(left = left$skip, right = right$skip),
    intervals = list(
      left = left[c("reversed", "empty", "missing")],
      right = right[c("reversed", "empty", "missing")]
    )
  )
}

plan_relate <- function(pairing, rule, call) {
  if (rule$op == "!=") {
    return(plan_unequal(pairing, rule, call))
  }
  found <- ordered_values(pairing, side_columns(rule), "relate", call)
  list(
    comparisons = list(comparison(found$values[[1L]], rule$op,
      found$values[[2L]], found$int64
    )),
    values = found$values
  )
}

# `!=` takes what same() takes; unequal is unequal in some part.
plan_unequal <- function(pairing, rule, call) {
  x <- .subset2(pairing$left, rule$left)
  y <- .subset2(pairing$right, rule$right)
  check_key_types(pairing$left, pairing$right, list(rule), call)
  family <- family_group(key_family(x))
  pairs <- align_keys(x, y, rule, call)
  if (family == "text" || length(pairs) > 1L) {
    ranks <- if (family == "text") {
      rank_values(list(key_text(x), key_text(y)))$values
    } else {
      unequal_ranks(pairs)
    }
    return(list(comparisons = list(
      comparison(ranks[[1L]], "!=", ranks[[2L]], FALSE)
    )))
  }
  pair <- pairs[[1L]]
  int64 <- pair$kind == engine_kinds[["int64"]]
  day <- pair$kind == engine_kinds[["day"]]
  plain <- function(x) {
    x <- if (int64) strip_class(x) else as.double(strip_class(x))
    if (day) floor(x) else x
  }
  list(comparisons = list(
    comparison(plain(pair$left), "!=", plain(pair$right), int64)
  ))
}

# 64-bit integers beside fractions: numbers of their own for what is equal
unequal_ranks <- function(pairs) {
  stacked <- lapply(pairs, function(pair) {
    c(strip_class(pair$left), strip_class(pair$right))
  })
  kinds <- vapply(pairs, function(pair) pair$kind, 1L)
  first <- group_rows_(stacked, kinds, FALSE)
  if (is.null(first)) first <- seq_along(stacked[[1L]])
  first[first == 0L] <- NA
  n <- length(pairs[[1L]]$left)
  list(as.double(first[seq_len(n)]), as.double(first[-seq_len(n)]))
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

# left op from, left op to
end_ops <- function(ends) {
  list(
    from = if (startsWith(ends, "[")) ">=" else ">",
    to = if (endsWith(ends, "]")) "<=" else "<"
  )
}

flip_op <- function(op) {
  switch(op, "<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=")
}

# The values and bounds of an interval rule. A missing bound becomes the lowest or
# highest number there is, so where a value is that number itself, ranks stand in for
# all of them: `[0, no bound)` holds infinity too.
interval_values <- function(pairing, rule, kind, call) {
  found <- ordered_values(pairing, side_columns(rule), kind, call)
  if (rule$open_ended && any(vapply(found$values, is_extreme, NA, found$int64))) {
    found$values <- rank_numbers(found$values, found$int64)
    found$int64 <- FALSE
  }
  found
}

is_extreme <- function(x, int64) {
  x <- strip_class(x)
  if (!int64) {
    return(any(is.infinite(x)))
  }
  ends <- int64_infinite_()
  any(vapply(1:2, function(k) {
    any(int64_compare_(x, rep.int(ends[k], length(x))) == 0, na.rm = TRUE)
  }, NA))
}

# Bounds with what is missing settled, and the intervals that hold nothing
interval_bounds <- function(from, to, rule, int64) {
  from <- strip_class(from)
  to <- strip_class(to)
  ends <- if (int64) int64_infinite_() else c(-Inf, Inf)
  missing_from <- missing_number(from, int64)
  missing_to <- missing_number(to, int64)
  if (rule$open_ended) {
    from[missing_from] <- ends[1L]
    to[missing_to] <- ends[2L]
  }
  compared <- if (int64) int64_compare_(from, to) else sign(from - to)
  compared[is.nan(compared) & !is.na(from) & !is.na(to)] <- 0 # Inf - Inf
  reversed <- !is.na(compared) & compared > 0
  empty <- !is.na(compared) & compared == 0 & rule$ends != "[]"
  blank <- !rule$open_ended & (missing_from | missing_to)
  list(
    from = from, to = to, skip = reversed | empty | blank,
    reversed = sum(reversed), empty = sum(empty), missing = sum(blank)
  )
}

missing_number <- function(x, int64) {
  if (int64) is.na(int64_halves_(x)[[1L]]) else is.na(x)
}
