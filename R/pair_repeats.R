# What happens when a left row has several candidates: all stay, one is chosen, or every
# row is used once.

#' Keep the partner with the highest or lowest value
#'
#' For the argument `repeats` of [join_frames()]: of several candidates of a
#' left row, keep the one with the highest (lowest) value in a column of the
#' right frame, or of a formula. Missing values lose; of equal ones the next column or
#' formula decides, and at last the first in right order stays.
#'
#' @param ... `[character(1) | formula]` Columns of the right frame that can be
#'   ordered: numbers, text (in C order), dates, times, durations, factors (by
#'   level) or logical values. Or formulas over the pair, in which `left` and
#'   `right` stand for the two rows, as in `where`: one such value for each pair. Each
#'   decides where those before it are equal.
#' @param once `[logical(1)]` TRUE: every row of either frame is in at most one pair, as by
#'   `repeats = "once"`. Of all candidates the pair with the lowest (highest) values is
#'   taken, then the next of those whose two rows are both free, and so on; of equal ones
#'   by left row, then by right row. No later pair undoes an earlier one, so the total is
#'   not always the least that there is. Not beside [nearest()], which does so by distance.
#' @return A choice, of class `ronda_choice`.
#' @section Errors: `ronda_error_argument` when an argument isn't one name or a one-sided
#'   formula, names no column of the frames, or gives values that can't be ordered.
#' @seealso [join_frames()]; `vignette("time")`.
#' @examples
#' # the longest shift of each vessel, the earlier one where two are as long
#' join_frames(vessels, crew_shifts, on = c(code = "vessel"),
#'   repeats = highest(~ right$ends - right$starts, ~ -as.numeric(right$starts))
#' ) |> head(3)
#' # the last reading that was taken
#' join_frames(ports, tide_readings, on = "port", repeats = highest("read_at"))
#' # each closure given to one booking of its port, the nearest in time first
#' join_frames(bookings, closures, on = "port", rows = "inner",
#'   repeats = lowest(~ abs(left$booked_from - right$closed_from), once = TRUE)
#' )
#' @export
highest <- function(..., once = FALSE) new_choice(list(...), TRUE, once, quote(highest()))

#' @rdname highest
#' @export
lowest <- function(..., once = FALSE) new_choice(list(...), FALSE, once, quote(lowest()))

new_choice <- function(by, highest, once, call) {
  for (one in by) {
    if (!is_name(one) && !(inherits(one, "formula") && length(one) == 2L)) {
      stop_argument(
        sprintf("%s takes names of right columns and one-sided formulas, not %s.",
          deparse(call), shown(one)
        ),
        "Write, for example: lowest(~ abs(left$amount - right$amount))",
        call = call
      )
    }
  }
  if (!length(by)) {
    stop_argument(sprintf("%s needs the name of a right column, or a formula.", deparse(call)),
      call = call
    )
  }
  check_flag(once, "once", call)
  structure(list(by = unname(by), highest = highest, once = once), class = "ronda_choice")
}

# the columns that a choice is by; NULL where a formula is among them
chosen_columns <- function(choice) if (all(vapply(choice$by, is_name, NA))) unlist(choice$by)

#' @export
format.ronda_choice <- function(x, ...) {
  by <- vapply(x$by, value_code, "")
  if (x$once) by <- c(by, "once = TRUE")
  sprintf("%s(%s)", if (x$highest) "highest" else "lowest", paste(by, collapse = ", "))
}

#' @export
print.ronda_choice <- function(x, ...) {
  cat(format(x), "\n", sep = "")
  invisible(x)
}

check_repeats <- function(repeats, left, right, call) {
  if (!inherits(repeats, "ronda_choice")) {
    return(check_repeats_word(repeats, call))
  }
  for (one in repeats$by) {
    if (is_name(one)) check_choosing_column(one, repeats, right, call) else {
      check_where_columns(one[[2L]], list(left = left, right = right), call)
    }
  }
}

check_choosing_column <- function(name, repeats, right, call) {
  check_column(name, right, frame_marks[2L], call, class = "argument")
  column <- .subset2(right, name)
  check_values(column, name, frame_marks[2L], call)
  if (is.null(type_of(column))) {
    stop_ronda("type",
      sprintf("`%s` of `%s` is %s, which has no order: %s can't choose.",
        name, frame_marks[2L], type_word(column), repeats_said(repeats)
      ),
      lines_for_unknown(column, place_code(frame_marks[2L], name)),
      call = call
    )
  }
}

