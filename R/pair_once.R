# repeats = "once": every row of either side is in one pair at the most.

use_once <- function(pairing, ordered, found, call) {
  if (!is.null(pairing$steps)) {
    return(once_in_turn(pairing))
  }
  if (is.null(ordered$closest)) {
    return(new_matches(once_in_order_(pairing$matches), pairing$sizes[2L]))
  }
  if (length(ordered$comparisons) || length(ordered$condition$both)) {
    return(once_by_distance(pairing, ordered, found$groups, call))
  }
  match_once_(found$groups, ordered$closest, ordered$skip_left, ordered$skip_right)
}

# What an earlier step of in_turn() pairs goes first.
once_in_turn <- function(pairing) {
  chosen <- integer(pairing$sizes[1L])
  free <- rep(TRUE, pairing$sizes[2L])
  for (step in seq_along(pairing$parts)) {
    own <- leave_out_left(pairing$matches, which(pairing$steps != step))
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
  new_matches(
    once_as_listed_(pairing$matches, pairs$left[order], pairs$right[order]),
    pairing$sizes[2L]
  )
}

# (the rule's distance is asked of each pair: what is searched may be a little more)
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
