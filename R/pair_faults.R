# Which rows break what is expected, as numbers and a few keys: of frames, or of parts of
# frames, whose faults add up (added_faults()). pair_expect.R makes sentences of them.

# whether anything may stop a pairing because of its rows
may_fail <- function(pairing) {
  !is.null(pairing$expect) || pairing$missing_keys == "stop" ||
    identical(pairing$repeats, "stop")
}

# What may be wrong with the candidates, of what was asked: list(missing, shape, alone,
# several, tied), each NULL where nothing is. `every`: also rows without partner of which
# the whole may have few enough
faults_of <- function(pairing, keys, tied = NULL, every = FALSE) {
  parts <- expectation_parts(pairing$expect)
  words <- as.character(parts$words)
  counts <- pairing$counts
  list(
    missing = if (counts$missing_left + counts$missing_right > 0 &&
      (pairing$missing_keys == "stop" || "no-missing-keys" %in% words)) {
      missing_faults(pairing, keys)
    },
    shape = shape_faults(pairing, keys, words),
    alone = if (length(parts$shares) || any(endsWith(words, "-complete"))) {
      alone_faults(pairing, parts, every)
    },
    several = if (identical(pairing$repeats, "stop") && counts$most_left > 1L) {
      several_faults(pairing)
    },
    tied = if (length(tied)) tied_faults(pairing, tied)
  )
}

missing_faults <- function(pairing, keys) {
  lapply(c(left = "left", right = "right"), function(side) {
    at_fault(pairing, side, which(if (is.null(pairing$keyless)) {
      rows_with_missing(keys, side)
    } else {
      pairing$keyless[[side]]
    }))
  })
}

# which sides' keys are expected once, of the shape that was asked for
expected_once <- function(words) {
  shape <- words[words %in% key_shapes[1:3]]
  c(
    left = length(shape) > 0L && startsWith(shape[1L], "one-to"),
    right = length(shape) > 0L && endsWith(shape[1L], "to-one")
  )
}

shape_faults <- function(pairing, keys, words) {
  once <- expected_once(words)
  if (!any(once & pairing$counts$repeated[side_names])) {
    return(NULL)
  }
  if (!pairing$keyed_only) {
    return(shared_partner_faults(pairing, once))
  }
  match_missing <- pairing$missing_keys == "match"
  lapply(c(left = "left", right = "right"), function(side) {
    if (once[[side]]) {
      at_fault(pairing, side, rows_repeated(keys[[side]], keys$kinds, match_missing))
    }
  })
}

# Where a condition or an ordered rule decides, no key is shared: a row has several
# partners.
shared_partner_faults <- function(pairing, once) {
  counts <- lapply(c(left = "left", right = "right"), function(side) {
    partner_counts(pairing$matches, side)
  })
  # where each left row may have one partner, those that have more, and their partners
  many_left <- if (once[["right"]]) which(counts$left > 1L)
  many_right <- if (once[["left"]]) which(counts$right > 1L)
  left_rows <- sort(unique(c(
    many_left, unlist(lapply(many_right, left_partners_of, matches = pairing$matches))
  )))
  right_rows <- sort(unique(c(
    many_right, if (length(many_left)) partners_of(pairing$matches, many_left)
  )))
  list(
    left = several_told(pairing, "left", many_left),
    right = several_told(pairing, "right", many_right),
    left_rows = numbers_of(pairing, "left", left_rows),
    right_rows = numbers_of(pairing, "right", right_rows)
  )
}

# how many rows of a side have several partners, and the first of them in words:
# "row 2 of prices (`day` = 2031-05-05) falls into rows 3 and 4 of periods"
several_told <- function(pairing, side, rows, most = 3L) {
  if (!length(rows)) {
    return(NULL)
  }
  other <- setdiff(side_names, side)
  labels <- structure(pairing$labels, names = side_names)
  verb <- pairing_verb(pairing, side)
  columns <- rule_columns(pairing$rules, side)
  first <- utils::head(rows, most)
  words <- vapply(first, function(row) {
    partners <- numbers_of(pairing, other, partners_of_row(pairing$matches, side, row))
    sprintf("row %s of %s%s %s rows %s of %s", row_words(numbers_of(pairing, side, row)),
      labels[[side]],
      if (length(columns)) {
        sprintf(" (%s)", key_words(pairing[[side]], columns, row))
      } else {
        ""
      },
      verb, listed(row_words(partners), "and"), labels[[other]]
    )
  }, "")
  list(at = numbers_of(pairing, side, first), words = words, count = length(rows))
}

