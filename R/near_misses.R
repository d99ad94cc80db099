#' Unmatched keys beside their likely partner
#'
#' Looks for the reason why a key found none: letter case, white space, leading
#' zeros, punctuation, accents and other forms of one character, one or two
#' slips of the typist, numbers that differ by rounding, and for nearest() a
#' value just outside the distance. Keys of several columns may differ in one
#' of them. All left and right rows are never compared with each other, so
#' 100,000 unmatched keys on each side take seconds.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @return A data frame of class `ronda_near_misses`, the surest first: `left`
#'   and `right` (the keys as text), `reason`, `left_row` and `right_row` (the
#'   first row of each key), `left_rows` and `right_rows` (how many rows have
#'   it), `column` (the left column that differs) and `via` (the function to
#'   match by, as text; missing where none would mend it). At least one of the
#'   two keys is unmatched, and an unmatched key stands in one line only.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one.
#' @seealso [explain_row()] for one row.
#' @examples
#' near_misses(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' @export
near_misses <- function(pairing) {
  check_pairing(pairing, quote(near_misses()))
  rules <- pairing$key_rules
  rules <- rules[!vapply(rules, function(rule) length(rule$via) > 0L, NA)]
  found <- list(outside_misses(pairing))
  if (length(rules)) {
    keys <- distinct_keys(pairing, rules)
    for (rule in rules) {
      found <- c(found, list(column_misses(pairing, keys, rules, rule)))
    }
  }
  table <- one_line_each(do.call(rbind, found))
  structure(table, class = c("ronda_near_misses", "data.frame"),
    labels = pairing$labels
  )
}

no_misses <- function() {
  data.frame(
    left = character(), right = character(), reason = character(),
    left_row = integer(), right_row = integer(), left_rows = integer(),
    right_rows = integer(), column = character(), via = character(),
    rank = numeric(), left_alone = logical(), right_alone = logical()
  )
}

# The distinct keys of both frames: for each side list(row, rows, alone)
distinct_keys <- function(pairing, rules) {
  keys <- engine_keys(pairing$left, pairing$right, rules, quote(near_misses()))
  sides <- lapply(c(left = "left", right = "right"), function(side) {
    first <- group_rows_(keys[[side]], keys$kinds, FALSE)
    rows <- pairing$sizes[side_number(side)]
    if (is.null(first)) first <- seq_len(rows)
    row <- which(first == seq_len(rows))
    times <- tabulate(first, rows)
    # a key is alone when no row of it has a partner
    matched <- is_matched(pairing$matches, side)
    taken <- tabulate(first[matched & first > 0L], rows) > 0L
    list(row = row, rows = times[row], alone = !taken[row])
  })
  sides
}

# Keys that differ in this rule's column alone
column_misses <- function(pairing, keys, rules, rule) {
  x <- .subset2(pairing$left, rule$left)
  y <- .subset2(pairing$right, rule$right)
  values <- list(
    left = slice_column(x, keys$left$row, rule$left, NULL),
    right = slice_column(y, keys$right$row, rule$right, NULL)
  )
  rest <- rules[!vapply(rules, identical, NA, rule)]
  group <- rest_groups(pairing, keys, rest)
  family <- family_group(key_family(x))
  if (family == "text") {
    text_misses(pairing, keys, rules, rule, lapply(values, as.character), group)
  } else if (family == "number") {
    number_misses(pairing, keys, rules, rule, values, group)
  } else {
    no_misses()
  }
}

# Numbers that are equal where all other key columns are; 0 where those have
# no equal on the other side
rest_groups <- function(pairing, keys, rest) {
  if (!length(rest)) {
    return(list(
      left = rep.int(1L, length(keys$left$row)),
      right = rep.int(1L, length(keys$right$row))
    ))
  }
  frames <- list(
    left = gather_rows(pairing$left, keys$left$row),
    right = gather_rows(pairing$right, keys$right$row)
  )
  others <- engine_keys(frames$left, frames$right, rest, quote(near_misses()))
  first <- group_rows_(others$right, others$kinds, FALSE)
  if (is.null(first)) first <- seq_along(keys$right$row)
  list(
    left = first_partners(
      match_equal_(others$left, others$right, others$kinds, FALSE, FALSE)$matches
    ),
    right = first
  )
}

