# What inside(), covers() and overlap() share: bounds, ends, and what is said of them.

check_interval <- function(from, to, ends, open_ended, args, call) {
  check_rule_column(from, args[1L], call)
  check_rule_column(to, args[2L], call)
  check_word(ends, "ends", call)
  check_flag(open_ended, "open_ended", call)
}

interval_text <- function(rule) {
  sprintf("%s(%s, ends = \"%s\"%s)", rule$kind, columns_text(rule), rule$ends,
    if (rule$open_ended) ", open_ended = TRUE" else ""
  )
}

# their further options on the command line
interval_details <- function() list(
  ends = rule_detail(paste("which ends belong:", words_help(argument_words$ends)), "ENDS",
    "[)", argument_words$ends
  ),
  "open-ended" = rule_detail("a missing bound is no bound")
)

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
  any(vapply(seq_along(ends), function(k) {
    any(int64_compare_(x, rep.int(ends[k], length(x))) == 0, na.rm = TRUE)
  }, NA))
}

# Bounds with what is missing settled, and the intervals that pair with nothing whatever
# their ends are. (An empty one, [a, a), would hold its point if its ends belonged to it:
# comparing says so.)
interval_bounds <- function(from, to, rule, int64) {
  from <- strip_class(from)
  to <- strip_class(to)
  if (!int64) {
    return(interval_bounds_(from, to, rule$open_ended, rule$ends == "[]"))
  }
  ends <- int64_infinite_()
  missing_from <- missing_number(from, int64)
  missing_to <- missing_number(to, int64)
  if (rule$open_ended) {
    from[missing_from] <- ends[1L]
    to[missing_to] <- ends[2L]
  }
  compared <- int64_compare_(from, to)
  reversed <- !is.na(compared) & compared > 0
  empty <- !is.na(compared) & compared == 0 & rule$ends != "[]"
  blank <- !rule$open_ended & (missing_from | missing_to)
  list(
    from = from, to = to, skip = reversed | blank,
    reversed = sum(reversed), empty = sum(empty), missing = sum(blank)
  )
}

# from beside to: below 0, 0 or above 0; missing where a bound is
compare_bounds <- function(bounds, int64) {
  if (int64) int64_compare_(bounds$from, bounds$to) else sign(bounds$from - bounds$to)
}

# A point of one frame in an interval of the other
plan_point_in_interval <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, rule$kind, call)
  int64 <- found$int64
  # the side that has the interval, and which values are its bounds
  side <- if (length(rule$left) == 2L) "left" else "right"
  at <- if (side == "left") 1:2 else 2:3
  point <- found$values[-at][[1L]]
  bounds <- interval_bounds(found$values[[at[1L]]], found$values[[at[2L]]], rule, int64)
  ops <- end_ops(rule$ends)
  compare <- function(op, bound) {
    if (side == "right") {
      comparison(point, op, bound, int64, TRUE)
    } else {
      comparison(bound, flip_op(op), point, int64, TRUE)
    }
  }
  of_side <- function(x) structure(list(x), names = side)
  list(
    comparisons = list(compare(ops$from, bounds$from), compare(ops$to, bounds$to)),
    skip = of_side(bounds$skip), values = list(point),
    intervals = of_side(bounds[c("reversed", "empty", "missing")]),
    several = side
  )
}

# Notes -----------------------------------------------------------------------

interval_notes <- function(pairing, part, rule) {
  if (is.null(part$intervals)) {
    return(NULL)
  }
  notes <- lapply(names(part$intervals), function(side) {
    counts <- part$intervals[[side]]
    label <- pairing$labels[side_number(side)]
    lapply(c("reversed", "empty", "missing"), function(what) {
      new_note("interval", counts[[what]], side = side, label = label, what = what,
        ends = rule$ends
      )
    })
  })
  unlist(notes, recursive = FALSE)
}

interval_words <- function(note) {
  one <- note$count == 1
  intervals <- paste(counted(note$count, "interval"), "of", note$label)
  switch(note$what,
    reversed = sprintf("%s %s before %s, and %s nothing.", intervals,
      if (one) "ends" else "end", if (one) "it starts" else "they start",
      if (one) "matches" else "match"
    ),
    empty = sprintf("%s %s empty with %s, and %s nothing.", intervals,
      if (one) "is" else "are", setting("ends", note$ends), if (one) "matches" else "match"
    ),
    missing = sprintf("%s %s a bound (%s takes that as no bound).",
      intervals, if (one) "lacks" else "lack", setting("open_ended", TRUE)
    )
  )
}

# One value in several intervals of one frame: they overlap each other.
several_notes <- function(pairing, part, rule) {
  if (is.null(part$several) || length(pairing$rules) >
    1L + length(pairing$key_rules)) {
    return(NULL)
  }
  side <- setdiff(side_names, part$several)
  list(new_note("several", several_of(pairing$matches, side),
    side = side, label = pairing$labels[side_number(side)],
    other = pairing$labels[side_number(part$several)]
  ))
}

several_intervals_words <- function(note) {
  sprintf("%s of %s %s into more than one interval of %s.", counted(note$count, "row"),
    note$label, if (note$count == 1) "falls" else "fall", note$other
  )
}

# Rows that have no partner only because an end does not belong
end_notes <- function(pairing, plan, count) {
  # points of the left frame lie there, its intervals have a bound there
  points <- touches <- FALSE
  for (rule in plan$rules) {
    points <- points || length(rule$left) < length(rule$right)
    touches <- touches || rule$kind == "overlap"
  }
  # (what a condition says of such pairs is not known)
  known <- !is.null(count) && !length(pairing$condition$rest)
  list(new_note("end", if (known) count else 0, side = "left", label = pairing$labels[1L],
    place = if (touches) "touch" else if (points) "point" else "bound"
  ))
}

end_words <- function(note) {
  one <- note$count == 1
  words <- switch(note$place,
    point = if (one) "lies exactly on" else "lie exactly on",
    bound = if (one) "has a value exactly on" else "have a value exactly on",
    touch = if (one) "only touches an interval at" else "only touch an interval at"
  )
  sprintf("%s of %s %s an excluded end: %s would match %s.",
    counted(note$count, "row"), note$label, words, setting("ends", "[]"),
    if (one) "it" else "them"
  )
}

# For a row that no interval holds: the one that would but for the end that is left out,
# or for its missing bound; else the closest
closest_interval <- function(pairing, view, rule, among) {
  but <- list(
    list(ends = "[]", words = "but for the end that is left out:"),
    list(open_ended = TRUE, words = "but for its missing bound:")
  )
  for (one in but) {
    wider <- rule
    change <- setdiff(names(one), "words")
    if (identical(rule[[change]], one[[change]])) next
    wider[[change]] <- one[[change]]
    rows <- intersect(rows_in_range(pairing, view, wider), among)
    if (length(rows)) {
      return(sprintf("  Row %d (%s) pairs with it %s %s would match it.", rows[1L],
        key_words(pairing[[view$other]], rule[[view$other]], rows[1L]), one$words,
        setting(change, one[[change]])
      ))
    }
  }
  closest_in_range(pairing, view, rule, among)
}