# `repeats` with what it is
repeats_said <- function(repeats) {
  if (is.character(repeats)) {
    return(setting("repeats", repeats))
  }
  columns <- chosen_columns(repeats)
  if (speaks_options() && !is.null(columns)) {
    words <- c(if (repeats$once) "once", if (repeats$highest) "highest" else "lowest")
    return(setting("repeats", paste(c(words, paste(columns, collapse = ",")), collapse = ":")))
  }
  paste("repeats =", format(repeats))
}

check_repeats_word <- function(repeats, call) {
  words <- argument_words$repeats
  if (is_name(repeats) && repeats %in% words) {
    return()
  }
  stop_argument(
    said(
      "`repeats` must be %s, %s, not %s.", paste0("\"", words, "\"", collapse = ", "),
      either("highest(\"column\") or lowest(\"column\")", "highest:COLUMN or lowest:COLUMN"),
      shown(repeats)
    ),
    if (is_name(repeats)) meant_choice(repeats, words, "repeats"),
    call = call
  )
}

# Chooses among the candidates, and recounts.
keep_repeats <- function(pairing, ordered, found, call) {
  repeats <- pairing$repeats
  matches <- pairing$matches
  chooses <- if (is_once(repeats)) {
    has_ranges(matches) || pairing$counts$most_right > 1L || !is.null(ordered$closest)
  } else {
    has_ranges(matches) && !(is_name(repeats) && repeats %in% c("all", "stop"))
  }
  if (!chooses) {
    return(pairing)
  }
  pairing$candidates <- matches
  pairing$matches <- if (is_once(repeats)) {
    use_once(pairing, ordered, found, call)
  } else if (is.character(repeats)) {
    keep_one(matches, last = repeats == "last")
  } else if (length(repeats$by) == 1L && is_name(repeats$by[[1L]])) {
    keep_extreme(matches, .subset2(pairing$right, repeats$by[[1L]]), repeats$highest)
  } else {
    keep_best(pairing, matches, repeats, call)
  }
  kept <- count_pairs_(pairing$matches)
  pairing$counts[names(kept)] <- kept
  pairing
}

# the candidates, before `repeats` chose among them
candidates_of <- function(pairing) {
  if (is.null(pairing$candidates)) pairing$matches else pairing$candidates
}

# By formulas or several columns ----------------------------------------------

# Their values are asked block by block of the left rows that have several candidates; where
# a block ends among those of a row, the best of each block are asked about again.
keep_best <- function(pairing, matches, choice, call) {
  chosen <- first_partners(matches)
  several <- partner_counts(matches, "left") > 1L
  matches <- leave_out_left(matches, which(!several))
  at <- c(1, 0)
  best <- list()
  while (at[1L] <= pairing$sizes[1L]) {
    block <- pair_block_(matches, at[1L], at[2L], pairs_per_block_option(pairs_per_block))
    at <- block$at
    if (!length(block$left)) break
    best[[length(best) + 1L]] <- best_of_pairs(pairing, block, choice, call)
  }
  left <- as.integer(unlist(lapply(best, `[[`, "left")))
  right <- as.integer(unlist(lapply(best, `[[`, "right")))
  again <- left %in% left[duplicated(left)]
  best <- if (any(again)) {
    best_of_pairs(pairing, list(left = left[again], right = right[again]), choice, call)
  }
  chosen[left[!again]] <- right[!again]
  chosen[best$left] <- best$right
  with_single(matches, chosen)
}

best_of_pairs <- function(pairing, pairs, choice, call) {
  values <- choosing_values(pairing, pairs, choice, call)
  order <- sort_rows(c(list(pairs$left), values), c(FALSE, rep(choice$highest, length(values))))
  order <- order[!duplicated(pairs$left[order])]
  list(left = pairs$left[order], right = pairs$right[order])
}

# what decides, one vector for each column or formula
choosing_values <- function(pairing, pairs, choice, call) {
  lapply(choice$by, function(one) {
    if (is_name(one)) {
      return(slice_column(.subset2(pairing$right, one), pairs$right, one, call))
    }
    part <- formula_part(one[[2L]], environment(one))
    n <- length(pairs$left)
    value <- run_on_pairs(part, pairing, pairs[c("left", "right")], "repeats", call)
    check_values(value, "repeats", frame_marks[2L], call)
    if (!is.null(dim(value)) || is.null(type_of(value)) || !length(value) %in% c(1L, n)) {
      stop_argument(
        sprintf("%s must give one value that has an order for each of %s, not %s.",
          repeats_said(choice), counted(n, "pair"), described(value)
        ),
        unknown_columns(part, pairing),
        call = call
      )
    }
    if (length(value) != n) value[rep.int(1L, n)] else value
  })
}

