# What must hold: expectations, and the unexpected many-to-many pairing. All that fail
# are told at once. A failure says which keys are at fault, and carries all the rows:
# list(text, facts, advice, left_rows, right_rows).

# the key shapes that can be expected: all but the one that asks for nothing, which
# is called by what it does
expected_shapes <- c(key_shapes[1:3], "rows-multiply")

expected_words <- c(expected_shapes, "left-complete", "right-complete",
  "no-missing-keys"
)

expected_shares <- c("left_matched", "right_matched")

# `expect` as list(words, shares, functions); what is none of these is `unknown`
expectation_parts <- function(expect) {
  if (is.null(expect) || is.character(expect)) {
    return(list(words = expect, shares = list(), functions = list(), unknown = list()))
  }
  items <- if (is.function(expect)) list(expect) else as.list(expect)
  names <- names(items)
  if (is.null(names)) names <- rep("", length(items))
  is_share <- names %in% expected_shares
  is_word <- !is_share & vapply(items, is.character, NA)
  is_function <- !is_share & vapply(items, is.function, NA)
  list(
    words = as.character(unlist(items[is_word])),
    shares = structure(items[is_share], names = names[is_share]),
    functions = unname(items[is_function]),
    unknown = items[!is_share & !is_word & !is_function]
  )
}

check_expect <- function(expect, rules, call) {
  if (is.null(expect)) {
    return()
  }
  takes <- is.character(expect) || is.numeric(expect) || is.list(expect) ||
    is.function(expect)
  parts <- expectation_parts(if (takes) expect)
  if (!takes || length(parts$unknown) || !is.function(expect) && !length(expect)) {
    value <- if (length(parts$unknown)) parts$unknown[[1L]] else expect
    stop_argument(
      sprintf("`expect` must be any of %s, not %s.", any_of(expected_words),
        shown(value)
      ),
      paste(
        "In a list also left_matched = 0.99 or right_matched = 0.99,",
        "and functions of the receipt."
      ),
      call = call
    )
  }
  for (word in parts$words) check_choice(word, expected_words, "expect", call)
  for (name in names(parts$shares)) {
    check_share(parts$shares[[name]], name, call)
  }
  if (sum(unique(parts$words) %in% expected_shapes) > 1L) {
    stop_argument(
      sprintf("`expect` names more than one shape of the keys: %s.",
        listed(paste0("\"", intersect(parts$words, expected_shapes), "\""), "and")
      ),
      "Name the strictest one that must hold.",
      call = call
    )
  }
}

check_share <- function(share, name, call) {
  good <- is.numeric(share) && length(share) == 1L && !is.na(share) &&
    share >= 0 && share <= 1
  if (!good) {
    stop_argument(
      sprintf("`%s` in `expect` must be a share from 0 to 1, not %s.", name,
        shown(share)
      ),
      sprintf("Write, for example: expect = list(%s = 0.99)", name),
      call = call
    )
  }
}

failure <- function(text, facts = NULL, advice = NULL, left_rows = integer(),
                    right_rows = integer()) {
  list(
    text = text, facts = facts, advice = advice, left_rows = left_rows,
    right_rows = right_rows
  )
}

# What the candidates fail
failed_expectations <- function(pairing, keys) {
  parts <- expectation_parts(pairing$expect)
  words <- parts$words
  counts <- pairing$counts
  compact(c(
    list(
      if (counts$missing_left + counts$missing_right > 0 &&
        (pairing$missing_keys == "stop" || "no-missing-keys" %in% words)) {
        missing_keys_failure(pairing, keys)
      },
      key_shape_failure(pairing, keys, words)
    ),
    lapply(side_names, function(side) {
      if (paste0(side, "-complete") %in% words) completeness_failure(pairing, side)
    }),
    lapply(side_names, function(side) {
      share_failure(pairing, side, parts$shares[[paste0(side, "_matched")]])
    }),
    list(if (identical(pairing$repeats, "stop") && counts$most_left > 1L) {
      repeats_failure(pairing)
    })
  ))
}

