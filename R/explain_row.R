#' Why does this row have the partners it has, or none?
#'
#' Follows one row through the rules, the condition, the nearest value and
#' `repeats`: how many rows each rule leaves, which one was chosen and why, and
#' for a row without partner what came closest.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param left,right `[integer(1)]` The number of a row of the left or of the
#'   right frame: one of the two.
#' @return A list of class `ronda_explanation`, which prints as an answer:
#'   `side`, `row`, `partners` (row numbers of the other frame), `steps` (a
#'   data frame: `rule`, `holds` (how many rows of the other frame it holds
#'   for), `left_over` (how many hold all rules so far)), `candidates` (rows
#'   that hold all rules and the condition) and `lines` (the answer, as text).
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, or when
#'   not exactly one row number is given that the frame has.
#' @seealso [near_misses()] for all unmatched rows at once.
#' @examples
#' pairing <- pair_rows(sailings, tide_readings, on = list(
#'   "port", nearest("departs", "read_at", within = "15 mins")
#' ))
#' explain_row(pairing, left = 1)
#' explain_row(pairing, left = 2)
#' explain_row(pair_rows(sailings, vessels, on = c(vessel = "code")), left = 23)
#' @export
explain_row <- function(pairing, left = NULL, right = NULL) {
  call <- quote(explain_row())
  check_pairing(pairing, call)
  if (is.null(left) == is.null(right)) {
    stop_argument("Give one row: `left` or `right`, a row number.",
      "Write, for example: explain_row(pairing, left = 12)",
      call = call
    )
  }
  side <- if (is.null(right)) "left" else "right"
  row <- if (is.null(right)) left else right
  check_row(row, pairing, side, call)
  explain(pairing, side, as.integer(row))
}

check_row <- function(row, pairing, side, call) {
  rows <- pairing$sizes[side_number(side)]
  good <- is.numeric(row) && length(row) == 1L && !is.na(row) && row >= 1 &&
    row == trunc(row)
  if (!good || row > rows) {
    stop_argument(
      sprintf("`%s` must be a row number from 1 to %s, not %s.", side,
        with_commas(rows), shown(row)
      ),
      call = call
    )
  }
}

explain <- function(pairing, side, row) {
  other <- if (side == "left") "right" else "left"
  view <- list(
    side = side, other = other, row = row,
    label = pairing$labels[side_number(side)],
    other_label = pairing$labels[side_number(other)],
    other_rows = pairing$sizes[side_number(other)]
  )
  nearest <- rules_of(pairing$rules, "nearest")
  if (length(nearest)) {
    view$standing <- standing_of_row(pairing, view, nearest[[1L]])
  }
  followed <- follow_rules(pairing, view)
  partners <- partners_of_row(pairing, view)
  lines <- c(
    row_line(pairing, view), followed$lines,
    choice_lines(pairing, view, followed, partners),
    partner_line(view, partners)
  )
  structure(
    list(
      side = side, row = row, partners = partners, steps = followed$steps,
      candidates = followed$candidates, lines = lines
    ),
    class = "ronda_explanation"
  )
}

partners_of_row <- function(pairing, view) {
  if (view$side == "left") {
    partners_of(pairing$matches, view$row)
  } else {
    left_partners_of(pairing$matches, view$row)
  }
}

row_line <- function(pairing, view) {
  columns <- rule_columns(pairing$rules, view$side)
  values <- if (length(columns)) {
    paste0(": ", key_words(pairing[[view$side]], columns, view$row))
  }
  paste0("Row ", view$row, " of ", view$label, values)
}

# Rules one at a time: the engine is asked about this row alone, with what it was
# given when it matched. nearest() comes last, for it chooses among what the others
# leave.
follow_rules <- function(pairing, view) {
  kinds <- kinds_of(pairing$rules)
  rules <- pairing$rules
  rules[kinds == "same"] <- pairing$key_rules # as they were matched
  rules <- c(rules[kinds != "nearest"], rules[kinds == "nearest"])
  left_over <- seq_len(view$other_rows)
  refused <- integer() # by the condition
  lines <- character()
  steps <- list()
  for (rule in rules) {
    before <- left_over
    if (rule$kind == "nearest") {
      left_over <- left_over[condition_holds(pairing, view, left_over)]
      refused <- setdiff(before, left_over)
      lines <- c(lines, condition_line(pairing, view, before, left_over))
      before <- left_over
    }
    holds <- rows_that_hold(pairing, view, rule)
    left_over <- intersect(left_over, holds)
    lines <- c(lines, rule_line(pairing, view, rule, holds, before, left_over))
    steps <- c(steps, list(data.frame(
      rule = rule_text(rule), holds = length(holds),
      left_over = length(left_over)
    )))
  }
  if (!any(kinds == "nearest")) {
    before <- left_over
    left_over <- left_over[condition_holds(pairing, view, left_over)]
    lines <- c(lines, condition_line(pairing, view, before, left_over))
  }
  list(
    lines = lines, steps = do.call(rbind, steps), candidates = left_over,
    refused = refused
  )
}

