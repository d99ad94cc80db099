# Which rows break what is expected, as numbers and a few keys: of frames, or of parts of
# frames, whose faults add up (added_faults()). pair_expect.R makes sentences of them.

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
    at_fault(pairing, side, which(if (is.null(pairing$turn$keyless)) {
      rows_with_missing(keys, side)
    } else {
      pairing$turn$keyless[[side]]
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
    left = several_cases(pairing, "left", many_left),
    right = several_cases(pairing, "right", many_right),
    left_rows = numbers_of(pairing, "left", left_rows),
    right_rows = numbers_of(pairing, "right", right_rows)
  )
}

# how many rows of a side have several partners, and the first of them in words:
# "row 2 of prices (`day` = 2031-05-05) falls into rows 3 and 4 of periods"
several_cases <- function(pairing, side, rows, most = 3L) {
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
    tied = if (there("tied")) joined_cases(part("tied"))
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
  told <- unlist(lapply(faults, function(fault) utils::head(fault$rows, most_shown_keys)))
  columns <- names(faults[[1L]]$keys)
  first <- utils::head(order(told, method = "radix"), most_shown_keys)
  keys <- lapply(columns_below(lapply(faults, `[[`, "keys"), columns), gather_, first)
  list(rows = sort(rows), keys = keys)
}

joined_cases <- function(told, most = 1L) {
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
    if (length(of_side(side))) joined_cases(of_side(side), 3L)
  })
  c(told, list(
    left_rows = rows_joined(lapply(shapes, `[[`, "left_rows")),
    right_rows = rows_joined(lapply(shapes, `[[`, "right_rows"))
  ))
}

# Rows at fault ----------------------------------------------------------------------

# The rows and keys at fault, in words and as frames.

stop_expectation <- function(pairing, text, ..., left_rows = integer(),
                             right_rows = integer(), call, receipt = NULL, failures = NULL) {
  stop_ronda("expectation", text, ...,
    call = call,
    data = list(
      left_rows = left_rows, right_rows = right_rows,
      keys = key_frame(pairing, left_rows, right_rows), failures = failures,
      receipt = receipt,
      pairing = if (is.null(pairing$whole)) structure(pairing, class = "ronda_pairing")
    )
  )
}

# The distinct keys of some rows as a frame, under the left names where all
# rows are left ones
key_frame <- function(pairing, left_rows, right_rows) {
  if (!is.null(pairing$whole)) {
    return(pairing$whole$keys)
  }
  side <- if (length(left_rows) || !length(right_rows)) "left" else "right"
  rows <- if (side == "left") left_rows else right_rows
  columns <- unique(vapply(pairing$key_rules, function(rule) rule[[side]], ""))
  if (length(columns)) {
    keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, NULL)
    first <- group_rows_(lapply(keys[[side]], gather_, rows), keys$kinds, TRUE)
    if (!is.null(first)) rows <- rows[first == seq_along(first)]
  }
  picked_columns(pairing[[side]], columns, rows)
}

# The keys of so many rows at fault are kept.
most_shown_keys <- 50L

# Some rows of a side: their numbers, and of the first of them the keys
at_fault <- function(pairing, side, rows) {
  turns <- turns_of(pairing$rules)
  columns <- if (is.null(turns)) rule_columns(pairing$key_rules, side) else turns[[side]]
  list(
    rows = numbers_of(pairing, side, rows),
    keys = picked_columns(pairing[[side]], columns, utils::head(rows, most_shown_keys))
  )
}

first_at_fault <- function(fault) {
  fault$rows <- fault$rows[1L]
  fault$keys <- lapply(fault$keys, gather_, 1L)
  fault
}

# The row numbers of a frame in the whole that it is a part of
numbers_of <- function(pairing, side, rows) {
  numbers <- pairing$piece$numbers[[side]]
  if (is.null(numbers)) rows else numbers[rows]
}

# Beyond 2^31 they are doubles.
as_row_numbers <- function(rows) if (is.null(rows)) integer() else rows

row_words <- function(rows) format(rows, scientific = FALSE, trim = TRUE)

# The keys of rows at fault, a few, for a message
keys_at_fault <- function(fault, most = 3L) {
  keys <- fault$keys
  rows <- fault$rows
  if (!length(keys)) {
    return(sprintf("rows %s", listed(row_words(utils::head(rows, most)), "and")))
  }
  words <- Map(function(value, column) {
    sprintf("`%s` = %s", column, distinct_words(value))
  }, keys, names(keys))
  words <- unique(do.call(paste, c(unname(words), sep = " and ")))
  more <- length(words) > most || length(rows) > most_shown_keys
  words <- c(utils::head(words, most), if (more) "...")
  paste(words, collapse = "; ")
}

