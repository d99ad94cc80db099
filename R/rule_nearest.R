# nearest(): the closest values, at most so far and so many.

#' @rdname rules
#' @export
nearest <- function(left, right = left, look = "back", within = Inf,
                    equal = TRUE, ties = "last", n = 1, gap = NULL) {
  check_nearest(left, right, look, within, equal, ties, n, gap, quote(nearest()))
  new_rule("nearest",
    left = left, right = right, look = look, within = within, equal = equal,
    ties = ties, n = n, gap = gap
  )
}

check_nearest <- function(left, right, look, within, equal, ties, n, gap, call) {
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  check_word(look, "look", call)
  check_flag(equal, "equal", call)
  check_word(ties, "ties", call)
  check_how_many(n, "n", call)
  if (!is.null(gap)) check_name(gap, "gap", call)
  check_distance(within, "within", call)
}

plan_nearest <- function(pairing, rule, call) {
  found <- ordered_values(pairing, rule, call)
  within <- distance_number(rule$within, found$scale, "within", call)
  list(
    closest = c(
      list(
        left = found$values[[1L]], right = found$values[[2L]],
        int64 = found$int64, look = rule$look, ties = rule$ties, n = rule$n,
        within = within, equal = rule$equal
      ),
      if (is_calendar(rule$within)) calendar_reach(pairing, rule, found, call)
    ),
    scale = found$scale, values = found$values,
    notes = distance_notes(rule$within, found$scale, "within")
  )
}

# By the calendar each left row has bounds of its own: what the engine takes, and how it
# was said
calendar_reach <- function(pairing, rule, found, call) {
  like <- .subset2(pairing$left, rule$left)
  bound <- function(back) shifted_by(found, like, rule$within, back, "within", call)
  n <- length(like)
  list(
    least = if (rule$look == "ahead") rep.int(-Inf, n) else bound(TRUE),
    most = if (rule$look == "back") rep.int(Inf, n) else bound(FALSE),
    calendar = trimws(rule$within)
  )
}

nearest_text <- function(rule) {
  paste0(
    sprintf("nearest(%s, look = \"%s\"", columns_text(rule), rule$look),
    if (!is_unlimited(rule$within)) paste0(", within = ", distance_text(rule$within)),
    if (!rule$equal) ", equal = FALSE",
    if (rule$n > 1) paste0(", n = ", format(rule$n, scientific = FALSE)),
    ")"
  )
}

nearest_code <- function(rule) {
  choices <- c(
    if (rule$ties != "last") sprintf("ties = \"%s\"", rule$ties),
    if (!is.null(rule$gap)) sprintf("gap = %s", text_code(rule$gap))
  )
  paste(c(sub("[)]$", "", nearest_text(rule)), choices), collapse = ", ") |> paste0(")")
}

# what nearest() can't be given where "once" says which rows pair
check_nearest_once <- function(rule, repeats, call) {
  if (!is.character(repeats)) {
    stop_argument(
      said("Where every row is used once, nearest() pairs by distance, not by other values."),
      said("Write around() in place of nearest(), or %s.", setting("repeats", "once")),
      call = call
    )
  }
  if (rule$look == "both") {
    stop_argument(
      said("%s gives a row two partners, but beside %s it is in at most one pair.",
        setting("look", "both"), setting("repeats", "once")
      ),
      sprintf("Write: %s, which takes the closer of the two", setting("look", "either")),
      call = call
    )
  }
  given <- c("n", "ties")[c(rule$n > 1, rule$ties != "last")]
  if (length(given)) {
    stop_argument(
      said("%s of nearest() has no meaning beside %s.", argument_said(given[1L]),
        setting("repeats", "once")
      ),
      "Each row is in at most one pair, the closest pairs first.",
      sprintf("Leave out %s.", argument_said(given[1L])),
      call = call
    )
  }
}

# Files cut along its values ------------------------------------------------------

