#' Why does this row have the partners it has, or none?
#'
#' Follows one row through the rules, the condition, the nearest value and
#' `repeats`: how many rows each rule leaves, which one was chosen and why, and
#' for an unmatched row what came closest.
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @param left,right `[integer(1)]` The number of a row of the left or of the
#'   right frame: one of the two.
#' @return A list of class `ronda_explanation`, which prints as an answer:
#'   `side`, `row`, `partners` (row numbers of the other frame), `steps` (a
#'   data frame: `rule`, `holds` (how many rows of the other frame it holds
#'   for), `left_over` (how many hold all rules so far)), `candidates` (rows
#'   that hold all rules and the condition) and `lines` (the answer, as text).
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, or when
#'   not exactly one row number is given that the frame has.
#' @seealso [near_misses()] for all unmatched rows at once;
#'   `vignette("when-it-goes-wrong")`.
#' @examples
#' pairing <- pair_rows(sailings, tide_readings, on = list(
#'   "port", nearest("departs", "read_at", within = "15 mins")
#' ))
#' explain_row(pairing, left = 1)
#' explain_row(pairing, left = 2)
#' explain_row(pair_rows(sailings, vessels, on = c(vessel = "code")), left = 23)
#' @export
explain_row <- function(pairing, other = NULL, on = NULL, left = NULL, right = NULL) {
  call <- quote(explain_row())
  code <- frame_code(substitute(pairing), substitute(other))
  # row numbers by position: explain_row(pairing, 12)
  if (!is.null(other) && !is.data.frame(other)) {
    left <- other
    right <- on
    other <- on <- NULL
  }
  pairing <- pairing_given(pairing, other, on, call, code)
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
      sprintf("%s must be a row number from 1 to %s, not %s.",
        either(paste0("`", side, "`"), paste0("--", side)), with_commas(rows), shown(row)
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
  if (!is.null(pairing$turn)) {
    return(explain_in_turn(pairing, view))
  }
  for (rule in pairing$rules) {
    standing_of <- kind_of(rule)$standing
    if (!is.null(standing_of)) view$standing <- standing_of(pairing, view, rule)
  }
  followed <- follow_rules(pairing, view)
  partners <- partners_of_row(pairing$matches, view$side, view$row)
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

# of in_turn(): step by step, up to the one that paired the row
explain_in_turn <- function(pairing, view) {
  partners <- partners_of_row(pairing$matches, view$side, view$row)
  last <- length(pairing$turn$pairings)
  if (view$side == "left" && pairing$turn$step[view$row]) last <- pairing$turn$step[view$row]
  steps <- lapply(seq_len(last), function(k) {
    part <- pairing$turn$pairings[[k]]
    if (k == last || view$side == "right") {
      part[c("repeats", "candidates")] <- pairing[c("repeats", "candidates")]
    }
    explain(part, view$side, view$row)
  })
  candidates <- steps[[last]]$candidates
  lines <- unlist(lapply(seq_len(last), function(k) {
    c(sprintf("Step %d", k), step_lines(pairing, view, steps[[k]], k))
  }))
  if (view$side == "right") candidates <- sort(unique(unlist(lapply(steps, `[[`, "candidates"))))
  structure(
    list(
      side = view$side, row = view$row, partners = partners,
      steps = do.call(rbind, lapply(steps, `[[`, "steps")), candidates = candidates,
      lines = c(row_line(pairing, view), lines, partner_line(view, partners))
    ),
    class = "ronda_explanation"
  )
}

# what one step says of a row; of a right row also which left rows were paired before
step_lines <- function(pairing, view, step, k) {
  lines <- step$lines[-c(1L, length(step$lines))]
  if (view$side == "right") {
    before <- step$candidates[pairing$turn$step[step$candidates] < k]
    if (length(before)) {
      lines <- c(lines, sprintf("  Of these %s had a partner by a step before.",
        if (length(before) == 1L) sprintf("row %d", before) else {
          sprintf("rows %s", listed(before, "and"))
        }
      ))
    }
  }
  lines
}

row_line <- function(pairing, view) {
  columns <- rule_columns(pairing$rules, view$side)
  values <- if (length(columns)) {
    paste0(": ", key_words(pairing[[view$side]], columns, view$row))
  }
  paste0("Row ", view$row, " of ", view$label, values)
}

# Rules one at a time. What chooses comes last, for it chooses among what the others
# and the condition leave.
follow_rules <- function(pairing, view) {
  rules <- pairing$rules
  # as they were matched
  rules[vapply(rules, is_key_rule, NA)] <- pairing$key_rules
  chooses <- vapply(rules, function(rule) kind_of(rule)$chooses, NA)
  so_far <- list(
    left_over = seq_len(view$other_rows), lines = character(), steps = list()
  )
  so_far <- follow_each(pairing, view, rules[!chooses], so_far)
  before <- so_far$left_over
  so_far$left_over <- before[condition_holds(pairing, view, before)]
  so_far$refused <- setdiff(before, so_far$left_over)
  so_far$lines <- c(so_far$lines,
    condition_line(pairing, view, before, so_far$left_over)
  )
  so_far <- follow_each(pairing, view, rules[chooses], so_far)
  list(
    lines = so_far$lines, steps = do.call(rbind, so_far$steps),
    candidates = so_far$left_over, refused = so_far$refused
  )
}

follow_each <- function(pairing, view, rules, so_far) {
  all_holds <- lapply(rules, function(rule) {
    holds_for <- kind_of(rule)$holds
    if (is.null(holds_for)) holds_for <- rows_in_range
    holds_for(pairing, view, rule)
  })
  for (k in seq_along(rules)) {
    rule <- rules[[k]]
    holds <- all_holds[[k]]
    before <- so_far$left_over
    so_far$left_over <- intersect(before, holds)
    # what came closest is looked for among the rows that the other rules leave
    others <- Reduce(intersect, all_holds[-k], seq_len(view$other_rows))
    so_far$lines <- c(so_far$lines,
      rule_line(pairing, view, rule, holds, before, so_far$left_over, others)
    )
    so_far$steps <- c(so_far$steps, list(data.frame(
      rule = rule_text(rule), holds = length(holds),
      left_over = length(so_far$left_over)
    )))
  }
  so_far
}

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

rule_line <- function(pairing, view, rule, holds, before, left_over, others) {
  missing <- missing_line(pairing, view, rule)
  if (!is.null(missing)) {
    return(missing)
  }
  own <- kind_of(rule)$lines
  if (!is.null(own)) {
    return(own(pairing, view, rule, holds, before, left_over))
  }
  c(
    holds_line(view, rule, holds, before, left_over),
    if (!length(left_over) && length(others)) {
      kind_of(rule)$closest(pairing, view, rule, others)
    }
  )
}

missing_line <- function(pairing, view, rule) {
  columns <- rule[[view$side]]
  frame <- pairing[[view$side]]
  blank <- columns[vapply(columns, function(column) {
    is_missing(slice_column(.subset2(frame, column), view$row, column, NULL))
  }, NA)]
  matched <- is_key_rule(rule) && pairing$missing_keys == "match"
  if (!length(blank) || matched || isTRUE(rule$open_ended) ||
    length(rule$via)) {
    return(NULL)
  }
  if (is_key_rule(rule)) {
    sprintf("%s: `%s` is missing, and a missing key equals nothing (%s).",
      rule_text(rule), blank[1L], setting("missing_keys", pairing$missing_keys)
    )
  } else {
    sprintf("%s: `%s` is missing, and never matches.", rule_text(rule), blank[1L])
  }
}

# Why these candidates and not others: the nearest value, then `repeats`
choice_lines <- function(pairing, view, followed, partners) {
  candidates <- followed$candidates
  passed <- setdiff(candidates, partners)
  if (!length(candidates)) {
    return(NULL)
  }
  if (is_once(pairing$repeats)) {
    return(if (length(passed)) once_line(pairing, view, passed))
  }
  if (view$side == "right") {
    return(if (length(passed)) right_passed_line(pairing, view, passed))
  }
  for (rule in pairing$rules) {
    choice <- kind_of(rule)$choice
    if (!is.null(choice)) {
      return(choice(pairing, view, rule, partners, passed, followed$refused))
    }
  }
  if (length(passed)) {
    sprintf("%s: of %s, %s stays; %s passed over.", repeats_said(pairing$repeats),
      counted(length(candidates), "candidate"),
      paste("row", listed(partners, "and")),
      paste(if (length(passed) == 1L) "row" else "rows",
        listed(passed, "and"), if (length(passed) == 1L) "is" else "are"
      )
    )
  }
}

# which rows have the candidates that this row doesn't have
once_line <- function(pairing, view, passed) {
  shown_rows <- utils::head(passed, 3L)
  words <- vapply(shown_rows, function(row) {
    with <- partners_of_row(pairing$matches, view$other, row)
    sprintf("row %d of %s is %s", row, view$other_label,
      if (length(with)) sprintf("with row %d", with) else "free"
    )
  }, "")
  more <- length(passed) - length(shown_rows)
  sprintf("%s, of %s: %s%s.", repeats_said(pairing$repeats),
    counted(length(passed), "other candidate"), paste(words, collapse = "; "),
    if (more > 0L) sprintf("; and %s more", with_commas(more)) else ""
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
  sprintf("So its %s %s of %s.",
    if (length(partners) == 1L) "partner: row" else "partners: rows",
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
  print_lines(format(x))
  invisible(x)
}