# "once" -----------------------------------------------------------------------------

# repeats = "once": every row of either side is in one pair at most.

use_once <- function(pairing, ordered, found, call) {
  if (inherits(pairing$repeats, "ronda_choice")) {
    return(once_by_value(pairing, call))
  }
  if (!is.null(pairing$turn$step)) {
    return(once_in_turn(pairing))
  }
  if (is.null(ordered$closest)) {
    return(new_matches(once_in_order_(pairing$matches), pairing$sizes[2L]))
  }
  if (length(ordered$comparisons) || length(ordered$condition$both) ||
    !is.null(ordered$closest$calendar)) {
    return(once_by_distance(pairing, ordered, found$groups, call))
  }
  match_once_(found$groups, ordered$closest, ordered$skip_left, ordered$skip_right)
}

# The pair with the lowest (highest) values of all goes first, and before it what an earlier
# step of in_turn() pairs.
once_by_value <- function(pairing, call) {
  limit <- row_limit(pairing)
  if (pairing$counts$pairs > limit) {
    stop_candidates(pairing, pairing$counts$pairs, limit, call)
  }
  pairs <- all_pairs(pairing$matches)
  values <- choosing_values(pairing, pairs, pairing$repeats, call)
  first <- if (!is.null(pairing$turn$step)) list(pairing$turn$step[pairs$left])
  order <- sort_rows(c(first, values, list(pairs$left, pairs$right)),
    rep(c(FALSE, pairing$repeats$highest, FALSE), c(length(first), length(values), 2L))
  )
  taken_in_order(pairing, pairs, order)
}

# What an earlier step of in_turn() pairs goes first.
once_in_turn <- function(pairing) {
  chosen <- integer(pairing$sizes[1L])
  free <- rep(TRUE, pairing$sizes[2L])
  for (step in seq_along(pairing$turn$pairings)) {
    own <- leave_out_left(pairing$matches, which(pairing$turn$step != step))
    found <- once_in_order_(keep_right(own, free))
    rows <- which(found > 0L)
    chosen[rows] <- found[rows]
    free[found[rows]] <- FALSE
  }
  new_matches(chosen, pairing$sizes[2L])
}

# The closest pairs first, where other rules or a condition decide, too: all that hold
# and are within reach are listed, in the order of their distance.
once_by_distance <- function(pairing, plan, groups, call) {
  pairs <- pairs_in_reach(pairing, plan, groups, call)
  found <- standings_(plan$closest, pairs$left, pairs$right)
  order <- sort_rows(list(found$high, found$low, pairs$left, pairs$right))
  taken_in_order(pairing, pairs, order)
}

# The pairs in some order, those whose two rows are in none yet
taken_in_order <- function(pairing, pairs, order) {
  new_matches(
    once_as_listed_(pairing$matches, pairs$left[order], pairs$right[order]),
    pairing$sizes[2L]
  )
}

# The distance of each pair is checked, as the search may find a little more.
pairs_in_reach <- function(pairing, plan, groups, call) {
  closest <- plan$closest
  search <- range_search_(groups, c(reach_comparisons(closest), plan$comparisons),
    plan$skip_left, plan$skip_right
  )
  parts <- plan$condition$both
  limit <- row_limit(pairing)
  holds <- function(left, right) {
    near <- standings_(closest, left, right)$reach == reach_codes[["near"]]
    near[near] <- pairs_hold(pairing, left[near], right[near], parts, call)
    near
  }
  all_pairs(range_blocks(pairing, search, holds, limit, call)$matches)
}

# what nearest() can reach, as comparisons (a little more, for sums are rounded)
reach_comparisons <- function(closest) {
  wide <- closest$within + if (closest$int64) 1 else rounding_of(closest)
  shift <- function(by) shifted_values(closest$left, by, closest$int64)
  c(
    if (closest$look == "back" || is.finite(wide)) {
      list(comparison(shift(if (closest$look == "back") 0 else wide), ">=",
        closest$right, closest$int64
      ))
    },
    if (closest$look == "ahead" || is.finite(wide)) {
      list(comparison(shift(if (closest$look == "ahead") 0 else -wide), "<=",
        closest$right, closest$int64
      ))
    }
  )
}

# more than any sum of a value and a distance is rounded by
rounding_of <- function(closest) {
  values <- abs(c(strip_class(closest$left), strip_class(closest$right)))
  2^-50 * max(0, values[is.finite(values)])
}