# The other frame's rows for which one rule holds with this row. For nearest()
# that is what its side and distance allow, whichever is closest.
rows_that_hold <- function(pairing, view, rule) {
  switch(rule$kind,
    same = rows_of_equal_key(pairing, view, rule),
    cross = seq_len(view$other_rows),
    nearest = which(view$standing$reach == reach_codes[["near"]]),
    rows_in_range(pairing, view, rule)
  )
}

rows_of_equal_key <- function(pairing, view, rule) {
  keys <- engine_keys(pairing$left, pairing$right, list(rule), NULL)
  keys[[view$side]] <- lapply(keys[[view$side]], gather_, view$row)
  found <- match_equal_(keys$left, keys$right, keys$kinds,
    pairing$missing_keys == "match", FALSE, keys$one_address
  )
  rows_found(found$matches, view)
}

rows_in_range <- function(pairing, view, rule) {
  plan <- plan_rule(pairing, rule, NULL)
  skip <- lapply(c(left = "left", right = "right"), function(side) {
    flags <- plan$skip[[side]]
    if (side == view$side) flags <- flags[view$row]
    if (length(flags)) as.raw(flags)
  })
  comparisons <- lapply(plan$comparisons, function(one) {
    one$left <- strip_class(one$left)
    one$right <- strip_class(one$right)
    one[[view$side]] <- gather_(one[[view$side]], view$row)
    one
  })
  rows <- c(view$other_rows, 1L)
  if (view$side == "left") rows <- rev(rows)
  groups <- match_everything(rows)
  search <- range_search_(groups, comparisons, skip$left, skip$right)
  rows_found(range_all_(search, Inf)$matches, view)
}

# The other frame's rows in the matches of one row of this one
rows_found <- function(matches, view) {
  if (view$side == "right") {
    return(which(is_matched(matches, "left")))
  }
  partners_of(matches, 1L)
}

gather_rows <- function(frame, rows) picked_columns(frame, names(frame), rows)

# How each row of the other frame stands to this one for nearest(), by the engine:
# list(reach, sign, distance)
standing_of_row <- function(pairing, view, rule) {
  plan <- plan_nearest(pairing, rule, NULL)
  others <- seq_len(view$other_rows)
  own <- rep.int(view$row, view$other_rows)
  found <- if (view$side == "left") {
    standings_(plan$nearest, own, others)
  } else {
    standings_(plan$nearest, others, own)
  }
  list(
    reach = found$reach, sign = found$sign,
    distance = new_distances(found, plan$nearest$int64, plan$scale),
    within = plan$nearest$within
  )
}

# the codes of Reach in src/core/nearest_match.h
reach_codes <- c(missing = 0L, other_side = 1L, far = 2L, near = 3L)

condition_holds <- function(pairing, view, rows) {
  if (is.null(pairing$where) || !length(rows)) {
    return(rep(TRUE, length(rows)))
  }
  own <- rep.int(view$row, length(rows))
  sides <- if (view$side == "left") list(own, rows) else list(rows, own)
  parts <- do.call(c, unname(where_parts(pairing$where)))
  pairs_hold(pairing, sides[[1L]], sides[[2L]], parts, quote(explain_row()))
}

condition_line <- function(pairing, view, before, after) {
  if (is.null(pairing$where) || !length(before)) {
    return(NULL)
  }
  code <- if (is.function(pairing$where)) "a function" else {
    paste(deparse(pairing$where[[2L]]), collapse = " ")
  }
  sprintf("where (%s): holds for %s of the %s.", code, with_commas(length(after)),
    counted(length(before), "row")
  )
}

rule_line <- function(pairing, view, rule, holds, before, left_over) {
  so_far <- length(before) < view$other_rows
  missing <- missing_line(pairing, view, rule)
  if (!is.null(missing)) {
    return(missing)
  }
  if (rule$kind == "nearest") {
    return(c(
      reach_line(pairing, view, rule, before, left_over),
      other_group_line(pairing, view, holds, before)
    ))
  }
  text <- sprintf("%s: holds for %s of %s", rule_text(rule),
    if (length(holds)) counted(length(holds), "row") else "no row",
    view$other_label
  )
  c(
    paste0(text, if (so_far && length(holds)) {
      sprintf("; with the rules before, for %s", with_commas(length(left_over)))
    }, "."),
    if (!length(holds)) closest_line(pairing, view, rule)
  )
}

