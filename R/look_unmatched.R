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
  counts$examples <- vapply(seq_len(nrow(counts)), function(k) {
    of_side <- rows[[counts$side[k]]]
    example_words(pairing, counts$side[k], of_side$row[of_side$reason == k], found,
      counts$kind[k]
    )
  }, "")
  list(counts = counts, rows = rows, looked_at = looked_at_words(shown_misses(pairing, found)))
}

most_examples <- 3L

# a few keys of these rows; of those that differ in little with the partner they may mean
example_words <- function(pairing, side, rows, found, kind) {
  columns <- rule_columns(pairing$rules, side)
  if (kind == "missing" || !length(columns) || !length(rows)) {
    return("")
  }
  if (kind == "far" && side == "left") {
    away <- found$far$distance[found$far$row %in% rows]
    words <- distance_words(c(min(away), stats::median(away)), found$far$plan$scale)
    return(sprintf("%s away at least, the median %s", words[1L], words[2L]))
  }
  typed <- found$typed[found$typed[[paste0(side, "_row")]] %in% rows, ]
  if (kind == "typed" && nrow(typed)) {
    own <- if (side == "left") "from" else "to"
    typed <- utils::head(typed[!duplicated(typed[[own]]), ], most_examples)
    texts <- lapply(typed[c(own, setdiff(c("from", "to"), own))], encodeString, quote = "\"")
    return(paste(texts[[1L]], "for", texts[[2L]], collapse = ", "))
  }
  some <- utils::head(rows, 100L)
  values <- do.call(paste, c(lapply(columns, function(column) {
    value_words(slice_column(.subset2(pairing[[side]], column), some, column, NULL))
  }), sep = " / "))
  paste(utils::head(unique(values), most_examples), collapse = ", ")
}

# of in_turn() each step has near misses of its own
misses_found <- function(pairing) {
  if (!is.null(pairing$turn)) {
    found <- list(outside = no_misses(), refused = no_misses(), typed = no_misses())
    c(found, list(left_out = 0, searched = c(0, 0)))
  } else {
    found_misses(pairing, quote(near_misses()))
  }
}

# the kinds of reasons, in the order in which they are listed
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

# list(row, kind, reason) of the unmatched rows of a side; each has the first reason that
# applies
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
  } else {
    settle(found$far$partner, "far", far_words(pairing, other_label))
  }
  open <- row[is.na(kind)]
  if (side == "left" && length(open)) {
    found <- interval_reasons(pairing, open, other_label)
    for (words in unique(stats::na.omit(found))) settle(open[found %in% words], "none", words)
  }
  settle(row, "none", other_words(pairing, side, other_label))
  list(row = row, kind = kind, reason = reason)
}

# Where left points lie that no interval holds, though the keys are known: NA where that
# can't be said
interval_reasons <- function(pairing, rows, other_label) {
  words <- rep(NA_character_, length(rows))
  rules <- Filter(Negate(is_key_rule), pairing$rules)
  is_inside <- length(rules) == 1L && length(rules[[1L]]$left) == 1L &&
    length(rules[[1L]]$right) == 2L
  if (!is_inside || !is.null(pairing$where)) {
    return(words)
  }
  rule <- rules[[1L]]
  part <- pairing
  part$left <- gather_rows(pairing$left, rows)
  part$key_rules <- lapply(pairing$key_rules, function(key) {
    key$cleaned <- NULL
    key
  })
  pairs_by <- function(other) {
    tried <- pair_again(part, c(key_rules_of(pairing$rules), list(other)))
    if (is.null(tried)) rep(NA, length(rows)) else is_matched(candidates_of(tried), "left")
  }
  relation <- function(op, bound) {
    list(kind = "relate", left = rule$left, op = op, right = bound)
  }
  closed <- rule
  closed$ends <- "[]"
  on_end <- pairs_by(closed)
  bounds <- lapply(rule$right, function(column) .subset2(pairing$right, column))
  endless <- rule$open_ended & vapply(bounds, anyNA, NA)
  before <- if (endless[1L]) FALSE else !pairs_by(relation(">=", rule$right[1L]))
  after <- if (endless[2L]) FALSE else !pairs_by(relation("<=", rule$right[2L]))
  words[] <- sprintf("in a gap of %s", other_label)
  words[before %in% TRUE] <- sprintf("before the first of %s", other_label)
  words[after %in% TRUE] <- sprintf("after the last of %s", other_label)
  words[on_end %in% TRUE] <- sprintf("on an excluded end of %s", other_label)
  words[is.na(before) | is.na(after)] <- NA
  words
}

passed_words <- function(pairing) paste("passed over by", repeats_said(pairing$repeats))