nearest_span <- function(x, rule, distance) {
  within <- distance("within")
  list(
    low = if (rule$look != "ahead") x - within else x,
    high = if (rule$look != "back") x + within else x
  )
}

# Of a piece of the right side as many points as may be wanted (and one more, where the
# same point does not count). With a distance the receipt says how far the closest are.
closest_beyond <- function(span, rule) {
  order <- order(span$low, na.last = NA, method = "radix")
  sorted <- span$low[order]
  points <- unique(sorted)
  between <- function(from, to) {
    begin <- findInterval(from, sorted, left.open = TRUE)
    order[begin + seq_len(max(0, findInterval(to, sorted) - begin))]
  }
  function(low, high) {
    if (!length(points)) {
      return(integer())
    }
    unique(c(
      if (rule$look != "ahead") {
        between(points[max(1, findInterval(low, points) - rule$n)], low)
      },
      if (rule$look != "back") {
        between(high, points[min(length(points), findInterval(high, points) + rule$n + 2)])
      }
    ))
  }
}

nearest_near <- function(y, rule, low, high) {
  near <- switch(rule$look,
    back = if (rule$equal) y <= high else y < high,
    ahead = if (rule$equal) y >= low else y > low,
    rule$equal | low < high | y != low
  )
  !is.na(y) & near
}

# Notes -----------------------------------------------------------------------

nearest_notes <- function(pairing, plan, found) {
  c(outside_notes(pairing, plan, found), hour_notes(pairing, plan))
}

# How far the nearest ones were, for rows that the tolerance left alone
outside_notes <- function(pairing, plan, matched) {
  if (is_unlimited(plan$closest$within) || !is.null(pairing$where)) {
    return(NULL)
  }
  distance <- outside_distances(pairing, plan, matched)
  list(new_note("outside", length(distance), side = "left", label = pairing$labels[1L],
    within = plan$closest$within, limit = limit_words(plan$closest, plan$scale),
    scale = plan$scale, distances = distance
  ))
}

outside_distances <- function(pairing, plan, matched) {
  alone <- !is_matched(pairing$matches, "left")
  if (!any(alone)) {
    return(numeric())
  }
  wider <- without_limit(plan$closest)
  wider$ties <- "last"
  wider$n <- 1
  keys <- matched$keys
  found <- if (is.null(keys)) {
    match_nearest_(leave_out_left(matched$groups, !alone), wider,
      plan$comparisons, plan$skip_left, plan$skip_right, Inf
    )
  } else {
    merge_nearest_(keys$left, keys$right, keys$kinds, wider)
  }
  far <- which(alone & is_matched(found$matches, "left"))
  distance <- abs(gap_numbers(wider, far, first_partners(found$matches, far)))
  distance[is.finite(distance)]
}

# of parts at most so many distances are kept, evenly over their order
most_distances <- 10001L

outside_words <- function(note) {
  apart <- note$within
  distances <- note$distances
  sprintf(
    "%s of %s %s nothing within %s: the nearest is %s away, the median %s%s.",
    counted(note$count, "row"), note$label, if (note$count == 1) "has" else "have",
    note$limit,
    distance_words(min(distances), note$scale, apart),
    distance_words(stats::median(distances), note$scale, apart),
    if (length(distances) < note$count) {
      sprintf(" (of %s of them)", with_commas(length(distances)))
    } else {
      ""
    }
  )
}

add_outside <- function(one, other) {
  one <- add_counts(one, other)
  one$distances <- thinned(c(one$distances, other$distances), most_distances)
  one
}

# of more numbers than `most` those at even steps of their order, the ends among them
thinned <- function(numbers, most) {
  n <- length(numbers)
  if (n <= most) {
    return(numbers)
  }
  sort(numbers)[round(seq(1, n, length.out = most))]
}

# A distance is never negative, but where right rows of both sides may be partners its sign
# says on which one they lie.
is_signed_gap <- function(rule) rule$look %in% c("either", "both")

