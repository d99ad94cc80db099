#' Unmatched keys beside their likely partner
#'
#' Looks for the reason why a key found none: letter case, white space, leading
#' zeros, punctuation, signs that look alike, accents and other forms of one
#' character, one or two slips of the typist, numbers that differ by rounding,
#' for nearest() a value just outside the distance, and where the keys are equal,
#' the rule or condition that refused them. Keys of several columns may differ in
#' one of them. What `via` made of a key is what is looked at, so that a second
#' look shows what is left after a first cleaning.
#'
#' Partners that are unmatched themselves come first; one that has a partner
#' already is offered only where no other is near. How sure a slip is follows from
#' how near the right frame's own keys lie to each other: numbers given in order
#' are all one slip apart, and say nothing. What is no surer than chance is left
#' out, and counted when printed. All left and right rows are never compared with
#' each other; of more than 20,000 unmatched keys a sample is looked at, and where the
#' keys of a large frame lie so close together that each has many neighbours, slips are
#' not looked for. What was not looked at is printed.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param misses `[data.frame]` What `near_misses()` gives, filtered or edited as
#'   you like, or any data frame with columns `from` and `to`.
#' @param column `[character(1)]` The column that `from` and `to` belong to, where
#'   `misses` has several in `column`.
#' @return `near_misses()`: a data frame of class `ronda_near_misses`, the surest
#'   first: `from` and `to` (the two keys as text: the left one, and its likely
#'   partner), `reason`, `sureness` (0 to 1), `taken` (whether the partner has a
#'   partner already), `column` (the left column that differs), `group` (what the
#'   other key columns hold), `left_row` and `right_row` (the first row of each
#'   key), `left_rows` and `right_rows` (how many rows have it) and `via` (a
#'   function to match by, as text; missing where none would help). An unmatched key
#'   stands in one line, or in several where none stands out: then keep one.
#'   `corrections()`: its columns `from` and `to`, each value once, ready for `via`
#'   of [same()].
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, when `misses`
#'   has no such columns, has several values of `column`, or sends one value to two.
#' @seealso [explain_row()] for one row; [same()] for `via`;
#'   `vignette("when-it-goes-wrong")`.
#' @examples
#' misses <- near_misses(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' misses
#' # read them, keep those that are right, and match by them
#' fixes <- corrections(misses[misses$sureness > 0.8, ])
#' join_frames(sailings, vessels,
#'   on = same("vessel", "code", via = list(left = fixes)), rows = "anti"
#' )
#' @export
near_misses <- function(pairing) {
  call <- quote(near_misses())
  check_pairing(pairing, call)
  if (length(pairing$parts)) {
    return(misses_in_turn(pairing))
  }
  told_misses(pairing, found_misses(pairing, call))
}

# What near misses are made of: list(outside, refused, typed, left_out, sampled, far (all
# rows that are too far, of which some are told), crowded)
found_misses <- function(pairing, call) {
  far <- far_rows(pairing, call)
  found <- list(
    outside = outside_misses(pairing, far), refused = refused_misses(pairing, call),
    typed = no_misses(), left_out = 0, sampled = FALSE
  )
  found$far <- far
  if (length(pairing$key_rules)) {
    keys <- distinct_keys(pairing, call)
    found$sampled <- keys$sampled
    for (rule in pairing$key_rules) {
      misses <- column_misses(pairing, keys, rule, call)
      found$left_out <- found$left_out + sum(attr(misses, "left_out"))
      found$crowded <- c(found$crowded, attr(misses, "crowded"))
      found$typed <- rbind(found$typed, misses)
    }
  }
  found
}

told_misses <- function(pairing, found) {
  table <- one_line_each(rbind(found$outside, found$refused, found$typed))
  structure(table,
    class = c("ronda_near_misses", "data.frame"), labels = pairing$labels,
    left_out = found$left_out, sampled = found$sampled, crowded = any(found$crowded),
    far = length(found$far$row),
    combined = combined_via(pairing, table)
  )
}

#' @rdname near_misses
#' @export
corrections <- function(misses, column = NULL) {
  call <- quote(corrections())
  check_frame(misses, "misses", call)
  if (!is.null(column)) {
    check_name(column, "column", call)
    check_column("column", misses, "misses", call, class = "argument")
    misses <- misses[misses$column %in% column, ]
  }
  columns <- unique(misses$column)
  if (length(columns) > 1L) {
    stop_argument(
      sprintf("`misses` is about several columns: %s.", ticked(columns)),
      sprintf("Choose one, for example: column = %s", text_code(columns[1L])),
      call = call
    )
  }
  fixes <- as_corrections(misses, "misses", call)
  as_base_frame(fixes, length(fixes$from))
}