# what a row does with its partners
pairing_verb <- function(pairing, side) {
  kinds <- unique(kinds_of(Filter(Negate(is_key_rule), pairing$rules)))
  rule_kinds[[if (length(kinds) == 1L) kinds else "same"]]$verbs[[side]]
}

# rows without partner, of the sides that ask for partners
alone_faults <- function(pairing, parts, every) {
  matched <- c(pairing$counts$matched_left, pairing$counts$matched_right)
  if (all(matched == pairing$sizes)) {
    return(NULL)
  }
  sides <- Filter(function(side) {
    at <- side_number(side)
    share <- parts$shares[[paste0(side, "_matched")]]
    matched[at] < pairing$sizes[at] && (paste0(side, "-complete") %in% parts$words ||
      !is.null(share) && (every || matched[at] < share * pairing$sizes[at]))
  }, c(left = "left", right = "right"))
  if (length(sides)) {
    lapply(sides, function(side) at_fault(pairing, side, unmatched(pairing$matches, side)))
  }
}

several_faults <- function(pairing) {
  many <- which(partner_counts(pairing$matches, "left") > 1L)
  c(at_fault(pairing, "left", many), list(
    right_rows = numbers_of(pairing, "right", partners_of(pairing$matches, many))
  ))
}

tied_faults <- function(pairing, tied) {
  rule <- chooser_of(pairing$rules)
  list(
    rows = numbers_of(pairing, "left", tied), at = numbers_of(pairing, "left", tied[1L]),
    words = key_words(pairing$left, rule$left, tied[1L])
  )
}

# The faults of the whole, of those of its parts -----------------------------------

added_faults <- function(faults) {
  faults <- compact(faults)
  part <- function(...) lapply(faults, function(x) {
    for (name in c(...)) x <- x[[name]]
    x
  })
  both <- function(name) {
    lapply(c(left = "left", right = "right"), function(side) joined_fault(part(name, side)))
  }
  there <- function(name) any(lengths(part(name)) > 0L)
  list(
    missing = if (there("missing")) both("missing"),
    shape = if (there("shape")) added_shapes(part("shape")),
    alone = if (there("alone")) both("alone"),
    several = if (there("several")) {
      right_rows <- rows_joined(part("several", "right_rows"))
      c(joined_fault(part("several")), list(right_rows = right_rows))
    },
    tied = if (there("tied")) joined_told(part("tied"))
  )
}

rows_joined <- function(rows) sort(unique(unlist(rows)))

# rows at fault of all parts in the order of their numbers, with the first ones' keys
joined_fault <- function(faults) {
  faults <- compact(faults)
  if (!length(faults)) {
    return(NULL)
  }
  rows <- unlist(lapply(faults, `[[`, "rows"))
  told <- unlist(lapply(faults, function(fault) utils::head(fault$rows, told_keys)))
  columns <- names(faults[[1L]]$keys)
  first <- utils::head(order(told, method = "radix"), told_keys)
  keys <- lapply(columns_below(lapply(faults, `[[`, "keys"), columns), gather_, first)
  list(rows = sort(rows), keys = keys)
}

joined_told <- function(told, most = 1L) {
  told <- compact(told)
  at <- unlist(lapply(told, `[[`, "at"))
  words <- unlist(lapply(told, `[[`, "words"))
  first <- utils::head(order(at), most)
  counts <- unlist(lapply(told, `[[`, "count"))
  list(
    rows = sort(unlist(lapply(told, `[[`, "rows"))), at = at[first], words = words[first],
    count = if (length(counts)) sum(counts)
  )
}

added_shapes <- function(shapes) {
  shapes <- compact(shapes)
  of_side <- function(side) compact(lapply(shapes, `[[`, side))
  if (is.null(shapes[[1L]]$left_rows)) {
    return(lapply(c(left = "left", right = "right"), function(side) {
      joined_fault(of_side(side))
    }))
  }
  told <- lapply(c(left = "left", right = "right"), function(side) {
    if (length(of_side(side))) joined_told(of_side(side), 3L)
  })
  c(told, list(
    left_rows = rows_joined(lapply(shapes, `[[`, "left_rows")),
    right_rows = rows_joined(lapply(shapes, `[[`, "right_rows"))
  ))
}
