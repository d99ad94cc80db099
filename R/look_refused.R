# Left rows that are unmatched only because of the distance of nearest().

# list(rule, plan, row, partner, distance, distances, at, within): the rows, the nearest
# right row of each, how far it is, where it stands in `distances`, which can be put into
# words, and how far the row looked.
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
  standing <- standings_(plan$closest, alone[far], partner[far])
  distances <- new_distances(standing, plan$closest$int64, plan$scale)
  at <- which(is_finite_distance(distances, seq_along(far)))
  if (!length(at)) {
    return(NULL)
  }
  list(
    rule = rule, plan = plan, row = alone[far[at]], partner = partner[far[at]],
    distance = distance_numbers(distances)[at], distances = distances, at = at,
    within = reach_numbers(plan$closest, alone[far[at]], standing$sign[at])
  )
}

# the rule that chooses where it has a limit, and no condition decides too
limited_nearest <- function(pairing) {
  rule <- chooser_of(pairing$rules)
  if (!is.null(rule) && !is_unlimited(rule$within) && is.null(pairing$where)) rule
}

# Refused ----------------------------------------------------------------------------

# Rows that nearest() found too far, and rows whose keys are equal to some that another rule
# or the condition refused: near misses that no cleaning would change

# Rows that nearest() would have matched with a larger distance; of very many the nearest
outside_misses <- function(pairing, far) {
  if (is.null(far)) {
    return(no_misses())
  }
  rule <- far$rule
  at <- seq_along(far$row)
  if (length(at) > most_keys) at <- order(far$distance)[seq_len(most_keys)]
  within <- far$within[at]
  words <- sprintf("%s away, outside %s by %s",
    words_of_distance(far$distances, far$at[at], within),
    limit_words(far$plan$closest, far$plan$scale),
    words_of_excess(far$distances, far$at[at], within)
  )
  distance <- far$distance[at]
  data.frame(
    from = shown_texts(pairing$left, rule$left, far$row[at]),
    to = shown_texts(pairing$right, rule$right, far$partner[at]),
    reason = words, sureness = pmax(least_share, round(within / distance, 2L)), taken = FALSE,
    column = rule$left, group = group_texts(pairing, pairing$key_rules, far$row[at]),
    left_row = far$row[at], right_row = far$partner[at], left_rows = 1L,
    right_rows = 1L, via = NA_character_,
    rank = 20 + rank(distance) / length(distance), left_alone = TRUE,
    right_alone = FALSE
  )
}

# Rows whose keys are equal to some, and that another rule or the condition refused
refused_misses <- function(pairing, call) {
  others <- Filter(function(rule) {
    kind <- kind_of(rule)
    !is.null(kind$plan) && !kind$chooses
  }, pairing$rules)
  parts <- c(lapply(others, list), if (!is.null(pairing$where)) list(NULL))
  if (!length(parts) || !length(pairing$key_rules)) {
    return(no_misses())
  }
  alone <- unmatched(candidates_of(pairing), "left")
  if (length(alone) > most_keys) {
    alone <- alone[spread_rows(length(alone), most_keys)]
  }
  left <- gather_rows(pairing$left, alone)
  keys <- lapply(pairing$key_rules, function(rule) {
    if (!is.null(rule$cleaned)) rule$cleaned$left <- rule$cleaned$left[alone]
    rule
  })
  pair_by <- function(rules, where) {
    found <- pair_up(left, pairing$right,
      lapply(c(lapply(keys, function(rule) rule[c("kind", "left", "right", "via")]), rules),
        structure, class = "ronda_rule_record"
      ),
      list(
        missing_keys = if (pairing$missing_keys == "match") "match" else "unmatched",
        repeats = "first", expect = "rows-multiply", max_rows = Inf, where = where
      ), side_names, call
    )
    first_partners(found$matches)
  }
  equal <- pair_by(list(), NULL)
  reason <- rep(NA_character_, length(alone))
  for (part in parts) {
    fails <- equal > 0L & pair_by(part, if (is.null(part)) pairing$where) == 0L
    reason[fails & is.na(reason)] <- sprintf("equal keys, refused by %s",
      if (is.null(part)) said("`where`") else rule_text(part[[1L]])
    )
  }
  at <- which(!is.na(reason))
  if (!length(at)) {
    return(no_misses())
  }
  rule <- pairing$key_rules[[1L]]
  data.frame(
    from = column_texts(pairing$left, rule$left, alone[at]),
    to = column_texts(pairing$right, rule$right, equal[at]),
    reason = reason[at], sureness = 1, taken = FALSE, column = rule$left,
    group = group_texts(pairing, pairing$key_rules[-1L], alone[at]),
    left_row = alone[at], right_row = equal[at], left_rows = 1L, right_rows = 1L,
    via = NA_character_, rank = 0, left_alone = TRUE, right_alone = FALSE
  )
}