# of in_turn(): those of each step, of rows that none of them pairs
misses_in_turn <- function(pairing) {
  found <- lapply(pairing$parts, function(part) {
    part$matches <- candidates_of(pairing)
    near_misses(structure(part, class = "ronda_pairing"))
  })
  table <- do.call(rbind, lapply(found, function(x) as.data.frame(unclass(x)[names(x)])))
  table <- table[order(-table$sureness, method = "radix"), ]
  table <- table[!duplicated(table[c("left_row", "right_row")]), ]
  row.names(table) <- NULL
  structure(table,
    class = c("ronda_near_misses", "data.frame"), labels = pairing$labels,
    left_out = sum(vapply(found, attr, 0, "left_out")),
    sampled = any(vapply(found, attr, NA, "sampled")),
    crowded = any(unlist(lapply(found, attr, "crowded"))),
    far = sum(unlist(lapply(found, attr, "far"))), combined = NULL
  )
}

no_misses <- function() {
  data.frame(
    from = character(), to = character(), reason = character(), sureness = numeric(),
    taken = logical(), column = character(), group = character(),
    left_row = integer(), right_row = integer(), left_rows = integer(),
    right_rows = integer(), via = character(), rank = numeric(),
    left_alone = logical(), right_alone = logical()
  )
}

most_keys <- 20000L

# The distinct keys of both frames, as they were matched: for each side list(row, rows,
# alone). Of more than `most_keys` left keys without partner some are looked at.
distinct_keys <- function(pairing, call) {
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, call)
  sides <- lapply(c(left = "left", right = "right"), function(side) {
    rows <- pairing$sizes[side_number(side)]
    first <- group_rows_(keys[[side]], keys$kinds, FALSE)
    if (is.null(first)) first <- seq_len(rows)
    row <- which(first == seq_len(rows))
    times <- tabulate(first, rows)
    # a key is alone when no row of it has a candidate
    matched <- is_matched(candidates_of(pairing), side)
    taken <- tabulate(first[matched & first > 0L], rows) > 0L
    list(row = row, rows = times[row], alone = !taken[row])
  })
  alone <- which(sides$left$alone)
  sides$sampled <- length(alone) > most_keys
  if (sides$sampled) {
    some <- alone[spread_rows(length(alone), most_keys)]
    keep <- sort(c(which(!sides$left$alone), some))
    sides$left <- lapply(sides$left, `[`, keep)
  }
  sides
}

# A key column as it was matched
matched_column <- function(pairing, rule, side) {
  if (is.null(rule$cleaned)) .subset2(pairing[[side]], rule[[side]]) else {
    rule$cleaned[[side]]
  }
}

# Keys that differ in this rule's column alone
column_misses <- function(pairing, keys, rule, call) {
  if (!any(keys$left$alone) && !any(keys$right$alone) || !length(keys$left$row) ||
    !length(keys$right$row)) {
    return(no_misses())
  }
  values <- lapply(c(left = "left", right = "right"), function(side) {
    slice_column(matched_column(pairing, rule, side), keys[[side]]$row, rule[[side]], NULL)
  })
  rest <- pairing$key_rules[!vapply(pairing$key_rules, identical, NA, rule)]
  look <- list(
    pairing = pairing, keys = keys, rule = rule, rest = rest,
    group = rest_groups(pairing, keys, rest, call)
  )
  switch(family_group(key_family(values$left)),
    text = text_misses(look, lapply(values, as_text)),
    number = number_misses(look, values, call),
    no_misses()
  )
}

# Numbers that are equal where all other key columns are; 0 where those have
# no equal on the other side
rest_groups <- function(pairing, keys, rest, call) {
  if (!length(rest)) {
    return(list(
      left = rep.int(1L, length(keys$left$row)),
      right = rep.int(1L, length(keys$right$row))
    ))
  }
  others <- engine_keys(pairing$left, pairing$right, rest, call)
  for (side in side_names) {
    others[[side]] <- lapply(others[[side]], gather_, keys[[side]]$row)
  }
  first <- group_rows_(others$right, others$kinds, FALSE)
  if (is.null(first)) first <- seq_along(keys$right$row)
  list(
    left = first_partners(
      match_equal_(others$left, others$right, others$kinds, FALSE, FALSE)$matches
    ),
    right = first
  )
}