text_misses <- function(pairing, keys, rules, rule, texts, group) {
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
      text <- reason$clean(text)
      keep <- !is.na(text) & nzchar(text) & group > 0L
      cleaned <- rep(NA_character_, length(text))
      cleaned[keep] <- paste0(group[keep], "\r", text[keep])
      cleaned
    }, texts, group)
    pairs <- equal_pairs(cleaned$left, cleaned$right)
    found[[rank]] <- misses_from(pairing, keys, rules, rule, pairs$left,
      pairs$right, reason$reason, reason$via, rank
    )
  }
  surer <- do.call(rbind, found)
  slips <- slips_in_groups(texts, group, keys,
    settled = list(
      left = keys$left$row %in% surer$left_row[surer$left_alone],
      right = keys$right$row %in% surer$right_row[surer$right_alone]
    )
  )
  words <- ifelse(slips$distance == 1, "one slip", "two slips")
  found <- c(found, list(misses_from(pairing, keys, rules, rule, slips$left,
    slips$right, words, NA_character_, 10 + slips$distance
  )))
  do.call(rbind, found)
}

# Slips between keys of which one at least is alone; `settled` ones have a
# surer reason already.
slips_in_groups <- function(texts, group, keys, settled) {
  use <- lapply(c(left = "left", right = "right"), function(side) {
    group[[side]] > 0L & !is.na(texts[[side]]) & !settled[[side]]
  })
  try <- function(left, right) {
    left <- which(left)
    right <- which(right)
    pairs <- slip_pairs(texts$left[left], texts$right[right])
    data.frame(left = left[pairs$left], right = right[pairs$right],
      distance = pairs$distance
    )
  }
  left_alone <- keys$left$alone
  both <- rbind(
    try(use$left & left_alone, use$right),
    try(use$left & !left_alone, use$right & keys$right$alone)
  )
  both[group$left[both$left] == group$right[both$right], ]
}

# Whole numbers never differ by rounding, so a fraction must be there.
number_misses <- function(pairing, keys, rules, rule, values, group) {
  numbers <- lapply(values, function(x) strip_class(as_number(x)))
  frames <- Map(function(number, group, key) {
    data.frame(number = number, group = group, place = seq_along(number))
  }, numbers, group, keys[c("left", "right")])
  frames$left <- frames$left[keys$left$alone & frames$left$group > 0L, ]
  pairs <- pair_up(frames$left, frames$right,
    list("group", nearest("number", look = "either")),
    list(expect = "rows-multiply", max_rows = Inf), side_names,
    quote(near_misses())
  )
  pairs <- all_pairs(pairs$matches)
  left <- frames$left$place[pairs$left]
  right <- frames$right$place[pairs$right]
  a <- numbers$left[left]
  b <- numbers$right[right]
  digits <- rounding_digits(a, b)
  keep <- !is.na(digits)
  misses_from(pairing, keys, rules, rule, left[keep], right[keep],
    "rounding", sprintf("function(x) round(x, %d)", digits[keep]), 7
  )
}

# The most digits at which two numbers agree and one of them ends; NA for none
rounding_digits <- function(a, b) {
  found <- rep(NA_integer_, length(a))
  for (digits in 0:9) {
    equal <- a != b & round(a, digits) == round(b, digits) &
      (round(a, digits) == a | round(b, digits) == b | digits == 9L)
    found[!is.na(equal) & equal] <- digits
  }
  found
}

# Lines for pairs of keys (positions among the distinct ones)
misses_from <- function(pairing, keys, rules, rule, left, right, reason, via,
                        rank) {
  use <- keys$left$alone[left] | keys$right$alone[right]
  # keys that are equal as they stand are no near misses
  if (!any(use)) {
    return(no_misses())
  }
  pick <- function(x) if (length(x) == 1L) x else x[use]
  reason <- pick(reason)
  via <- pick(via)
  rank <- pick(rank)
  left <- left[use]
  right <- right[use]
  data.frame(
    left = key_lines(pairing$left, rules, "left", keys$left$row[left]),
    right = key_lines(pairing$right, rules, "right", keys$right$row[right]),
    reason = reason, left_row = keys$left$row[left],
    right_row = keys$right$row[right], left_rows = keys$left$rows[left],
    right_rows = keys$right$rows[right], column = rule$left, via = via,
    rank = rank, left_alone = keys$left$alone[left],
    right_alone = keys$right$alone[right]
  )
}