# the gaps of some rows, as numbers
gap_numbers <- function(spec, left, right) {
  found <- standings_(spec, left, right)
  distance <- distance_numbers(new_distances(found, spec$int64, NULL))
  if (is_signed_gap(spec)) found$sign * distance else distance
}

# Nearly all gaps the same, and one that two time zones could be apart: two clocks, most
# likely. Some pairs tell that it is not so.
hour_notes <- function(pairing, plan) {
  if (plan$scale$family != "POSIXct") {
    return(NULL)
  }
  offsets_of <- function(n) {
    pairs <- some_pairs(pairing$matches, n)
    quarters <- gap_numbers(plan$closest, pairs$left, pairs$right) / 900
    is_offset <- is.finite(quarters) & quarters != 0 & abs(quarters) <= most_quarters &
      quarters == round(quarters)
    list(n = length(quarters), counts = tabulate(
      quarters[is_offset] + most_quarters + 1L, 2L * most_quarters + 1L
    ))
  }
  few <- 1000L
  found <- offsets_of(few)
  if (found$n == few && is_one_offset(found$counts, found$n)) found <- offsets_of(Inf)
  list(new_note("hours", found$n, side = "left", offsets = found$counts))
}

# two zones are at most 26 hours apart, by whole quarters of an hour
most_quarters <- 104L

is_one_offset <- function(counts, n) n > 1 && max(counts) >= 0.95 * n

hour_words <- function(note) {
  if (is_one_offset(note$offsets, note$count)) {
    hours <- abs(which.max(note$offsets) - most_quarters - 1L) / 4
    alike <- max(note$offsets)
    sprintf("%s gaps are %s: different time zones?",
      if (alike == note$count) sprintf("All %s", with_commas(alike)) else {
        sprintf("%s of %s", with_commas(alike), with_commas(note$count))
      },
      counted(hours, "hour")
    )
  }
}

add_hours <- function(one, other) {
  one <- add_counts(one, other)
  one$offsets <- one$offsets + other$offsets
  one
}

# Explanations ------------------------------------------------------------------

# What lies just outside, where nearest() can reach nothing
reach_line <- function(pairing, view, rule, before) {
  standing <- view$standing
  text <- rule_text(rule)
  if (!length(before)) {
    return(sprintf("%s: no row is left to choose from.", text))
  }
  side <- before[standing$reach[before] == reach_codes[["far"]]]
  if (!length(side)) {
    where <- switch(rule$look, back = "before it", ahead = "after it", "there")
    if (view$side == "right") {
      where <- switch(rule$look, back = "after it", ahead = "before it", "there")
    }
    return(sprintf("%s: none of the %s lies %s.", text,
      counted(length(before), "row"), where
    ))
  }
  distance <- standing$distance
  closest <- closest_first(distance, side)[1L]
  place <- sprintf("%s: the closest is row %d (%s)", text, closest,
    key_words(pairing[[view$other]], rule[[view$other]], closest)
  )
  if (!is_finite_distance(distance, closest)) {
    return(sprintf("%s, infinitely far away.", place))
  }
  within <- standing$within[closest]
  sprintf("%s, %s away: outside %s by %s.", place,
    words_of_distance(distance, closest, within), standing$limit,
    words_of_excess(distance, closest, within)
  )
}

# Rows that nearest() could reach but that the other rules refuse
other_group_line <- function(pairing, view, holds, before) {
  refused <- length(setdiff(holds, before))
  if (!refused) {
    return(NULL)
  }
  columns <- rule_columns(pairing$key_rules, view$other)
  are <- if (refused == 1L) "is" else "are"
  sprintf("  %s within reach %s.", counted(refused, "row"),
    if (length(columns) && is.null(pairing$where)) {
      sprintf("%s of another %s", are, listed(paste0("`", columns, "`"), "or"))
    } else {
      paste(are, "refused by the rules above")
    }
  )
}

