#' The row account of a join
#'
#' `receipt()` counts what a pairing found; `last_receipt()` gives the receipt
#' of the latest call that paired or built, with its seconds. Receipts hold counts,
#' never rows.
#'
#' With `options(ronda.receipt = TRUE)`, the default in interactive use, each
#' join prints its receipt in one line as a message of class `ronda_message_receipt`,
#' which carries the receipt: `suppressMessages(..., classes = "ronda_message_receipt")`
#' silences it alone.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param receipt `[ronda_receipt | list]` What `receipt()` or `last_receipt()` gives, or a
#'   list of such receipts.
#' @return A list of class `ronda_receipt`: `labels`, `rows_left`,
#'   `rows_right`, `matched_left`, `matched_right`, `unmatched_left`, `unmatched_right`,
#'   `passed_over_left` and `passed_over_right` (rows that had a candidate but no pair:
#'   left ones under `repeats = "once"`; right ones NA where nearest() with other
#'   conditions did not need to try them all), `pairs`, `several_left` (left rows with
#'   several partners) and `most_left` (the most that one has), `missing_left` and
#'   `missing_right` (rows with a missing key), `key_shape` (one-to-one to
#'   many-to-many), `notes` (text: what is worth a second look in ordered rules).
#'   `last_receipt()` has the `seconds` of the call by stage, too, and `failed`: TRUE where
#'   something that was expected did not hold, and nothing was made; after a frame was
#'   built also `rows` (the join type),
#'   `result_rows`, `paired`, `left_alone` and `right_alone`, where columns were updated
#'   `cells_changed` by column, and of a folded frame `folded` (its pairs).
#'   `matched + unmatched` always equals the rows of
#'   the frame. `last_receipt()` is NULL before the first join. `as.data.frame()` gives
#'   one row of counts with the same columns for receipts of every kind (what a kind
#'   doesn't know is missing); `receipt_json()` one JSON object with all of it, of a list
#'   one for each.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one.
#' @seealso `vignette("joins-in-packages")`.
#' @examples
#' receipt(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' joined <- join_frames(sailings, vessels, on = c(vessel = "code"))
#' last_receipt()
#' @export
receipt <- function(pairing) {
  check_pairing(pairing, quote(receipt()))
  structure(account_of(pairing), class = "ronda_receipt")
}

#' @rdname receipt
#' @export
last_receipt <- function() {
  latest_receipt()
}

#' @rdname receipt
#' @export
receipt_json <- function(receipt) {
  call <- quote(receipt_json())
  if (!missing(receipt) && is.list(receipt) && !inherits(receipt, "ronda_receipt")) {
    return(vapply(unname(receipt), receipt_json, ""))
  }
  if (missing(receipt) || !inherits(receipt, "ronda_receipt")) {
    stop_argument("`receipt` must be what receipt() or last_receipt() gives.",
      call = call
    )
  }
  need_packages("jsonlite", "JSON", call)
  content <- compact(unclass(receipt))
  for (name in c("seconds", "cells_changed")) {
    if (length(content[[name]])) content[[name]] <- as.list(content[[name]])
  }
  vectors <- c("labels", "sides", "notes", "row_names_left_behind", "frame_rows",
    "held_by")
  for (name in intersect(vectors, names(content))) {
    content[[name]] <- I(unname(content[[name]]))
  }
  as.character(jsonlite::toJSON(content, auto_unbox = TRUE, digits = NA,
    na = "null"
  ))
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
    if (isTRUE(x$failed)) "Failed: not all that was expected holds, and nothing was made.",
    if (!is.null(x$rows)) line_of_receipt(x),
    side(1L, x$labels[1L], x$rows_left, x$matched_left, x$unmatched_left,
      x$missing_left, x$passed_over_left
    ),
    side(2L, x$labels[2L], x$rows_right, x$matched_right, x$unmatched_right,
      x$missing_right, x$passed_over_right
    ),
    sprintf("%s, %s", counted(x$pairs, "pair"), x$key_shape),
    x$notes,
    row_name_words(x)
  )
}

#' @export
print.ronda_receipt <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

#' @export
as.data.frame.ronda_receipt <- function(x, ...) {
  more <- c(
    "matched_left", "matched_right", "unmatched_left", "unmatched_right",
    "passed_over_left", "passed_over_right", "pairs", "several_left", "most_left",
    "missing_left", "missing_right", "folded"
  )
  values <- lapply(more, function(name) if (is.null(x[[name]])) NA_real_ else x[[name]] + 0)
  names(values) <- more
  as_base_frame(c(counts_of_receipt(x), values, list(failed = isTRUE(x$failed))), 1L)
}
