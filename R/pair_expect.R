# What must hold: expectations, and the warning about rows that multiply. All failures are
# reported at once. A failure names some keys and has all rows: list(text, facts, advice,
# left_rows, right_rows).

failure <- function(text, facts = NULL, advice = NULL, left_rows = integer(),
                    right_rows = integer()) {
  list(
    text = text, facts = facts, advice = advice, left_rows = left_rows,
    right_rows = right_rows
  )
}

# The expectations that the candidates don't meet
failed_expectations <- function(pairing, faults) {
  if (!length(compact(faults))) {
    return(list())
  }
  parts <- expectation_parts(pairing$expect)
  compact(c(
    list(
      if (!is.null(faults$missing)) missing_keys_failure(pairing, faults$missing),
      if (!is.null(faults$shape)) key_shape_failure(pairing, faults$shape, parts$words)
    ),
    lapply(side_names, function(side) {
      alone <- faults$alone[[side]]
      if (paste0(side, "-complete") %in% parts$words && length(alone$rows)) {
        completeness_failure(pairing, side, alone)
      }
    }),
    lapply(side_names, function(side) {
      share_failure(pairing, side, parts$shares[[paste0(side, "_matched")]],
        faults$alone[[side]]
      )
    }),
    list(
      if (!is.null(faults$several)) repeats_failure(pairing, faults$several),
      if (!is.null(faults$tied)) tied_failure(pairing, faults$tied)
    )
  ))
}

# What the analyst's own functions find wrong in the receipt. `rows`: the type of the result
# where one is to be made, whose rows are counted then, too.
failed_functions <- function(pairing, rows, call) {
  functions <- expectation_parts(pairing$expect)$functions
  function_names <- if (is.null(names(functions))) rep("", length(functions)) else names(functions)
  if (!length(functions)) {
    return(list())
  }
  account <- structure(c(account_of(pairing), counts_to_come(pairing, rows)),
    class = "ronda_receipt"
  )
  compact(Map(function(fun, name) {
    said <- run_theirs(fun(account), "argument", said("A function in `expect` failed"), call)
    if (isTRUE(said)) {
      return(NULL)
    }
    if (isFALSE(said)) {
      code <- paste(trimws(deparse(body(fun))), collapse = " ")
      return(failure(sprintf("%s: %s",
        if (nzchar(name)) sprintf("`%s` does not hold", name) else "Not TRUE of the receipt",
        shortened(code, 60L)
      )))
    }
    if (!is.character(said) || !length(said) || anyNA(said)) {
      stop_argument(
        said(
          "A function in `expect` must return TRUE or the text of what is wrong, not %s.",
          shown(said)
        ),
        call = call
      )
    }
    failure(paste0(if (nzchar(name)) paste0(name, ": "), paste(said, collapse = " ")))
  }, unname(functions), function_names))
}

stop_failures <- function(pairing, failures, call, clock = NULL) {
  receipt <- receipt_of_call(c(receipt_parts(pairing, clock), list(failed = TRUE)))
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
      paste(c(x$text, x$facts, x$advice), collapse = line_break)
    }, "")
  }
  stop_expectation(pairing, text, c(details, status_of(pairing)),
    left_rows = rows("left_rows"), right_rows = rows("right_rows"), call = call,
    receipt = receipt, failures = lapply(failures, `[`, c("text", "left_rows", "right_rows"))
  )
}

missing_keys_failure <- function(pairing, rows) {
  facts <- mapply(function(side, label) {
    if (length(rows[[side]]$rows)) {
      sprintf("%s: %s, first at row %s (%s)", label,
        counted(length(rows[[side]]$rows), "row"), row_words(rows[[side]]$rows[1L]),
        keys_at_fault(first_at_fault(rows[[side]]))
      )
    }
  }, side_names, pairing$labels)
  failure("Some keys are missing.", as.character(unlist(facts)), c(
    if (pairing$missing_keys == "stop") {
      sprintf("Write %s to leave them unmatched.", setting("missing_keys", "unmatched"))
    }
  ), rows$left$rows, rows$right$rows)
}

