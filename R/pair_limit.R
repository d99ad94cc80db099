# The limit on rows: too many are refused before they are made.

largest_frame <- .Machine$integer.max

least_limit <- 1e6

row_limit <- function(pairing) {
  limit <- pairing$max_rows
  if (is.null(limit)) limit <- max_rows_option()
  if (is.null(limit)) max(least_limit, 10 * sum(pairing$sizes + 0)) else limit
}

# Stops before pairs are written out when there are too many.
check_row_limit <- function(pairing, rows, call) {
  if (!row_types[[rows]]$pairs) {
    return()
  }
  pairs <- pairing$counts$pairs
  limit <- row_limit(pairing)
  if (pairs <= limit && pairs + sum(pairing$sizes + 0) <= largest_frame) {
    return()
  }
  total <- sum(unlist(result_counts(pairing$counts, pairing$sizes, rows)))
  if (pairs <= limit && total <= largest_frame) {
    return()
  }
  if (pairs > limit) stop_pairs(pairing, pairs, limit, call, total)
  keys <- heavy_keys(pairing)
  stop_ronda("too_many_rows",
    sprintf("The result would have %s, more than a data frame can hold.",
      counted(total, "row")
    ),
    heavy_words(pairing, keys),
    said("Choose with `repeats`, add a key, or use %s or %s.", setting("rows", "semi"),
      setting("rows", "anti")
    ),
    call = call,
    data = list(pairs = pairs, limit = limit, keys = keys)
  )
}

# `total`: how many rows the result would have
stop_pairs <- function(pairing, pairs, limit, call, total = 0) {
  keys <- heavy_keys(pairing)
  stop_ronda("too_many_rows",
    said("The frames make %s, more than `max_rows` allows (%s).",
      counted(pairs, "pair"), with_commas(limit)
    ),
    heavy_words(pairing, keys),
    paste(
      said("Choose with `repeats`, add a key,"),
      if (total <= largest_frame) {
        sprintf("or write %s.", setting("max_rows", pairs))
      } else {
        sprintf("or use %s or %s.", setting("rows", "semi"), setting("rows", "anti"))
      }
    ),
    call = call,
    data = list(pairs = pairs, limit = limit, keys = keys)
  )
}

candidate_limit <- function(pairing) {
  writes_none <- !is.null(pairing$folds) && !fold_of_pairs(pairing$folds)
  if (!identical(pairing$repeats, "all") || writes_none) {
    return(largest_frame)
  }
  min(row_limit(pairing), largest_frame)
}

stop_candidates <- function(pairing, total, limit, call) {
  stop_ronda("too_many_rows",
    said(
      "The rules and `where` let more pairs through than %s (%s).",
      said("`max_rows` allows"), with_commas(limit)
    ),
    "Counting stopped there: the condition has to be run to be counted.",
    said("Add a key, make `where` narrower, or raise `max_rows`."),
    call = call, data = list(pairs = total, limit = limit)
  )
}