# rows with a missing value where a rule takes none
rows_without_value <- function(pairing, side) {
  n <- pairing$sizes[side_number(side)]
  if (!is.null(pairing$turn$keyless)) {
    return(which(pairing$turn$keyless[[side]]))
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

# of a left row, or of a right row that is the nearest of some row of `of`
far_words <- function(pairing, of = NULL) {
  rule <- chooser_of(pairing$rules)
  if (is.null(rule)) {
    return("")
  }
  sprintf("%s farther than %s",
    if (is.null(of)) "the nearest is" else sprintf("the nearest of a row of %s, but", of),
    gsub("\"", "", distance_text(rule$within))
  )
}

other_words <- function(pairing, side, other_label) {
  rule <- chooser_of(pairing$rules)
  if (!is.null(pairing$turn)) {
    return("no step found one")
  }
  if (!is.null(rule)) {
    place <- switch(rule$look, back = "before", ahead = "after", "near")
    return(if (side == "right") {
      sprintf("not taken as the nearest by any row of %s", other_label)
    } else if (is.null(pairing$where)) {
      sprintf("nothing of %s %s it", other_label, place)
    } else {
      "no row meets the condition"
    })
  }
  if (!is.null(pairing$where)) "no row meets the condition" else "no row fits all rules"
}

# Where nothing pairs ----------------------------------------------------------------

# What is said where two frames have keys and nothing pairs: that it is so, and the cheapest
# truth about why.

# `rows`: the type of the result, of which each row is to hold a pair or stand alone
warn_no_pairs <- function(pairing, rows, call) {
  if (!row_types[[rows]]$pairs ||
    "may-be-empty" %in% expectation_parts(pairing$expect)$words ||
    !could_pair(pairing)) {
    return()
  }
  warn_ronda("no_pairs",
    sprintf("Nothing pairs: %s of `%s` has %s partner in `%s`.",
      if (pairing$sizes[1L] == 1) "the only row" else {
        sprintf("none of the %s", counted(pairing$sizes[1L], "row"))
      },
      frame_marks[1L], if (pairing$sizes[1L] == 1) "no" else "a", frame_marks[2L]
    ),
    # With files there are no rows at hand to try things on.
    if (is.null(pairing$whole)) why_nothing(pairing),
    sprintf("Write %s if that is right.", setting("expect", "may-be-empty")),
    call = call
  )
}

# whether some row of either side has keys
could_pair <- function(pairing) {
  without <- vapply(side_names, function(side) {
    if (is.null(pairing$whole)) length(rows_without_value(pairing, side)) + 0 else {
      pairing$whole$blank[[side]]
    }
  }, 0)
  all(without < pairing$sizes)
}

why_nothing <- function(pairing) {
  rules <- pairing$key_rules
  if (!length(rules) || !is.null(pairing$turn)) {
    return(NULL)
  }
  tried <- cleaning_that_pairs(pairing)
  if (!is.null(tried)) {
    return(sprintf("Ignoring %s in `%s`, %s of %s would match: %s",
      passed_over_words(tried$words), tried$rule$left, with_commas(tried$matched),
      counted(pairing$sizes[1L], "row"), setting("via", tried$words)
    ))
  }
  without <- Filter(function(rule) !shares_values(pairing, list(rule)), rules)
  if (length(without)) {
    no_value_words(pairing, without[[1L]])
  } else if (!shares_values(pairing, rules)) {
    "Each key column has values that both frames have; no row has all of them together."
  } else {
    others <- unique(kinds_of(Filter(Negate(is_key_rule), pairing$rules)))
    sprintf("Some keys are equal in both frames, and %s leaves none of these pairs.",
      listed(c(sprintf("%s()", others), if (!is.null(pairing$where)) "`where`"), "or")
    )
  }
}

# "`vessel` of sailings is "XAN", ...; `code` of vessels is "xan", ...: no value in both."
no_value_words <- function(pairing, rule) {
  first <- vapply(side_names, function(side) {
    values <- matched_column(pairing, rule, side)
    some <- unique(value_words(values[utils::head(which(!is_missing(values)), 50L)]))
    sprintf("`%s` of `%s` has %s", rule[[side]], frame_mark(side),
      if (length(some)) paste(utils::head(some, 3L), collapse = ", ") else "missing values alone"
    )
  }, "")
  sprintf("No value of the key is in both: %s.", paste(first, collapse = "; "))
}

# whether some row of one frame equals one of the other by these rules
shares_values <- function(pairing, rules) {
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  matches <- match_equal_(keys$left, keys$right, keys$kinds, pairing$missing_keys == "match",
    FALSE
  )$matches
  length(left_by_match(matches, TRUE)) > 0L
}

# The words of `via` by which most left rows find a partner: list(rule, words, matched). Found
# with some rows of both frames, counted with all.
cleaning_that_pairs <- function(pairing, some = 2000L, others = 100000L) {
  if (is.function(pairing$where)) {
    return(NULL)
  }
  part <- pairing
  part$left <- gather_rows(pairing$left, spread_rows(pairing$sizes[1L], some))
  part$right <- gather_rows(pairing$right, spread_rows(pairing$sizes[2L], others))
  best <- list(matched = 0)
  for (rule in Filter(is_text_rule(pairing), pairing$key_rules)) {
    for (words in Filter(can_clean, lapply(near_reasons, `[[`, "words"))) {
      matched <- matched_with_words(part, rule, words)
      if (matched > best$matched) best <- list(rule = rule, words = words, matched = matched)
    }
  }
  if (best$matched > 0) {
    best$matched <- matched_with_words(pairing, best$rule, best$words)
    best
  }
}

is_text_rule <- function(pairing) {
  function(rule) {
    # Text that is not valid in its encoding can't be cleaned.
    !length(rule$via) && all(vapply(side_names, function(side) {
      column <- .subset2(pairing[[side]], rule[[side]])
      type_group(column) %in% "text" && all(is_sound_text(as_text(column)))
    }, NA))
  }
}

# how many left rows find a partner where a key is cleaned by some words
matched_with_words <- function(pairing, rule, words) {
  tried <- pair_again(pairing, with_via(pairing$rules, rule$left, words))
  if (is.null(tried)) 0 else tried$counts$matched_left
}