text_misses <- function(look, texts) {
  found <- list()
  reasons <- near_reasons()
  # what is no text in its own encoding can't be cleaned
  texts <- lapply(texts, function(text) {
    text[!is_sound_text(text)] <- NA
    text
  })
  for (rank in seq_along(reasons)) {
    reason <- reasons[[rank]]
    if (!is.null(reason$package) &&
      !requireNamespace(reason$package, quietly = TRUE)) {
      next
    }
    cleaned <- Map(function(text, group) {
      text <- cleaned_by(reason, text)
      text[group == 0L | !nzchar(text)] <- NA
      text
    }, texts, look$group[side_names])
    found[[rank]] <- misses_from(look, likely_pairs(look$keys, pairs_alone(look, cleaned)),
      reason$reason, reason$via, rank
    )
  }
  with_slips(look, texts, do.call(rbind, found))
}

# Positions of keys of equal text (and group), of which one at least has no partner
pairs_alone <- function(look, texts) {
  alone <- lapply(look$keys[side_names], `[[`, "alone")
  pairs_of <- function(left, right) {
    found <- equal_pairs(texts$left[left], texts$right[right], list(
      left = if (length(look$rest)) look$group$left[left],
      right = if (length(look$rest)) look$group$right[right]
    ))
    list(left = left[found$left], right = right[found$right])
  }
  Map(c, pairs_of(which(alone$left), seq_along(texts$right)),
    pairs_of(which(!alone$left), which(alone$right))
  )
}

# Slips of keys that have no surer reason
with_slips <- function(look, texts, surer) {
  settled <- look$keys$left$row %in% surer$left_row[surer$left_alone]
  slips <- likely_slips(texts, look$group, look$keys, settled)
  words <- ifelse(slips$distance == 1, "one slip", "two slips")
  found <- rbind(surer, misses_from(look, slips, words, NA_character_,
    10 + slips$distance
  ))
  attr(found, "left_out") <- slips$left_out
  attr(found, "crowded") <- slips$crowded
  found
}

# Of keys that are equal once they are cleaned: unmatched partners, or where a key has
# none, those that have a partner already. Several are as likely as each other.
likely_pairs <- function(keys, pairs) {
  left <- pairs$left
  right <- pairs$right
  left_alone <- keys$left$alone[left]
  right_alone <- keys$right$alone[right]
  # (of a matched left key and a matched right key nothing is to be said)
  use <- left_alone | right_alone
  has_free <- left %in% left[left_alone & right_alone]
  use <- use & (!left_alone | right_alone | !has_free)
  left <- left[use]
  right <- right[use]
  taken <- !(left_alone & right_alone)[use]
  list(
    left = left, right = right, taken = taken,
    sureness = ifelse(taken, 0.9, 1) / tabulate(left, length(keys$left$row))[left]
  )
}

# Whole numbers may have slips as texts have; fractions may have been rounded.
number_misses <- function(look, values, call) {
  numbers <- lapply(values, plain_numbers)
  keys <- look$keys
  frames <- Map(function(number, group) {
    data.frame(number = number, group = group, place = seq_along(number))
  }, numbers, look$group[side_names])
  frames$left <- frames$left[keys$left$alone & frames$left$group > 0L, ]
  pairs <- pair_up(frames$left, frames$right,
    list("group", nearest("number", look = "either")),
    list(expect = "rows-multiply", max_rows = Inf), side_names, call
  )
  pairs <- all_pairs(pairs$matches)
  left <- frames$left$place[pairs$left]
  right <- frames$right$place[pairs$right]
  digits <- rounding_digits(numbers$left[left], numbers$right[right])
  keep <- which(!is.na(digits))
  likely <- list(
    left = left[keep], right = right[keep], taken = !keys$right$alone[right[keep]],
    sureness = rep(0.9, length(keep))
  )
  rounded <- misses_from(look, likely, "rounding",
    sprintf("function(x) round(x, %d)", digits[keep]), 8
  )
  # (of the left keys those alone are looked at)
  wanted <- list(left = which(keys$left$alone), right = seq_along(keys$right$row))
  texts <- Map(function(x, at) {
    text <- rep(NA_character_, length(x))
    text[at] <- key_texts(x[at])
    text[at][grepl("[^0-9-]", text[at])] <- NA
    text
  }, values, wanted)
  with_slips(look, texts, rounded)
}