key_shape_failure <- function(pairing, rows, words) {
  shape <- intersect(words, key_shapes[1:3])
  text <- sprintf("Expected %s, but the pairing is %s.", shape,
    key_shape_of(pairing$counts)
  )
  if (!pairing$keyed_only) {
    return(failure(text, c(
      several_words(rows$left, pairing$labels[1L]), several_words(rows$right, pairing$labels[2L])
    ),
      if (is.null(pairing$whole)) {
        either("explain_row() of the pairing without `expect` shows why.",
          "ronda pair ... without --expect says more."
        )
      } else {
        said("%s without `expect` adds a column that counts them.", setting("partners", "n"))
      },
      left_rows = rows$left_rows, right_rows = rows$right_rows
    ))
  }
  facts <- mapply(function(side, label) {
    if (length(rows[[side]]$rows)) {
      sprintf("%s: %s share a key: %s", label,
        counted(length(rows[[side]]$rows), "row"), keys_at_fault(rows[[side]])
      )
    }
  }, side_names, pairing$labels)
  failure(text, as.character(unlist(facts)),
    repeated_keys_line(pairing, if (length(rows$left$rows)) "left" else "right"),
    as_row_numbers(rows$left$rows), as_row_numbers(rows$right$rows)
  )
}

several_words <- function(told, label) {
  more <- told$count - length(told$words)
  c(told$words, if (length(more) && more > 0L) {
    sprintf("and %s of %s more", counted(more, "row"), label)
  })
}

completeness_failure <- function(pairing, side, alone) {
  incomplete(pairing, side, alone, sprintf(
    "Expected every row of `%s` to have a partner, but %s.",
    pairing$labels[side_number(side)],
    if (length(alone$rows) == 1L) "1 has none" else {
      sprintf("%s have none", with_commas(length(alone$rows)))
    }
  ))
}

share_failure <- function(pairing, side, share, alone) {
  n <- pairing$sizes[side_number(side)]
  matched <- pairing$counts[[paste0("matched_", side)]]
  if (is.null(share) || matched >= share * n) {
    return(NULL)
  }
  incomplete(pairing, side, alone, sprintf(
    "Expected %s of the rows of `%s` to have a partner, but %s of %s do (%s).",
    percent_words(share), pairing$labels[side_number(side)], with_commas(matched),
    with_commas(n), percent_words(matched / n, below = share)
  ))
}

# a share as "98.5%"; `below`: with as many digits as tell it from that one
percent_words <- function(share, below = NULL) {
  for (digits in 0:10) {
    text <- format_number(round(100 * share, digits), 15L)
    if (is.null(below) && abs(as.numeric(text) - 100 * share) < 1e-9 ||
      !is.null(below) && as.numeric(text) < 100 * below) break
  }
  paste0(text, "%")
}

incomplete <- function(pairing, side, alone, text) {
  failed <- failure(text,
    sprintf("%s: %s", pairing$labels[side_number(side)], keys_at_fault(alone)),
    if (is.null(pairing$whole)) {
      either(
        "near_misses(pairing) lists likely partners, explain_row() says why a row found none.",
        "ronda near-misses shows likely partners."
      )
    } else {
      said("%s without `expect` writes all of them.", setting("rows", "unmatched"))
    }
  )
  failed[[paste0(side, "_rows")]] <- alone$rows
  failed
}

repeats_failure <- function(pairing, many) {
  failure(
    said(
      "%s of `%s` %s more than one partner, and `repeats` is \"stop\".",
      counted(length(many$rows), "row"), pairing$labels[1L],
      if (length(many$rows) == 1L) "has" else "have"
    ),
    sprintf("%s: %s", pairing$labels[1L], keys_at_fault(many)),
    either("Write repeats = \"first\", \"last\" or highest(\"column\") to keep one.",
      "Write --repeats first, last or highest:COLUMN to keep one."
    ),
    left_rows = many$rows, right_rows = many$right_rows
  )
}

tied_failure <- function(pairing, tied) {
  rule <- chooser_of(pairing$rules)
  failure(
    sprintf("%s of `%s` %s several right rows at the %s point.",
      counted(length(tied$rows), "row"), frame_marks[1L],
      if (length(tied$rows) == 1L) "has" else "have",
      if (rule$n == 1) "nearest" else "last"
    ),
    sprintf("%s: %s", pairing$labels[1L], tied$words),
    sprintf("Write %s or \"first\" to take one, \"all\" to take each.",
      setting("ties", "last")
    ),
    left_rows = tied$rows
  )
}

warn_rows_multiply <- function(pairing, call) {
  unexpected <- isTRUE(pairing$counts$on_both) && is.null(pairing$expect) &&
    identical(pairing$repeats, "all") &&
    length(pairing$key_rules) == length(pairing$rules)
  if (!unexpected) {
    return()
  }
  keys <- heavy_keys(pairing, on_both = TRUE)
  warn_ronda("rows_multiply",
    "Keys repeat on both sides, so rows multiply.",
    heavy_words(pairing, keys),
    paste(
      sprintf("Write %s if that is right;", setting("expect", "rows-multiply")),
      said("else choose with `repeats` or add a key.")
    ),
    repeated_keys_line(pairing, "right"),
    call = call, data = list(keys = keys)
  )
}
