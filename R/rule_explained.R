# One row as explanations look at it: the engine is asked about it alone, with what it
# was given when it matched. A view is list(side, other, row, label, other_label,
# other_rows): the row, its side and the other one, and how their frames are called;
# and `standing`, how the other frame's rows stand to it for a rule that chooses.

# The other frame's rows in the matches of one row of this one
rows_found <- function(matches, view) {
  if (view$side == "right") {
    return(which(is_matched(matches, "left")))
  }
  partners_of(matches, 1L)
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

# How each row of the other frame stands to this one for nearest(), by the engine:
# list(reach, sign, distance)
standing_of_row <- function(pairing, view, rule) {
  plan <- plan_rule(pairing, rule, NULL)
  others <- seq_len(view$other_rows)
  own <- rep.int(view$row, view$other_rows)
  left <- if (view$side == "left") own else others
  found <- standings_(plan$closest, left, if (view$side == "left") others else own)
  list(
    reach = found$reach, sign = found$sign,
    distance = new_distances(found, plan$closest$int64, plan$scale),
    within = reach_numbers(plan$closest, left, found$sign),
    limit = limit_words(plan$closest, plan$scale)
  )
}

# the codes of Reach in src/core/nearest_match.h
reach_codes <- c(missing = 0L, other_side = 1L, far = 2L, near = 3L)

# For a rule of ranges: which of some rows misses it by least
closest_in_range <- function(pairing, view, rule, among) {
  frames <- pairing[c("left", "right")]
  frames[[view$side]] <- gather_rows(frames[[view$side]], view$row)
  x <- .subset2(pairing$left, rule$left[1L])
  if (!type_of(x)$measured || is_int64(x)) {
    return(NULL)
  }
  plan <- plan_rule(frames, rule, NULL)
  miss <- Reduce(`+`, lapply(plan$comparisons, function(one) {
    gap <- strip_class(one$left) - strip_class(one$right)
    pmax(0, if (one$op %in% c("<", "<=")) gap else -gap)
  }))
  closest <- among[which.min(miss[among])]
  if (length(closest) && is.finite(miss[closest])) {
    sprintf("  The closest is row %d (%s).", closest,
      key_words(pairing[[view$other]], rule[[view$other]], closest)
    )
  }
}

# for how many rows of the other frame a rule holds, alone and with the rules before
holds_line <- function(view, rule, holds, before, left_over) {
  paste0(
    sprintf("%s: holds for %s of %s", rule_text(rule),
      if (length(holds)) counted(length(holds), "row") else "no row", view$other_label
    ),
    if (length(before) < view$other_rows && length(holds)) {
      sprintf("; with the rules before, for %s", with_commas(length(left_over)))
    },
    "."
  )
}
