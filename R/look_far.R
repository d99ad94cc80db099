# Left rows that nearest() leaves alone for its distance alone.

# list(rule, plan, row, partner, distance, distances, at): the rows, the nearest right row
# of each, how far it is, and where it stands in `distances`, which can be put into words.
# NULL where there are none
far_rows <- function(pairing, call) {
  rule <- limited_nearest(pairing)
  if (is.null(rule)) {
    return(NULL)
  }
  wider <- lapply(pairing$rules, function(other) {
    if (kind_of(other)$chooses) {
      other$within <- Inf
      other$ties <- "last"
      other$n <- 1
      other$gap <- NULL
    }
    structure(other, class = "ronda_rule_record")
  })
  alone <- unmatched(candidates_of(pairing), "left")
  found <- pair_up(pairing$left, pairing$right, wider,
    list(
      missing_keys = if (pairing$missing_keys == "match") "match" else "unmatched",
      repeats = "first", expect = "rows-multiply", max_rows = Inf
    ), side_names, call
  )
  partner <- first_partners(found$matches, alone)
  far <- which(partner > 0L)
  plan <- plan_rule(pairing, rule, NULL)
  distances <- new_distances(standings_(plan$closest, alone[far], partner[far]),
    plan$closest$int64, plan$scale
  )
  at <- which(is_finite_distance(distances, seq_along(far)))
  if (!length(at)) {
    return(NULL)
  }
  list(
    rule = rule, plan = plan, row = alone[far[at]], partner = partner[far[at]],
    distance = distance_numbers(distances)[at], distances = distances, at = at
  )
}

# the rule that chooses where it has a limit, and no condition decides too
limited_nearest <- function(pairing) {
  rule <- chooser_of(pairing$rules)
  if (!is.null(rule) && !is_unlimited(rule$within) && is.null(pairing$where)) rule
}
