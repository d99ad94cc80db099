# Why unmatched rows have no partner: each of them under one reason.

# list(counts, rows, looked_at). `counts`: a data frame, one line for each reason of each
# side: `side`, `frame`, `kind`, `reason` (in words) and `rows`. `rows`: for each side
# list(row, reason), the unmatched rows and which line of `counts` they belong to.
unmatched_reasons <- function(pairing, found = misses_found(pairing)) {
  sides <- lapply(c(left = "left", right = "right"), side_reasons, pairing = pairing,
    found = found
  )
  counts <- do.call(rbind, lapply(names(sides), function(name) {
    count_reasons(pairing, name, sides[[name]])
  }))
  rows <- lapply(c(left = "left", right = "right"), function(name) {
    one <- sides[[name]]
    list(row = one$row, reason = match(paste(name, one$reason),
      paste(counts$side, counts$reason)
    ))
  })
  list(counts = counts, rows = rows, looked_at = looked_at_words(told_misses(pairing, found)))
}

# of in_turn() each step has near misses of its own
misses_found <- function(pairing) {
  if (length(pairing$parts)) {
    found <- list(outside = no_misses(), refused = no_misses(), typed = no_misses())
    c(found, list(left_out = 0, searched = c(0, 0)))
  } else {
    found_misses(pairing, quote(near_misses()))
  }
}

# the kinds of reasons, in the order in which they are told
reason_kinds <- c("empty", "missing", "passed", "typed", "unknown", "far", "refused", "none")

count_reasons <- function(pairing, side, one) {
  told <- !duplicated(one$reason)
  reason <- one$reason[told]
  kind <- one$kind[told]
  rows <- tabulate(match(one$reason, reason), length(reason))
  order <- order(match(kind, reason_kinds), -rows)
  as_base_frame(list(
    side = rep(side, length(reason)),
    frame = rep(pairing$labels[side_number(side)], length(reason)),
    kind = kind[order], reason = reason[order], rows = rows[order]
  ), length(reason))
}

# list(row, kind, reason) of the unmatched rows of a side. What is settled first stays.
side_reasons <- function(pairing, side, found) {
  other <- setdiff(side_names, side)
  other_label <- pairing$labels[side_number(other)]
  row <- unmatched(pairing$matches, side)
  kind <- rep(NA_character_, length(row))
  reason <- kind
  settle <- function(rows, new_kind, words) {
    at <- which(row %in% rows & is.na(kind))
    kind[at] <<- new_kind
    reason[at] <<- if (length(words) == 1L) words else words[match(row[at], rows)]
  }
  if (!pairing$sizes[side_number(other)]) {
    settle(row, "empty", sprintf("%s has no rows", other_label))
  }
  if (!is.null(pairing$candidates)) {
    settle(row[is_matched(pairing$candidates, side)[row]], "passed", passed_words(pairing))
  }
  settle(rows_without_value(pairing, side), "missing", "a missing key")
  typed <- typed_reasons(pairing, side, found)
  settle(typed$row, "typed", typed$words)
  settle(unknown_rows(pairing, side), "unknown",
    sprintf("key not in %s", other_label)
  )
  if (side == "left") {
    settle(found$far$row, "far", far_words(pairing))
    settle(found$refused$left_row, "refused", found$refused$reason)
  }
  settle(row, "none", other_words(pairing, side, other_label))
  list(row = row, kind = kind, reason = reason)
}

passed_words <- function(pairing) paste("passed over by", repeats_said(pairing$repeats))

# rows with a missing value where a rule takes none
rows_without_value <- function(pairing, side) {
  n <- pairing$sizes[side_number(side)]
  if (!is.null(pairing$keyless)) {
    return(which(pairing$keyless[[side]]))
  }
  blank <- logical(n)
  if (pairing$missing_keys != "match") {
    for (rule in pairing$key_rules) {
      blank <- blank | is_missing(matched_column(pairing, rule, side))
    }
  }
  for (rule in pairing$rules) {
    if (!kind_of(rule)$needs_values(rule)) next
    for (column in rule[[side]]) blank <- blank | is_missing(.subset2(pairing[[side]], column))
  }
  which(blank)
}

# unmatched rows whose key was most likely meant as one of the other frame
typed_reasons <- function(pairing, side, found) {
  own <- paste0(side, "_row")
  alone <- if (side == "left") found$typed$left_alone else found$typed$right_alone
  misses <- found$typed[alone & !duplicated(found$typed[[own]]), ]
  misses <- misses[order(-misses$sureness, misses$rank), ]
  misses <- misses[!duplicated(misses[[own]]) & misses$sureness >= least_share, ]
  first <- if (nrow(misses)) first_with_key(pairing, side)
  row <- which(first %in% misses[[own]])
  at <- match(first[row], misses[[own]])
  of_sample <- is_sample(found$searched) & misses$rank[at] > 10
  list(row = row, words = sprintf("differs only in %s%s", misses$reason[at],
    ifelse(of_sample, " (of a sample of the keys)", "")
  ))
}

# for each row of a side the first one with its key, 0 where a part of it is missing
first_with_key <- function(pairing, side) {
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, NULL)
  first <- group_rows_(keys[[side]], keys$kinds, FALSE)
  if (is.null(first)) seq_len(pairing$sizes[side_number(side)]) else first
}

# rows whose key the other frame doesn't have
unknown_rows <- function(pairing, side) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    return(integer())
  }
  if (pairing$keyed_only) {
    return(unmatched(candidates_of(pairing), side))
  }
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  unmatched(match_equal_(keys$left, keys$right, keys$kinds,
    pairing$missing_keys == "match", FALSE
  )$matches, side)
}

far_words <- function(pairing) {
  rule <- chooser_of(pairing$rules)
  if (is.null(rule)) "" else sprintf("the nearest is farther than %s",
    gsub("\"", "", distance_text(rule$within))
  )
}

other_words <- function(pairing, side, other_label) {
  rule <- chooser_of(pairing$rules)
  if (length(pairing$parts)) {
    return("no step found one")
  }
  if (!is.null(rule)) {
    place <- switch(rule$look, back = "before", ahead = "after", "near")
    return(if (side == "right") {
      sprintf("not the nearest of any row of %s", other_label)
    } else if (is.null(pairing$where)) {
      sprintf("nothing of %s %s it", other_label, place)
    } else {
      "no row meets the condition"
    })
  }
  if (!is.null(pairing$where)) "no row meets the condition" else "no row fits all rules"
}