# rows of one frame whose key another row of it has too
rows_repeated <- function(keys, kinds, match_missing) {
  first <- group_rows_(keys, kinds, match_missing)
  if (is.null(first)) {
    return(integer())
  }
  again <- first != 0L & first != seq_along(first)
  which(first %in% first[again] & first != 0L)
}

# the call that shows more
repeated_keys_line <- function(pairing, side) {
  # With files there is no frame to show.
  if (!is.null(pairing$whole)) {
    return(NULL)
  }
  columns <- rule_columns(pairing$key_rules, side)
  if (length(columns)) {
    # A frame that has no plain name can't be written as code.
    unnamed <- pairing$code[side_number(side)] %in% c(side, NA)
    either(
      if (unnamed) {
        sprintf("repeated_keys() of the %s frame by %s shows the rows.", side, as_code(columns))
      } else {
        sprintf("repeated_keys(%s, %s) shows the rows.", frame_mark(side), as_code(columns))
      },
      sprintf("ronda keys %s %s --repeated shows the rows.", frame_mark(side),
        setting("on", columns)
      )
    )
  }
}

# The keys with the most pairs, as a frame: key columns, the rows on each side and their
# pairs. `on_both`: of those alone that repeat on both sides, so that rows multiply
heavy_keys <- function(pairing, most = 10L, on_both = FALSE) {
  keys <- pairing$whole$heavy
  if (is.null(keys)) {
    keys <- heavy_rows(pairing, most, on_both)
  } else if (on_both) {
    keys <- gather_rows(keys, which(repeats_on_both(keys)))
  }
  keys <- utils::head(keys, most)
  keys[names(keys) != ".row"]
}

# Rows of a key multiply where some left row has several partners: by a condition they may be
# paired one by one.
repeats_on_both <- function(keys) keys$left_rows > 1L & keys$pairs > keys$left_rows

# The same with the number of a left row of each, `.row`
heavy_rows <- function(pairing, most, on_both = FALSE) {
  columns <- unique(vapply(
    pairing$key_rules, function(rule) rule$left, ""
  ))
  heavy <- if (pairing$keyed_only) {
    heaviest_ranges(pairing$matches, most, on_both)
  } else {
    heavy_groups(pairing, most, on_both)
  }
  keys <- picked_columns(pairing$left, columns, heavy$row)
  as_base_frame(
    c(keys, heavy[-1L], list(.row = numbers_of(pairing, "left", heavy$row))),
    length(heavy$row)
  )
}

# The same where a condition decides too: pairs are summed key by key
heavy_groups <- function(pairing, most, on_both) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    return(list(
      row = integer(), left_rows = integer(), right_rows = integer(),
      pairs = numeric()
    ))
  }
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  first <- group_rows_(keys$left, keys$kinds, pairing$missing_keys == "match")
  if (is.null(first)) first <- seq_len(pairing$sizes[1L])
  partners <- partner_counts(pairing$matches, "left")
  paired <- which(partners > 0L)
  partners <- as.numeric(partners[paired])
  sums <- rowsum(cbind(pairs = partners, left_rows = partners > 0), first[paired], reorder = FALSE)
  groups <- data.frame(sums, row = as.integer(rownames(sums)))
  if (on_both) groups <- groups[repeats_on_both(groups), ]
  groups <- utils::head(groups[order(-groups$pairs, groups$row), ], most)
  members <- lapply(groups$row, function(r) paired[first[paired] == r])
  list(
    row = groups$row, left_rows = lengths(members),
    right_rows = lengths(lapply(members, partners_of, matches = pairing$matches)),
    pairs = groups$pairs
  )
}

# the first of these keys in words
heavy_words <- function(pairing, keys) {
  keys <- utils::head(keys, 3L)
  columns <- seq_len(length(keys) - 3L)
  if (!nrow(keys) || !length(columns)) {
    return(character())
  }
  # Pairs are the product of the rows only where equal keys alone decide.
  product <- pairing$keyed_only && identical(pairing$repeats, "all")
  rows_of <- if (product) with_commas else function(n) counted(n, "row")
  words <- if (product) "%s: %s x %s rows, %s" else {
    "%1$s: %4$s of %2$s and %3$s"
  }
  vapply(seq_len(nrow(keys)), function(k) {
    sprintf(words, key_words(keys, names(keys)[columns], k),
      rows_of(keys$left_rows[k]), rows_of(keys$right_rows[k]), counted(keys$pairs[k], "pair")
    )
  }, "")
}