# What the analyst's own functions find wrong in the receipt of the pairs
failed_functions <- function(pairing, call) {
  functions <- expectation_parts(pairing$expect)$functions
  if (!length(functions)) {
    return(list())
  }
  account <- structure(account_of(pairing), class = "ronda_receipt")
  compact(lapply(functions, function(fun) {
    said <- run_theirs(fun(account), "argument", "A function in `expect` failed", call)
    if (isTRUE(said)) {
      return(NULL)
    }
    if (isFALSE(said)) {
      code <- paste(trimws(deparse(body(fun))), collapse = " ")
      return(failure(sprintf("This is not TRUE of the receipt: %s", shortened(code, 60L))))
    }
    if (!is.character(said) || !length(said) || anyNA(said)) {
      stop_argument(
        sprintf(
          "A function in `expect` must return TRUE or the text of what is wrong, not %s.",
          shown(said)
        ),
        call = call
      )
    }
    failure(paste(said, collapse = " "))
  }))
}

stop_failures <- function(pairing, failures, call) {
  rows <- function(side) {
    if (length(failures) == 1L) {
      return(failures[[1L]][[side]])
    }
    sort(unique(unlist(lapply(failures, function(x) x[[side]]))))
  }
  text <- failures[[1L]]$text
  details <- c(failures[[1L]]$facts, failures[[1L]]$advice)
  if (length(failures) > 1L) {
    text <- sprintf("%d expectations failed.", length(failures))
    details <- vapply(failures, function(x) {
      paste(c(x$text, x$facts, x$advice), collapse = "\n    ")
    }, "")
  }
  stop_expectation(pairing, text, details,
    left_rows = rows("left_rows"), right_rows = rows("right_rows"), call = call,
    failures = lapply(failures, `[`, c("text", "left_rows", "right_rows"))
  )
}

missing_keys_failure <- function(pairing, keys) {
  rows <- lapply(c(left = "left", right = "right"), function(side) {
    which(if (is.null(pairing$keyless)) rows_with_missing(keys, side) else {
      pairing$keyless[[side]]
    })
  })
  facts <- mapply(function(side, label) {
    if (length(rows[[side]])) {
      sprintf("%s: %s, first at row %d (%s)", label,
        counted(length(rows[[side]]), "row"), rows[[side]][1L],
        few_keys(pairing, side, rows[[side]][1L])
      )
    }
  }, side_names, pairing$labels)
  failure("Some keys are missing.", as.character(unlist(facts)), c(
    if (pairing$missing_keys == "stop") {
      "Write missing_keys = \"unmatched\" to let such rows stay without partner."
    }
  ), rows$left, rows$right)
}

key_shape_failure <- function(pairing, keys, words) {
  shape <- intersect(words, key_shapes[1:3])
  if (!length(shape)) {
    return(NULL)
  }
  repeated <- pairing$counts$repeated
  once <- c(left = startsWith(shape, "one-to"), right = endsWith(shape, "to-one"))
  if (!any(once & repeated[side_names])) {
    return(NULL)
  }
  text <- sprintf("Expected %s, but the pairing is %s.", shape,
    key_shape_of(pairing$counts)
  )
  if (!pairing$keyed_only) {
    return(shared_partner_failure(pairing, text, once))
  }
  match_missing <- pairing$missing_keys == "match"
  rows <- lapply(c(left = "left", right = "right"), function(side) {
    if (once[[side]]) rows_repeated(keys[[side]], keys$kinds, match_missing)
  })
  facts <- mapply(function(side, label) {
    if (length(rows[[side]])) {
      sprintf("%s: %s share a key: %s", label,
        counted(length(rows[[side]]), "row"),
        few_keys(pairing, side, rows[[side]])
      )
    }
  }, side_names, pairing$labels)
  failure(text, as.character(unlist(facts)),
    repeated_keys_line(pairing, if (length(rows$left)) "left" else "right"),
    as.integer(rows$left), as.integer(rows$right)
  )
}

# Where a condition or an ordered rule decides, no key is shared: a row has several
# partners.
shared_partner_failure <- function(pairing, text, once) {
  counts <- lapply(c(left = "left", right = "right"), function(side) {
    partner_counts(pairing$matches, side)
  })
  # where each left row may have one partner, those that have more, and their partners
  many_left <- if (once[["right"]]) which(counts$left > 1L)
  many_right <- if (once[["left"]]) which(counts$right > 1L)
  facts <- c(
    several_words(pairing, "left", many_left),
    several_words(pairing, "right", many_right)
  )
  failure(text, facts, "explain_row() of the pairing without `expect` shows why.",
    left_rows = sort(unique(c(
      many_left, unlist(lapply(many_right, left_partners_of, matches = pairing$matches))
    ))),
    right_rows = sort(unique(c(
      many_right, if (length(many_left)) partners_of(pairing$matches, many_left)
    )))
  )
}

