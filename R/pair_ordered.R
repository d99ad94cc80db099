# Pairs by ordered rules, within the groups that the same() rules make. A
# condition is asked block by block; nearest() with one is asked in rounds.

# list(matches, candidates, on_end, groups): `groups` are the matches of the same()
# rules, `candidates` and `on_end` as the engine counts them
match_ordered <- function(pairing, plan, groups, call) {
  parts <- plan$condition
  groups <- filter_sides(pairing, groups, parts, call)
  found <- if (!is.null(plan$closest)) {
    match_by_nearest(pairing, plan, groups, parts$both, call)
  } else {
    match_by_ranges(pairing, plan, groups, parts$both, call)
  }
  found$groups <- groups
  found
}

match_by_ranges <- function(pairing, plan, groups, parts, call) {
  if (!has_ranges(groups) && !length(parts) && !may_fold_at_once(pairing)) {
    return(filter_single_(groups, plan$comparisons, plan$skip_left, plan$skip_right))
  }
  search <- range_search_(groups, plan$comparisons, plan$skip_left,
    plan$skip_right
  )
  limit <- candidate_limit(pairing)
  if (!length(parts) && may_fold_at_once(pairing)) {
    return(fold_ranges(pairing, search))
  }
  if (length(parts)) {
    holds <- function(left, right) pairs_hold(pairing, left, right, parts, call)
    return(range_blocks(pairing, search, holds, limit, call))
  }
  found <- range_all_(search, limit)
  if (is.null(found$matches)) {
    stop_candidates(pairing, found$pairs, limit, call)
  }
  found[c("matches", "on_end")]
}

# The pairs of a search for which holds(left, right) is TRUE
range_blocks <- function(pairing, search, holds, limit, call) {
  from <- 1
  kept <- list()
  total <- on_end <- 0
  size <- pairs_per_block_option(pairs_per_block)
  while (from <= pairing$sizes[1L]) {
    block <- range_block_(search, from, size)
    from <- block$from
    on_end <- on_end + block$on_end
    if (!length(block$left)) next
    keep <- holds(block$left, block$right)
    total <- total + sum(keep)
    if (total > limit) stop_candidates(pairing, total, limit, call)
    kept[[length(kept) + 1L]] <- list(block$left[keep], block$right[keep])
  }
  list(matches = matches_of_blocks(kept, pairing$sizes), on_end = on_end)
}

# Where pairs are needed only for folding, none is kept: the engine counts and folds them on
# the way.
may_fold_at_once <- function(pairing) {
  !is.null(pairing$folds) && !fold_of_pairs(pairing$folds) &&
    identical(pairing$repeats, "all") &&
    (is.null(pairing$expect) || identical(pairing$expect, "rows-multiply"))
}

fold_ranges <- function(pairing, search) {
  known <- known_folds(pairing$folds)
  found <- range_fold_(search, fold_specs(known, pairing$right))
  list(
    matches = new_tally(found$partners, found$uses), on_end = found$on_end,
    folded = list(found = found$folds, search = search)
  )
}

match_by_nearest <- function(pairing, plan, groups, parts, call) {
  if (length(parts) && plan$closest$look == "both") {
    found <- both_in_rounds(pairing, plan, groups, parts, call)
  } else if (length(parts)) {
    found <- nearest_in_rounds(pairing, plan, groups, parts, call)
  } else {
    limit <- candidate_limit(pairing)
    found <- match_nearest_(groups, plan$closest, plan$comparisons,
      plan$skip_left, plan$skip_right, limit, isTRUE(pairing$piece$shared)
    )
    if (is.null(found$matches)) stop_candidates(pairing, found$pairs, limit, call)
  }
  found
}

# Both frames in order of key and time already, and nearest() alone: they are
# walked through side by side. NULL when that can't be done.
merge_sorted <- function(pairing, keys, plan) {
  spec <- plan$closest
  # repeats = "once" needs the groups, and pieces need to know which rows were near.
  fits <- !is_once(pairing$repeats) && !isTRUE(pairing$piece$shared) &&
    !is.null(spec) && !length(plan$comparisons) && is.null(pairing$where) &&
    length(keys$kinds) <= 1L && is_walked(spec) && !identical(path_option(), "hashed")
  found <- if (fits) {
    merge_nearest_(keys$left, keys$right, keys$kinds, spec)
  }
  if (!is.null(found)) c(found, list(keys = keys))
}

