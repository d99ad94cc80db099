#' The row account of a join
#'
#' `receipt()` counts what a pairing found; `last_receipt()` gives the receipt
#' of the latest call that paired or built, with its seconds. Receipts hold counts,
#' never rows.
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
#'   missing key), `key_shape` (one-to-one to many-to-many), `notes` (text: what is worth a second look in
#'   ordered rules). `last_receipt()` has the `seconds` of the call by stage, too. After
#'   a frame was built also `rows` (the join type), `result_rows`, `paired`, `left_alone` and
#'   `right_alone`. `matched + unmatched` always equals the rows of the frame.
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
  structure(account_of(pairing), class = "ronda_receipt")
}

#' @rdname receipt
#' @export
last_receipt <- function() {
  latest <- session$latest
  if (inherits(latest, "ronda_receipt")) latest else receipt_of_call(latest)
}

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
  if (length(content$seconds)) content$seconds <- as.list(content$seconds)
  vectors <- c("labels", "notes", "row_names_left_behind", "frame_rows",
    "held_by")
  for (name in intersect(vectors, names(content))) {
    content[[name]] <- I(unname(content[[name]]))
  }
  as.character(jsonlite::toJSON(content, auto_unbox = TRUE, digits = NA,
    na = "null"
  ))
}

# what the session remembers: `latest` is the receipt of the latest join, or what
# is needed to write it
session <- new.env(parent = emptyenv())
session$latest <- NULL

account_of <- function(pairing) {
  counts <- pairing$counts
  sizes <- pairing$sizes
  list(
    labels = pairing$labels,
    rows_left = sizes[1L], rows_right = sizes[2L],
    matched_left = counts$matched_left, matched_right = counts$matched_right,
    unmatched_left = sizes[1L] - counts$matched_left,
    unmatched_right = sizes[2L] - counts$matched_right,
    passed_over_right = passed_over_right(counts),
    pairs = counts$pairs,
    missing_left = counts$missing_left, missing_right = counts$missing_right,
    key_shape = key_shape_of(counts),
    row_names_left_behind = pairing$row_names,
    notes = pairing$notes
  )
}

# What a receipt is made of, with the times of the call: the receipt is written only
# when it is asked for, as that takes longer than matching a small frame. A clock is
# the times at which stages ended, by name, the start first.
told <- function(pairing, clock, built = NULL) {
  c(
    pairing[c("labels", "sizes", "counts", "row_names", "notes")],
    list(clock = clock, built = built)
  )
}

record_receipt <- function(pairing, rows, n, clock) {
  session$latest <- told(pairing, clock, list(rows = rows, n = n))
  if (tells_receipts()) {
    receipt <- last_receipt()
    message(paste(c(receipt_line(receipt), receipt$notes), collapse = "\n"))
  }
}

receipt_of_call <- function(latest) {
  if (is.null(latest)) {
    return(NULL)
  }
  built <- latest$built
  structure(
    c(
      account_of(latest),
      if (!is.null(built)) {
        c(
          list(rows = built$rows, result_rows = built$n),
          result_counts(latest$counts, latest$sizes, built$rows)
        )
      },
      list(seconds = seconds_of(latest$clock))
    ),
    class = "ronda_receipt"
  )
}

seconds_of <- function(clock) clock[-1L] - clock[-length(clock)]

receipt_line <- function(receipt) {
  parts <- c(
    sprintf("%s paired", with_commas(receipt$paired)),
    sprintf("%s %s alone", with_commas(receipt$left_alone), receipt$labels[1L]),
    sprintf("%s %s alone", with_commas(receipt$right_alone), receipt$labels[2L])
  )
  counts <- c(receipt$paired, receipt$left_alone, receipt$right_alone)
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
    sprintf("%s, %s", counted(x$pairs, "pair"), x$key_shape),
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
