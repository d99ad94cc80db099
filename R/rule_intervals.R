# Intervals: inside(), covers() and overlap(), their bounds and ends, and what is said of
# them.

check_interval <- function(from, to, args, ends, open_ended, shared, call) {
  check_rule_column(from, args[1L], call)
  check_rule_column(to, args[2L], call)
  check_word(ends, "ends", call)
  check_flag(open_ended, "open_ended", call)
  check_stretch(shared, call)
}

interval_text <- function(rule) {
  sprintf("%s(%s, ends = \"%s\"%s)", rule$kind, columns_text(rule), rule$ends,
    if (rule$open_ended) ", open_ended = TRUE" else ""
  )
}

interval_code <- function(rule) {
  if (is.null(rule$shared)) {
    return(interval_text(rule))
  }
  sprintf("%s, shared = %s)", sub("[)]$", "", interval_text(rule)), value_code(rule$shared))
}

# their further options on the command line
interval_details <- function() list(
  ends = rule_detail(paste("which ends belong:", words_help(argument_words$ends)), "ENDS",
    "[)", argument_words$ends
  ),
  "open-ended" = rule_detail("a missing bound is no bound"),
  shared = rule_detail("add columns, the stretch that both share: from,to or from,to,length",
    "NAMES"
  )
)

# left op from, left op to
end_ops <- function(ends) {
  list(
    from = if (startsWith(ends, "[")) ">=" else ">",
    to = if (endsWith(ends, "]")) "<=" else "<"
  )
}

# The values and bounds of an interval rule. A missing bound becomes the lowest or
# highest number there is, so where a value is that number itself, ranks stand in for
# all of them: `[0, no bound)` holds infinity too.
interval_values <- function(pairing, rule, call) {
  check_stretch_length(pairing, rule, call)
  found <- ordered_values(pairing, rule, call)
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
  found <- interval_values(pairing, rule, call)
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

# inside(): left lies in the right frame's interval ----------------------------------

#' @rdname rules
#' @export
inside <- function(left, from, to, ends = "[)", open_ended = FALSE, shared = NULL) {
  call <- quote(inside())
  check_rule_column(left, "left", call)
  check_interval(from, to, c("from", "to"), ends, open_ended, shared, call)
  new_rule("inside",
    left = left, right = c(from, to), ends = ends, open_ended = open_ended, shared = shared
  )
}

register_rule("inside",
  verbs = c(left = "falls into", right = "holds"), spans = rule_spans(),
  text = interval_text, code = interval_code, adds = stretch_columns,
  plan = plan_point_in_interval, closest = closest_interval,
  option = rule_option("Left in the right interval: km=from_km..to_km",
    make = function(left, right, details) {
      inside(left, right[1L], right[2L], details$ends, details[["open-ended"]],
        details$shared
      )
    },
    left = "point", right = "interval", details = interval_details()
  )
)

# covers(): the left frame's interval holds right ------------------------------------

#' @rdname rules
#' @export
covers <- function(from, to, right, ends = "[)", open_ended = FALSE, shared = NULL) {
  call <- quote(covers())
  check_interval(from, to, c("from", "to"), ends, open_ended, shared, call)
  check_rule_column(right, "right", call)
  new_rule("covers",
    left = c(from, to), right = right, ends = ends, open_ended = open_ended, shared = shared
  )
}

register_rule("covers",
  verbs = c(left = "holds", right = "falls into"), spans = rule_spans(),
  text = interval_text, code = interval_code, adds = stretch_columns,
  plan = plan_point_in_interval, closest = closest_interval,
  option = rule_option("Right in the left interval: starts..ends=departs",
    make = function(left, right, details) {
      covers(left[1L], left[2L], right, details$ends, details[["open-ended"]],
        details$shared
      )
    },
    left = "interval", right = "point", details = interval_details()
  )
)

# overlap(): two intervals share a point ---------------------------------------------

#' @rdname rules
#' @export
overlap <- function(left_from, left_to, right_from = left_from, right_to = left_to,
                    ends = "[)", open_ended = FALSE, shared = NULL) {
  call <- quote(overlap())
  check_interval(left_from, left_to, c("left_from", "left_to"), ends, open_ended, shared,
    call
  )
  check_interval(right_from, right_to, c("right_from", "right_to"), ends, open_ended, shared,
    call
  )
  new_rule("overlap",
    left = c(left_from, left_to), right = c(right_from, right_to),
    ends = ends, open_ended = open_ended, shared = shared
  )
}

plan_overlap <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, call)
  left <- interval_bounds(found$values[[1L]], found$values[[2L]], rule,
    found$int64
  )
  right <- interval_bounds(found$values[[3L]], found$values[[4L]], rule,
    found$int64
  )
  closed <- rule$ends == "[]"
  list(
    comparisons = c(
      list(
        comparison(left$from, if (closed) "<=" else "<", right$to, found$int64, TRUE),
        comparison(left$to, if (closed) ">=" else ">", right$from, found$int64, TRUE)
      ),
      if (left$empty + right$empty > 0) never_empty(left, right, found$int64)
    ),
    skip = list(left = left$skip, right = right$skip),
    intervals = list(
      left = left[c("reversed", "empty", "missing")],
      right = right[c("reversed", "empty", "missing")]
    )
  )
}

# An empty interval shares no point, even within another: its 0 is not more than 0. The two
# are equal, so that the pair counts as one that an excluded end keeps apart.
never_empty <- function(left, right, int64) {
  has_width <- function(x) {
    compared <- compare_bounds(x, int64)
    as.double(is.na(compared) | compared != 0)
  }
  none <- function(x) numeric(length(x$from))
  list(
    comparison(has_width(left), ">", none(right), FALSE, TRUE),
    comparison(none(left), "<", has_width(right), FALSE, TRUE)
  )
}

register_rule("overlap",
  verbs = c(left = "overlaps", right = "overlaps"), spans = rule_spans(),
  text = interval_text, code = interval_code, adds = stretch_columns,
  plan = plan_overlap, closest = closest_interval,
  option = rule_option(paste(
    "Intervals that share a point:",
    "booked_from..booked_to=closed_from..closed_to"
  ),
    make = function(left, right, details) {
      overlap(left[1L], left[2L], right[1L], right[2L], details$ends,
        details[["open-ended"]], details$shared
      )
    },
    left = "interval", right = "interval", details = interval_details()
  )
)

# Notes -----------------------------------------------------------------------

interval_notes <- function(pairing, part, rule) {
  notes <- lapply(names(part$intervals), function(side) {
    counts <- part$intervals[[side]]
    label <- pairing$labels[side_number(side)]
    lapply(c("reversed", "empty", "missing"), function(what) {
      new_note("interval", counts[[what]], side = side, label = label, what = what,
        ends = rule$ends
      )
    })
  })
  c(unlist(notes, recursive = FALSE), several_notes(pairing, part))
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
several_notes <- function(pairing, part) {
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
    touches <- touches || length(rule$left) + length(rule$right) == 4L
  }
  # What a condition would say of such pairs is not known.
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