nearest_choice_lines <- function(pairing, view, rule, partners, passed,
                                 refused) {
  standing <- view$standing
  distance <- standing$distance
  partners <- closest_first(distance, partners)
  # what lies as far as the last one chosen could have been chosen instead
  chosen <- partners[length(partners)]
  at_point <- function(rows) {
    standing$sign[rows] == standing$sign[chosen] &
      compare_distances(distance, rows, chosen) == 0
  }
  tied <- passed[at_point(passed)]
  next_best <- closest_first(distance, setdiff(passed, tied))
  nearer <- refused[standing$reach[refused] == reach_codes[["near"]] &
    compare_distances(distance, refused, chosen) < 0]
  c(
    if (length(nearer)) {
      closest <- closest_first(distance, nearer)[1L]
      said("Nearer, but refused by `where`: %s, the nearest row %d (%s).",
        counted(length(nearer), "row"), closest,
        key_words(pairing$right, rule$right, closest)
      )
    },
    chosen_lines(pairing, rule, partners, distance),
    if (length(tied)) {
      sprintf("At the same point: row %s (%s).", listed(tied, "and"),
        setting("ties", rule$ties)
      )
    },
    if (length(next_best)) {
      sprintf("The next best is row %d, %s away.", next_best[1L],
        words_of_distance(distance, next_best[1L])
      )
    }
  )
}

# Rows at one point are listed once.
chosen_lines <- function(pairing, rule, partners, distance) {
  away <- vapply(partners, words_of_distance, "", distance = distance)
  points <- vapply(partners, function(row) {
    key_words(pairing$right, rule$right, row)
  }, "")
  told <- utils::head(unique(points), 5L)
  more <- sum(!points %in% told)
  c(
    vapply(told, function(point) {
      rows <- which(points == point)
      sprintf("Chosen: row %s (%s), %s away.", listed(partners[rows], "and"), point,
        away[rows[1L]]
      )
    }, "", USE.NAMES = FALSE),
    if (more) sprintf("Chosen, too: the next %s.", counted(more, "row"))
  )
}

register_rule("nearest",
  text = nearest_text, code = nearest_code, plan = plan_nearest,
  once = "Use around() or relate() for the others.", chooses = TRUE,
  adds = function(rule) {
    if (!is.null(rule$gap)) list(list(name = rule$gap, from = "gap", rule = rule))
  },
  measures = TRUE, check_once = check_nearest_once,
  one_frame = "Use around() for values that are close to each other.",
  spans = rule_spans(nearest_span, beyond = closest_beyond, near = nearest_near,
    reach = function(rule) if (is_unlimited(rule$within)) "closest" else "bounded"
  ),
  uncut = "nearest() without `within` beside other rules or `where` may reach any row",
  notes = nearest_notes,
  # what its side and distance allow, whichever is closest
  holds = function(pairing, view, rule) {
    which(view$standing$reach == reach_codes[["near"]])
  },
  standing = standing_of_row,
  lines = function(pairing, view, rule, holds, before, left_over) {
    c(
      if (length(left_over)) {
        holds_line(view, rule, holds, before, left_over)
      } else {
        reach_line(pairing, view, rule, before)
      },
      other_group_line(pairing, view, holds, before)
    )
  },
  choice = nearest_choice_lines,
  option = rule_option("Nearest value: departs=read_at (left=right)",
    make = function(left, right, details) {
      nearest(left, right,
        look = details$look, within = details$within,
        equal = !details[["not-equal"]], ties = details$ties,
        n = details$n, gap = details$gap
      )
    },
    details = list(
      look = word_detail("look"),
      within = rule_detail("no farther than 15 or \"15 mins\"", "DISTANCE", Inf),
      ties = word_detail("ties"),
      n = rule_detail("up to so many right rows, the closest ones (default: 1)",
        "NUMBER", 1
      ),
      "not-equal" = rule_detail("not at the same point"),
      gap = rule_detail("add a column: the distance", "NAME")
    )
  )
)