# Keys as text, one for each row: GRE, or GRE / 2031-05-05
key_lines <- function(frame, rules, side, rows) {
  columns <- vapply(rules, function(rule) rule[[side]], "")
  parts <- lapply(columns, function(column) {
    value_words(slice_column(.subset2(frame, column), rows, column, NULL), Inf)
  })
  do.call(paste, c(parts, sep = " / "))
}

# An unmatched key stands once: in the surest line that has it.
one_line_each <- function(table) {
  table <- table[order(table$rank, -(table$left_rows + table$right_rows),
    table$left_row, table$right_row
  ), ]
  keep <- logical(nrow(table))
  left <- match(table$left_row, unique(table$left_row))
  right <- match(table$right_row, unique(table$right_row))
  seen_left <- logical(length(left))
  seen_right <- logical(length(right))
  left_alone <- table$left_alone
  right_alone <- table$right_alone
  for (k in seq_along(keep)) {
    if (left_alone[k] && seen_left[left[k]]) next
    if (right_alone[k] && seen_right[right[k]]) next
    keep[k] <- seen_left[left[k]] <- seen_right[right[k]] <- TRUE
  }
  table <- table[keep, setdiff(names(table), c("rank", "left_alone",
    "right_alone"
  ))]
  row.names(table) <- NULL
  table
}

# Rows that nearest() would have matched with a larger distance
outside_misses <- function(pairing) {
  nearest <- rules_of(pairing$rules, "nearest")
  if (!length(nearest) || is_unlimited(nearest[[1L]]$within) ||
    !is.null(pairing$where)) {
    return(no_misses())
  }
  rule <- nearest[[1L]]
  wider <- lapply(pairing$rules, function(other) {
    if (other$kind == "nearest") {
      other$within <- Inf
      other$ties <- "last"
      other$gap <- NULL
    }
    structure(other, class = "ronda_rule_record")
  })
  alone <- unmatched(pairing$matches, "left")
  found <- pair_up(pairing$left, pairing$right, wider,
    list(
      missing_keys = if (pairing$missing_keys == "match") "match" else "unmatched",
      repeats = "first", expect = "rows-multiply", max_rows = Inf
    ), side_names, quote(near_misses())
  )
  found <- first_partners(found$matches, alone)
  far <- which(found > 0L)
  if (!length(far)) {
    return(no_misses())
  }
  plan <- plan_rule(pairing, rule, NULL)
  distances <- new_distances(standings_(plan$closest, alone[far], found[far]),
    plan$closest$int64, plan$scale
  )
  finite <- which(is_finite_distance(distances, seq_along(far)))
  far <- far[finite]
  if (!length(far)) {
    return(no_misses())
  }
  by <- vapply(finite, words_of_excess, "", distance = distances,
    within = plan$closest$within
  )
  distance <- distance_numbers(distances)[finite]
  within <- plan$closest$within
  side_rule <- list(list(left = rule$left, right = rule$right))
  data.frame(
    left = key_lines(pairing$left, side_rule, "left", alone[far]),
    right = key_lines(pairing$right, side_rule, "right", found[far]),
    reason = sprintf("outside %s by %s", distance_words(within, plan$scale), by),
    left_row = alone[far], right_row = found[far], left_rows = 1L,
    right_rows = 1L, column = rule$left, via = NA_character_,
    rank = 20 + rank(distance) / length(distance), left_alone = TRUE,
    right_alone = FALSE
  )
}

#' @export
print.ronda_near_misses <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}

#' @export
format.ronda_near_misses <- function(x, ..., most = 12L) {
  if (!nrow(x)) {
    return("No unmatched key has a likely partner.")
  }
  labels <- attr(x, "labels")
  if (is.null(labels)) labels <- c("left", "right")
  top <- utils::head(x, most)
  cells <- data.frame(
    shortened(top$left, 28L), shortened(top$right, 28L), top$reason
  )
  cells <- rbind(c(labels, "reason"), as.matrix(cells))
  columns <- lapply(seq_len(ncol(cells)), function(k) format(cells[, k]))
  lines <- trimws(do.call(paste, c(columns, sep = "  ")), "right")
  mends <- unique(top[!is.na(top$via), c("column", "reason", "via")])
  c(
    lines,
    if (nrow(x) > most) sprintf("... %s more", with_commas(nrow(x) - most)),
    if (nrow(mends)) c("", "To match them all the same:"),
    sprintf("  %s: via = %s", mends$reason, mends$via)
  )
}