missing_line <- function(pairing, view, rule) {
  columns <- rule[[view$side]]
  frame <- pairing[[view$side]]
  blank <- columns[vapply(columns, function(column) {
    is_missing(slice_column(.subset2(frame, column), view$row, column, NULL))
  }, NA)]
  matched <- rule$kind == "same" && pairing$missing_keys == "match"
  if (!length(blank) || matched || isTRUE(rule$open_ended) ||
    length(rule$via)) {
    return(NULL)
  }
  if (rule$kind == "same") {
    sprintf("%s: `%s` is missing, and a missing key equals nothing (missing_keys = \"%s\").",
      rule_text(rule), blank[1L], pairing$missing_keys
    )
  } else {
    sprintf("%s: `%s` is missing, and never matches.", rule_text(rule), blank[1L])
  }
}

# The closest rows of the other frame for one rule that holds for none
closest_line <- function(pairing, view, rule) {
  if (rule$kind != "same") {
    return(closest_range_line(pairing, view, rule))
  }
  x <- .subset2(pairing[[view$side]], rule[[view$side]])
  y <- .subset2(pairing[[view$other]], rule[[view$other]])
  value <- slice_column(x, view$row, rule[[view$side]], NULL)
  close <- if (is.character(value) || is.factor(value)) {
    closest_text(as.character(value), unique(as.character(y)))
  } else {
    closest_number(pairing, view, rule)
  }
  if (length(close)) {
    sprintf("  The closest `%s` of %s: %s.", rule[[view$other]],
      view$other_label, listed(close, "and")
    )
  }
}

# For a rule of ranges: the row that misses it by least
closest_range_line <- function(pairing, view, rule) {
  frames <- pairing[c("left", "right")]
  frames[[view$side]] <- gather_rows(frames[[view$side]], view$row)
  plan <- switch(rule$kind,
    around = plan_around(frames, rule, NULL),
    inside = plan_inside(frames, rule, NULL),
    covers = plan_covers(frames, rule, NULL),
    overlap = plan_overlap(frames, rule, NULL)
  )
  family <- key_family(.subset2(pairing$left, rule$left[1L]))
  if (is.null(plan) || family %in% c("text", "factor", "integer64")) {
    return(NULL)
  }
  miss <- Reduce(`+`, lapply(plan$comparisons, function(one) {
    gap <- strip_class(one$left) - strip_class(one$right)
    pmax(0, if (one$op %in% c("<", "<=")) gap else -gap)
  }))
  closest <- which.min(miss)
  if (length(closest) && is.finite(miss[closest])) {
    sprintf("  The closest is row %d (%s).", closest,
      key_words(pairing[[view$other]], rule[[view$other]], closest)
    )
  }
}

closest_text <- function(value, values, most = 3L) {
  value <- readable(value)
  values <- readable(values[!is.na(values)])
  if (!length(values)) {
    return(NULL)
  }
  plain <- function(x) tolower(trimws(x))
  distance <- drop(utils::adist(plain(value), plain(values)))
  near <- order(distance, values)[seq_len(min(most, length(values)))]
  near <- near[distance[near] <= max(1, nchar(value) %/% 3)]
  encodeString(values[near], quote = "\"")
}

# (the engine knows how far apart two values are)
closest_number <- function(pairing, view, rule, most = 2L) {
  column <- rule[[view$other]]
  families <- vapply(list(
    .subset2(pairing$left, rule$left), .subset2(pairing$right, rule$right)
  ), ordered_family, "", distances = TRUE)
  if (anyNA(families) || length(rule$via)) {
    return(NULL)
  }
  near <- list(left = rule$left, right = rule$right, look = "either",
    within = Inf, equal = TRUE, ties = "last"
  )
  standing <- tryCatch(standing_of_row(pairing, view, near),
    ronda_error_type = function(e) NULL # no distance is exact
  )
  if (is.null(standing)) {
    return(NULL)
  }
  there <- which(standing$reach == reach_codes[["near"]] &
    is.finite(standing$distance$high))
  closest <- utils::head(closest_first(standing$distance, there), 50L)
  words <- vapply(closest, function(row) {
    value_words(slice_column(.subset2(pairing[[view$other]], column), row, column,
      NULL
    ))
  }, "")
  utils::head(unique(words), most)
}

