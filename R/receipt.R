#' The row account of a join
#'
#' `receipt()` counts what a pairing found; `last_receipt()` gives the receipt
#' of the latest frame that was built. Receipts hold counts, never rows.
#'
#' With `options(ronda.receipt = TRUE)`, the default in interactive use, each
#' join prints its receipt in one line as a message.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param receipt `[ronda_receipt]` What `receipt()` or `last_receipt()` gives.
#' @return A list of class `ronda_receipt`: `labels`, `rows_left`,
#'   `rows_right`, `matched_left`, `matched_right`, `unmatched_left`,
#'   `unmatched_right`, `passed_over_right` (right rows that had a candidate
#'   but no pair; NA where nearest() with other conditions did not need to try
#'   them all), `pairs`, `missing_left` and `missing_right` (rows with a
#'   missing key), `relationship`, `notes` (text: what is worth a second look in
#'   ordered rules), `seconds` by stage. After a frame was built
#'   also `rows` (the join type), `result_rows`, `both`, `only_left` and
#'   `only_right`. `matched + unmatched` always equals the rows of the frame.
#'   `last_receipt()` is NULL before the first join. `as.data.frame()` gives
#'   one row of the counts, `receipt_json()` one JSON object with all of it.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one.
#' @examples
#' receipt(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' joined <- join_frames(sailings, vessels, on = c(vessel = "code"))
#' last_receipt()
#' @export
receipt <- function(pairing) {
  check_pairing(pairing, quote(receipt()))
  new_receipt(pairing)
}

#' @rdname receipt
#' @export
last_receipt <- function() state$receipt

#' @rdname receipt
#' @export
receipt_json <- function(receipt) {
  call <- quote(receipt_json())
  if (missing(receipt) || !inherits(receipt, "ronda_receipt")) {
    stop_argument("`receipt` must be what receipt() or last_receipt() gives.",
      call = call
    )
  }
  need_packages("jsonlite", "JSON", call)
  content <- compact(unclass(receipt))
  content$seconds <- as.list(content$seconds)
  vectors <- c("labels", "notes", "row_names_left_behind", "frame_rows",
    "held_by")
  for (name in intersect(vectors, names(content))) {
    content[[name]] <- I(unname(content[[name]]))
  }
  as.character(jsonlite::toJSON(content, auto_unbox = TRUE, digits = NA,
    na = "null"
  ))
}

# what the session remembers
state <- new.env(parent = emptyenv())
state$receipt <- NULL

new_receipt <- function(pairing) {
  counts <- pairing$counts
  rows <- pairing$rows
  receipt <- list(
    labels = pairing$labels,
    rows_left = rows[1L], rows_right = rows[2L],
    matched_left = counts$matched_left, matched_right = counts$matched_right,
    unmatched_left = rows[1L] - counts$matched_left,
    unmatched_right = rows[2L] - counts$matched_right,
    passed_over_right = pairing$candidates_right - counts$matched_right,
    pairs = counts$pairs,
    missing_left = counts$missing_left, missing_right = counts$missing_right,
    relationship = counts$relationship,
    row_names_left_behind = c(has_row_names(pairing$left),
      has_row_names(pairing$right)
    ),
    notes = pairing$notes,
    seconds = pairing$seconds
  )
  class(receipt) <- "ronda_receipt"
  receipt
}

has_row_names <- function(frame) .row_names_info(frame, 1L) > 0L

# The receipt of a built frame: kept, and told when that is wanted.
tell <- function(pairing, rows, n, seconds) {
  receipt <- new_receipt(pairing)
  receipt <- c(unclass(receipt), list(rows = rows, result_rows = n),
    result_counts(receipt, rows)
  )
  receipt$seconds <- c(pairing$seconds, seconds)
  class(receipt) <- "ronda_receipt"
  state$receipt <- receipt
  if (isTRUE(getOption("ronda.receipt", interactive()))) {
    message(paste(c(receipt_line(receipt), receipt$notes), collapse = "\n"))
  }
}

# The lines of the result by where they come from; known from the account
result_counts <- function(receipt, rows) {
  only_left <- if (rows %in% c("left", "full", "anti", "unmatched")) {
    receipt$unmatched_left
  } else {
    0
  }
  only_right <- if (rows %in% c("right", "full", "unmatched")) {
    receipt$unmatched_right
  } else {
    0
  }
  both <- switch(rows,
    semi = receipt$matched_left,
    anti = ,
    unmatched = 0,
    receipt$pairs
  )
  list(both = both, only_left = only_left, only_right = only_right)
}

receipt_line <- function(receipt) {
  parts <- c(
    sprintf("%s both", with_commas(receipt$both)),
    sprintf("%s only %s", with_commas(receipt$only_left), receipt$labels[1L]),
    sprintf("%s only %s", with_commas(receipt$only_right), receipt$labels[2L])
  )
  counts <- c(receipt$both, receipt$only_left, receipt$only_right)
  if (all(counts == 0)) {
    parts <- ""
  } else {
    parts <- paste0(": ", paste(parts[counts > 0], collapse = ", "))
  }
  sprintf("%s %s, %s %s %s %s%s",
    with_commas(receipt$rows_left), receipt$labels[1L],
    with_commas(receipt$rows_right), receipt$labels[2L],
    symbol_arrow(), counted(receipt$result_rows, "row"), parts
  )
}

symbol_arrow <- function() if (has_unicode()) "\u2192" else "->"

has_unicode <- function() {
  isTRUE(getOption("cli.unicode", l10n_info()[["UTF-8"]]))
}

#' @export
format.ronda_receipt <- function(x, ...) {
  side <- function(k, label, rows, matched, unmatched, missing, passed) {
    notes <- c(
      if (missing > 0) sprintf("%s with a missing key", with_commas(missing)),
      if (!is.na(passed) && passed > 0) sprintf("%s passed over", with_commas(passed))
    )
    sprintf("%s: %s, %s matched, %s unmatched%s", label,
      counted(rows, "row"), with_commas(matched), with_commas(unmatched),
      if (length(notes)) sprintf(" (%s)", paste(notes, collapse = ", ")) else ""
    )
  }
  c(
    if (!is.null(x$rows)) receipt_line(x),
    side(1L, x$labels[1L], x$rows_left, x$matched_left, x$unmatched_left,
      x$missing_left, 0
    ),
    side(2L, x$labels[2L], x$rows_right, x$matched_right, x$unmatched_right,
      x$missing_right, x$passed_over_right
    ),
    sprintf("%s, %s", counted(x$pairs, "pair"), x$relationship),
    x$notes,
    row_name_words(x)
  )
}

row_name_words <- function(receipt) {
  if (any(receipt$row_names_left_behind)) {
    sprintf("Row names of %s were left behind: row_labels() keeps them.",
      listed(receipt$labels[receipt$row_names_left_behind], "and")
    )
  }
}

#' @export
print.ronda_receipt <- function(x, ...) {
  cat(format(x), sep = "\n")
  invisible(x)
}

#' @export
as.data.frame.ronda_receipt <- function(x, ...) {
  values <- unclass(x)
  values$notes <- NULL
  values <- values[lengths(values) == 1L]
  as_base_frame(
    c(list(left = x$labels[1L], right = x$labels[2L]), values), 1L
  )
}