# whether the walk can do what nearest() asks
is_walked <- function(spec) {
  spec$look == "back" && spec$ties == "last" && spec$equal && spec$n == 1 &&
    is.null(spec$calendar)
}

rows_per_block <- 50000L

# The nearest at or before and the nearest at or after, each in rounds of its own
both_in_rounds <- function(pairing, plan, groups, parts, call) {
  one_way <- lapply(c("back", "ahead"), function(look) {
    plan$closest$look <- look
    found <- nearest_in_rounds(pairing, plan, groups, parts, call)
    c(all_pairs(found$matches), found["tied"])
  })
  left <- unlist(lapply(one_way, `[[`, "left"))
  right <- unlist(lapply(one_way, `[[`, "right"))
  # what lies at the same point was found both ways
  order <- sort_rows(list(left, right))
  again <- c(FALSE, diff(left[order]) == 0L & diff(right[order]) == 0L)[seq_along(order)]
  order <- order[!again]
  list(
    matches = matches_of_pairs(left[order], right[order], pairing$sizes),
    candidates = -1,
    tied = sort(unique(unlist(lapply(one_way, `[[`, "tied"))))
  )
}

# Left rows in blocks; within each, candidates outward from the nearest, twice
# as many in each round, for the rows that have not found as many as they want.
nearest_in_rounds <- function(pairing, plan, groups, parts, call) {
  search <- outward_search_(groups, plan$closest, plan$comparisons,
    plan$skip_left, plan$skip_right
  )
  ties <- plan$closest$ties
  limit <- candidate_limit(pairing)
  total <- 0
  kept <- list()
  tied <- integer()
  left_rows <- pairing$sizes[1L]
  may_pair <- is_matched(groups, "left")
  size <- pairs_per_block_option(rows_per_block)
  for (begin in seq(1, max(left_rows, 1), by = size)) {
    open <- seq.int(begin, length.out = max(0, min(size, left_rows - begin + 1)))
    open <- as.integer(open[may_pair[open]])
    wanted <- rep(plan$closest$n, length(open))
    most <- 1
    while (length(open)) {
      round <- outward_round_(search, open, most)
      if (!length(round$left)) break
      asked <- open[round$left]
      keep <- which(pairs_hold(pairing, asked, round$right, parts, call))
      best <- best_of_round(round, keep, ties, wanted)
      kept[[length(kept) + 1L]] <- list(asked[best], round$right[best])
      total <- total + length(best)
      if (total > limit) stop_candidates(pairing, total, limit, call)
      wanted <- wanted - tabulate(round$left[best], length(open))
      if (ties == "stop") tied <- c(tied, open[wanted < 0])
      has_more <- which(tabulate(round$left, length(open)) > 0L)
      has_more <- has_more[wanted[has_more] > 0]
      open <- open[has_more]
      wanted <- wanted[has_more]
      # the open rows share what one block of pairs may hold
      most <- min(2 * most, max(1, pairs_per_block %/% max(1, length(open))))
    }
  }
  list(
    matches = matches_of_blocks(kept, pairing$sizes, right_ascends = FALSE),
    candidates = -1,
    tied = sort(tied)
  )
}

# Of the candidates that hold, the nearest ones of each left row, as many as are
# `wanted` (and the others at the last one's point, where they count too); the engine
# lists them best first, left row by left row.
best_of_round <- function(round, keep, ties, wanted) {
  left <- round$left[keep]
  first <- c(TRUE, diff(left) != 0L)[seq_along(left)]
  rank <- seq_along(left) - which(first)[cumsum(first)]
  if (ties %in% c("all", "stop")) {
    # Rows at one point have the rank of the first of them.
    begins <- c(TRUE, diff(left) != 0L | diff(round$point[keep]) != 0L)
    rank <- rank[begins[seq_along(left)]][cumsum(begins)[seq_along(left)]]
  }
  keep[rank < wanted[left]]
}
