# What is said where two frames have keys and nothing pairs: that it is so, and the cheapest
# truth about why.

# `rows`: the type of the result, of which each row is to hold a pair or stand alone
warn_no_pairs <- function(pairing, rows, call) {
  if (pairing$counts$pairs > 0 || !row_types[[rows]]$pairs ||
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
    # (of files nothing is at hand to be tried)
    if (is.null(pairing$whole)) why_nothing(pairing),
    sprintf("Write %s if that is right.", setting("expect", "may-be-empty")),
    call = call
  )
}

# whether some row of either side has keys
could_pair <- function(pairing) {
  without <- vapply(side_names, function(side) {
    if (is.null(pairing$whole)) length(rows_without_value(pairing, side)) + 0 else {
      pairing$counts[[paste0("missing_", side)]]
    }
  }, 0)
  all(without < pairing$sizes)
}

why_nothing <- function(pairing) {
  rules <- pairing$key_rules
  if (!length(rules) || length(pairing$parts)) {
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
    some <- utils::head(some, 3L)
    sprintf("`%s` of `%s` has %s", rule[[side]], frame_mark(side), paste(some, collapse = ", "))
  }, "")
  sprintf("No value of the key is in both: %s.", paste(first, collapse = "; "))
}

# whether some row of one frame equals one of the other by these rules
shares_values <- function(pairing, rules) {
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  matches <- match_equal_(keys$left, keys$right, keys$kinds, FALSE, FALSE)$matches
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
    # (what is not text in its own encoding can't be cleaned)
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