# "row 2 of prices (`day` = 2031-05-05) falls into rows 3 and 4 of periods"
several_words <- function(pairing, side, rows, most = 3L) {
  if (!length(rows)) {
    return(NULL)
  }
  other <- setdiff(side_names, side)
  labels <- structure(pairing$labels, names = side_names)
  verb <- pairing_verb(pairing, side)
  columns <- rule_columns(pairing$rules, side)
  words <- vapply(utils::head(rows, most), function(row) {
    partners <- partners_of_row(pairing$matches, side, row)
    sprintf("row %d of %s%s %s rows %s of %s", row, labels[[side]],
      if (length(columns)) {
        sprintf(" (%s)", key_words(pairing[[side]], columns, row))
      } else {
        ""
      },
      verb, listed(partners, "and"), labels[[other]]
    )
  }, "")
  more <- length(rows) - length(words)
  c(words, if (more > 0L) {
    sprintf("and %s of %s more", counted(more, "row"), labels[[side]])
  })
}

# what a row does with its partners
pairing_verb <- function(pairing, side) {
  kinds <- setdiff(kinds_of(pairing$rules), "same")
  verbs <- if (identical(kinds, "inside")) {
    c(left = "falls into", right = "holds")
  } else if (identical(kinds, "covers")) {
    c(left = "holds", right = "falls into")
  } else if (identical(kinds, "overlap")) {
    c(left = "overlaps", right = "overlaps")
  } else {
    c(left = "pairs with", right = "pairs with")
  }
  verbs[[side]]
}

completeness_failure <- function(pairing, side) {
  rows <- unmatched(pairing$matches, side)
  if (!length(rows)) {
    return(NULL)
  }
  incomplete(pairing, side, rows, sprintf(
    "Expected every row of `%s` to have a partner, but %s.",
    pairing$labels[side_number(side)],
    if (length(rows) == 1L) "1 has none" else {
      sprintf("%s have none", with_commas(length(rows)))
    }
  ))
}

share_failure <- function(pairing, side, share) {
  n <- pairing$sizes[side_number(side)]
  matched <- pairing$counts[[paste0("matched_", side)]]
  if (is.null(share) || matched >= share * n) {
    return(NULL)
  }
  incomplete(pairing, side, unmatched(pairing$matches, side), sprintf(
    "Expected %s of the rows of `%s` to have a partner, but %s of %s do (%s).",
    percent_words(share), pairing$labels[side_number(side)], with_commas(matched),
    with_commas(n), percent_words(matched / n, below = share)
  ))
}

# a share as "98.5%"; `below`: with as many digits as tell it from that one
percent_words <- function(share, below = NULL) {
  for (digits in 0:10) {
    text <- format(round(100 * share, digits), digits = 15)
    if (is.null(below) && abs(as.numeric(text) - 100 * share) < 1e-9 ||
      !is.null(below) && as.numeric(text) < 100 * below) break
  }
  paste0(text, "%")
}

incomplete <- function(pairing, side, rows, text) {
  failed <- failure(text,
    sprintf("%s: %s", pairing$labels[side_number(side)],
      few_keys(pairing, side, rows)
    ),
    "near_misses() of the pairing shows likely partners, explain_row() why not."
  )
  failed[[paste0(side, "_rows")]] <- rows
  failed
}

repeats_failure <- function(pairing) {
  many <- which(partner_counts(pairing$matches, "left") > 1L)
  failure(
    sprintf(
      "%s of `%s` %s more than one partner, and `repeats` is \"stop\".",
      counted(length(many), "row"), pairing$labels[1L],
      if (length(many) == 1L) "has" else "have"
    ),
    sprintf("%s: %s", pairing$labels[1L], few_keys(pairing, "left", many)),
    "Write repeats = \"first\", \"last\" or highest(\"column\") to keep one.",
    left_rows = many, right_rows = partners_of(pairing$matches, many)
  )
}

warn_rows_multiply <- function(pairing, call) {
  unexpected <- isTRUE(pairing$counts$on_both) && is.null(pairing$expect) &&
    identical(pairing$repeats, "all") &&
    length(pairing$key_rules) == length(pairing$rules)
  if (!unexpected) {
    return()
  }
  warn_ronda("rows_multiply",
    "Keys repeat on both sides, so rows multiply.",
    heavy_words(pairing),
    paste(
      "Write expect = \"rows-multiply\" if that is right;",
      "else choose with `repeats` or add a key."
    ),
    repeated_keys_line(pairing, "right"),
    call = call, data = list(keys = heavy_keys(pairing, 10L))
  )
}