# The most digits at which two numbers agree and one of them ends; NA for none
rounding_digits <- function(a, b) {
  found <- rep(NA_integer_, length(a))
  for (digits in 0:9) {
    equal <- a != b & round(a, digits) == round(b, digits) &
      (round(a, digits) == a | round(b, digits) == b | digits == 9L)
    # (whole numbers never differ by rounding, so a fraction must be there)
    equal <- equal & (a != trunc(a) | b != trunc(b))
    found[!is.na(equal) & equal] <- digits
  }
  found
}

# Lines for pairs of keys, list(left, right, taken, sureness) by their positions
misses_from <- function(look, pairs, reason, via, rank) {
  keys <- look$keys
  left <- keys$left$row[pairs$left]
  right <- keys$right$row[pairs$right]
  if (!length(left)) {
    return(no_misses())
  }
  data.frame(
    from = column_texts(look$pairing$left, look$rule$left, left),
    to = column_texts(look$pairing$right, look$rule$right, right),
    reason = reason, sureness = round(pairs$sureness, 2L), taken = pairs$taken,
    column = look$rule$left, group = group_texts(look$pairing, look$rest, left),
    left_row = left, right_row = right, left_rows = keys$left$rows[pairs$left],
    right_rows = keys$right$rows[pairs$right], via = via, rank = rank,
    left_alone = keys$left$alone[pairs$left],
    right_alone = keys$right$alone[pairs$right]
  )
}

column_texts <- function(frame, column, rows) {
  readable(key_texts(slice_column(.subset2(frame, column), rows, column, NULL)))
}

shown_texts <- function(frame, column, rows) {
  value_texts(slice_column(.subset2(frame, column), rows, column, NULL))
}

# what other key columns hold: "Gull Quay / 2031-05-05"
group_texts <- function(pairing, rules, rows) {
  columns <- rule_columns(rules, "left")
  if (!length(columns)) {
    return(rep(NA_character_, length(rows)))
  }
  do.call(paste, c(unname(lapply(columns, column_texts, frame = pairing$left, rows = rows)),
    sep = " / "
  ))
}

# An unmatched key stands in the surest line that has it, and in others of that kind.
one_line_each <- function(table) {
  table <- table[order(-table$sureness, table$rank,
    -(table$left_rows + table$right_rows), table$left_row, table$right_row
  ), ]
  keep <- logical(nrow(table))
  left <- match(table$left_row, unique(table$left_row))
  right <- match(table$right_row, unique(table$right_row))
  seen_left <- seen_right <- integer(max(length(left), 1L))
  is_told <- function(line) line > 0L && table$rank[line] != table$rank[k]
  left_alone <- table$left_alone
  # (an unmatched right row may be what several left ones mean)
  right_first <- table$right_alone & !left_alone
  for (k in seq_along(keep)) {
    if (left_alone[k] && is_told(seen_left[left[k]])) next
    if (right_first[k] && is_told(seen_right[right[k]])) next
    keep[k] <- TRUE
    seen_left[left[k]] <- seen_right[right[k]] <- k
  }
  table <- table[keep & table$sureness >= least_share, setdiff(names(table), c(
    "rank", "left_alone", "right_alone"
  ))]
  row.names(table) <- NULL
  table
}

# Rows that nearest() would have matched with a larger distance; of very many the nearest
outside_misses <- function(pairing, far) {
  if (is.null(far)) {
    return(no_misses())
  }
  rule <- far$rule
  within <- far$plan$closest$within
  at <- seq_along(far$row)
  if (length(at) > most_keys) at <- order(far$distance)[seq_len(most_keys)]
  words <- sprintf("%s away, outside %s by %s",
    words_of_distance(far$distances, far$at[at], within),
    distance_words(within, far$plan$scale),
    words_of_excess(far$distances, far$at[at], within)
  )
  distance <- far$distance[at]
  data.frame(
    from = shown_texts(pairing$left, rule$left, far$row[at]),
    to = shown_texts(pairing$right, rule$right, far$partner[at]),
    reason = words, sureness = 1, taken = FALSE, column = rule$left,
    group = group_texts(pairing, pairing$key_rules, far$row[at]),
    left_row = far$row[at], right_row = far$partner[at], left_rows = 1L,
    right_rows = 1L, via = NA_character_,
    rank = 20 + rank(distance) / length(distance), left_alone = TRUE,
    right_alone = FALSE
  )
}