# What nearest() can reach, and what lies just outside
reach_line <- function(pairing, view, rule, before, left_over) {
  standing <- view$standing
  text <- rule_text(rule)
  if (length(left_over)) {
    return(sprintf("%s: %s within reach.", text,
      counted(length(left_over), "row")
    ))
  }
  side <- before[standing$reach[before] == reach_codes[["far"]]]
  if (!length(side)) {
    where <- switch(rule$look, back = "before it", ahead = "after it",
      either = "there"
    )
    if (view$side == "right") {
      where <- switch(rule$look, back = "after it", ahead = "before it",
        either = "there"
      )
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
  sprintf("%s, %s away: outside %s by %s.", place,
    words_of_distance(distance, closest),
    distance_words(standing$within, distance$scale),
    words_of_excess(distance, closest, standing$within)
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
      paste(are, "refused by what stands above")
    }
  )
}

# Why these candidates and not others: the nearest value, then `repeats`
choice_lines <- function(pairing, view, followed, partners) {
  candidates <- followed$candidates
  passed <- setdiff(candidates, partners)
  nearest <- rules_of(pairing$rules, "nearest")
  if (!length(candidates)) {
    return(NULL)
  }
  if (view$side == "right") {
    return(if (length(passed)) right_passed_line(pairing, view, passed))
  }
  if (length(nearest)) {
    return(nearest_choice_line(pairing, view, nearest[[1L]], partners, passed,
      followed
    ))
  }
  if (length(passed)) {
    repeats <- pairing$repeats
    repeats <- if (is.character(repeats)) sprintf("\"%s\"", repeats) else {
      format(repeats)
    }
    sprintf("repeats = %s: of %s, %s stays; %s passed over.", repeats,
      counted(length(candidates), "candidate"),
      paste("row", listed(partners, "and")),
      paste(if (length(passed) == 1L) "row" else "rows",
        listed(passed, "and"), if (length(passed) == 1L) "is" else "are"
      )
    )
  }
}

nearest_choice_line <- function(pairing, view, rule, partners, passed,
                                followed) {
  standing <- view$standing
  distance <- standing$distance
  chosen <- partners[1L]
  at_point <- function(rows) {
    standing$sign[rows] == standing$sign[chosen] &
      compare_distances(distance, rows, chosen) == 0
  }
  tied <- passed[at_point(passed)]
  next_best <- closest_first(distance, setdiff(passed, tied))
  refused <- followed$refused
  nearer <- refused[standing$reach[refused] == reach_codes[["near"]] &
    compare_distances(distance, refused, chosen) < 0]
  c(
    if (length(nearer)) {
      closest <- closest_first(distance, nearer)[1L]
      sprintf("Nearer, but refused by `where`: %s, the nearest row %d (%s).",
        counted(length(nearer), "row"), closest,
        key_words(pairing$right, rule$right, closest)
      )
    },
    sprintf("Chosen: row %s (%s), %s away.", listed(partners, "and"),
      key_words(pairing$right, rule$right, chosen),
      words_of_distance(distance, chosen)
    ),
    if (length(tied)) {
      sprintf("At the same point: row %s (ties = \"%s\").", listed(tied, "and"),
        rule$ties
      )
    },
    if (length(next_best)) {
      sprintf("The next best is row %d, %s away.", next_best[1L],
        words_of_distance(distance, next_best[1L])
      )
    }
  )
}

right_passed_line <- function(pairing, view, passed) {
  shown_rows <- utils::head(passed, 3L)
  words <- vapply(shown_rows, function(row) {
    chosen <- partners_of(pairing$matches, row)
    sprintf("row %d of %s took row %s", row, view$other_label,
      listed(chosen, "and")
    )
  }, "")
  more <- length(passed) - length(shown_rows)
  sprintf("Passed over: %s%s.", paste(words, collapse = "; "),
    if (more > 0L) sprintf("; and %s more", with_commas(more)) else ""
  )
}

partner_line <- function(view, partners) {
  if (!length(partners)) {
    return(sprintf("So it has no partner in %s.", view$other_label))
  }
  sprintf("So its %s: row %s of %s.",
    if (length(partners) == 1L) "partner" else "partners",
    listed(partners, "and"), view$other_label
  )
}

#' @export
format.ronda_explanation <- function(x, ...) {
  lines <- x$lines
  n <- length(lines)
  inner <- ifelse(startsWith(lines, "  "), lines, paste("*", lines))
  inner[c(1L, n)] <- lines[c(1L, n)]
  width <- min(getOption("width"), 80L)
  unlist(lapply(inner, function(line) {
    indent <- nchar(line) - nchar(sub("^ +", "", line))
    strwrap(line, width = width, indent = indent, exdent = indent + 2L)
  }))
}

#' @export
print.ronda_explanation <- function(x, ...) {
  cat(format(x), sep = "\n")
  invisible(x)
}