# Rows whose keys are equal to some, and that another rule or the condition refused
refused_misses <- function(pairing, call) {
  others <- pairing$rules[!kinds_of(pairing$rules) %in% c("same", "nearest", "cross")]
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
      if (is.null(part)) "`where`" else rule_text(part[[1L]])
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

# One function that helps with all lines of a column that have one, where several
# reasons apply: list(column, via); NULL where there is none
combined_via <- function(pairing, table) {
  table <- table[!is.na(table$via) & table$reason != "rounding", ]
  rules <- Filter(function(rule) !length(rule$via), pairing$key_rules)
  found <- lapply(rules, function(rule) {
    lines <- table[table$column == rule$left, ]
    if (length(unique(lines$reason)) < 2L) {
      return(NULL)
    }
    via <- via_of_reasons(unique(lines$reason))
    clean <- eval(parse(text = via), baseenv())
    if (isTRUE(all(clean(lines$from) == clean(lines$to)))) list(column = rule$left, via = via)
  })
  compact(found)
}

#' @export
print.ronda_near_misses <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}

# what was not looked at, or not told
looked_at_words <- function(misses) {
  left_out <- attr(misses, "left_out")
  c(
    if (isTRUE(attr(misses, "sampled"))) {
      sprintf("Of the unmatched keys %s were looked at.", with_commas(most_keys))
    },
    if (any(attr(misses, "far") > most_keys)) {
      sprintf("%s are too far: the nearest %s are told.",
        counted(attr(misses, "far"), "row"), with_commas(most_keys)
      )
    },
    if (any(attr(misses, "crowded"))) {
      "Slips were not looked for: the keys lie close together, and each has many neighbours."
    },
    if (length(left_out) && left_out > 0) {
      sprintf("%s more with a key nearby %s left out: no surer than chance.",
        with_commas(left_out), if (left_out == 1) "is" else "are"
      )
    }
  )
}

#' @export
format.ronda_near_misses <- function(x, ..., most = 12L) {
  more <- looked_at_words(x)
  needed <- c("from", "to", "reason", "sureness", "taken", "column", "via", "group")
  if (!all(needed %in% names(x))) {
    return(utils::capture.output(print(as_base_frame(unclass(x), nrow(x)))))
  }
  if (!nrow(x)) {
    return(c("No unmatched key has a likely partner.", more))
  }
  labels <- attr(x, "labels")
  if (is.null(labels)) labels <- c("left", "right")
  top <- as_base_frame(utils::head(unclass_frame(x), most), min(nrow(x), most))
  keys <- shortened_apart(top$from, top$to, 28L)
  is_outside <- grepl(" away, outside ", top$reason, fixed = TRUE)
  quoted <- function(text) ifelse(is_outside, text, encodeString(text, quote = "\""))
  cells <- data.frame(quoted(keys$x), quoted(keys$y),
    sprintf("%.2f", top$sureness),
    paste0(top$reason, ifelse(top$taken, " (has a partner already)", ""))
  )
  heads <- c(shortened(labels, 28L), "sure", "reason")
  if (!all(is.na(top$group))) {
    cells <- cbind(group = shortened(ifelse(is.na(top$group), "", top$group), 20L), cells)
    heads <- c("within", heads)
  }
  cells <- rbind(heads, as.matrix(cells))
  columns <- lapply(seq_len(ncol(cells)), function(k) format(unname(cells[, k])))
  lines <- trimws(do.call(paste, c(columns, sep = "  ")), "right")
  fixes <- unique(as_base_frame(top[c("column", "reason", "via")], nrow(top)))
  fixes <- fixes[!is.na(fixes$via), ]
  combined <- attr(x, "combined")
  c(
    lines,
    if (nrow(x) > most) sprintf("... %s more", with_commas(nrow(x) - most)),
    more,
    if (nrow(fixes)) c("", "To match them all the same:"),
    sprintf("  %s: via = %s", fixes$reason, fixes$via),
    unlist(lapply(combined, function(one) {
      sprintf("  all of these%s: via = %s",
        if (length(combined) > 1L) sprintf(" in `%s`", one$column) else "", one$via
      )
    })),
    if (any(is.na(top$via) & top$from != top$to & !is_outside, na.rm = TRUE)) {
      c("", paste(
        "To match those that you find right:",
        "via = list(left = corrections(<these lines>))"
      ))
    }
  )
}

unclass_frame <- function(x) {
  class(x) <- "data.frame"
  x
}
