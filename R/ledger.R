#' Every join of the session, one line each
#'
#' `ledger()` is a frame with one line for each join of the session, failed ones too, so that
#' a script of many joins can be read in one table. `follow()` says where along the script a
#' value came from and where it went.
#'
#' @param clear `[logical(1)]` TRUE: empties the ledger, after it is returned.
#' @param code Code that makes joins; their pairings are kept for `follow()`.
#' @param ... `[one value by column name]` `vessel = "XAN"`: rows that have all of these
#'   values, in frames that have such a column. Text that looks like a date or number is
#'   compared as it is shown.
#' @return `ledger()`: a data frame of class `ronda_ledger`, the newest 10,000 joins: `join`
#'   (number), `time`, `verb`, `left`, `right` (names of the frames), `rows` (the row type),
#'   `rows_left`, `rows_right`, `result_rows`, `paired` (pairs), `left_alone`, `right_alone`
#'   (unmatched rows), `key_shape`, `growth` (rows of the result by left rows),
#'   `cells_changed`, `notes` (and warnings, as text), `seconds`, `failed` and `message`. What
#'   a join doesn't know is missing. `with_ledger()`: the value of `code`. `follow()`: a data
#'   frame of class `ronda_trail`, one line for each frame of each kept join that has the
#'   columns: `join`, `verb`, `side`, `frame`, `rows` (with the value), `paired`, `in_result`
#'   and `reason` (why those without a partner have none). Joins of which no pairs are kept
#'   (of several frames, of files, and made before) are named when it is printed.
#' @details Only counts are kept, unless `options(ronda.keep = TRUE)` or `with_ledger()` keeps
#'   the pairings, by reference: that is what `follow()` reads, and it takes the memory of
#'   the frames. `options(ronda.ledger = "joins.jsonl")`, the environment variable
#'   `RONDA_LEDGER` or `--ledger` on the command line append each join to a file, as one
#'   line of JSON; lines of several processes stay whole.
#' @section Errors: `ronda_error_argument` when `clear` isn't TRUE or FALSE, and when
#'   `follow()` gets no named value or no kept join has such columns.
#' @seealso [last_receipt()] for the latest join; [explain_row()] for one row;
#'   `vignette("when-it-goes-wrong")`.
#' @examples
#' ledger(clear = TRUE)
#' with_ledger({
#'   trips <- join_frames(sailings, vessels, on = c(vessel = "code"))
#'   served <- join_frames(trips, ports, on = "port", rows = "inner")
#' })
#' ledger()
#' follow(vessel = "XAN")
#' @export
ledger <- function(clear = FALSE) {
  check_flag(clear, "clear", quote(ledger()))
  lines <- lapply(joins_kept(), ledger_line)
  if (clear) {
    rm(list = ls(session$joins, all.names = TRUE), envir = session$joins)
    session$made <- 0
  }
  table <- if (length(lines)) {
    columns <- lapply(names(lines[[1L]]), function(name) {
      do.call(c, lapply(lines, `[[`, name))
    })
    structure(columns, names = names(lines[[1L]]))
  } else {
    empty <- ledger_line(list(number = 0, at = 0, call = quote(none()), message = NA_character_))
    lapply(empty, `[`, 0L)
  }
  structure(as_base_frame(table, length(lines)), class = c("ronda_ledger", "data.frame"))
}

# the joins that are remembered, the oldest first
joins_kept <- function() {
  joins <- unname(as.list(session$joins))
  joins[order(vapply(joins, function(join) join$number, 0))]
}

#' @rdname ledger
#' @export
with_ledger <- function(code) {
  old <- options(ronda.keep = TRUE)
  on.exit(options(old))
  code
}

# What it says ---------------------------------------------------------------------

#' @export
format.ronda_ledger <- function(x, ...) {
  if (!nrow(x)) {
    return("No join yet.")
  }
  # some columns that somebody chose
  needed <- c("join", "verb", "left", "right", "rows", "rows_left", "result_rows", "left_alone",
    "growth", "failed"
  )
  if (!all(needed %in% names(x))) {
    return(utils::capture.output(print(unclass_frame(x), row.names = FALSE)))
  }
  number <- function(values) ifelse(is.na(values), "", short_counts(values))
  name <- function(values) shortened(ifelse(is.na(values), "", values), 10L)
  shown <- list(
    join = as.character(x$join),
    verb = sub("^join_(?=files|many)|_frames?$|_rows$", "", x$verb, perl = TRUE),
    left = name(x$left), right = name(x$right), rows = ifelse(is.na(x$rows), "", x$rows),
    "in" = number(x$rows_left), out = number(x$result_rows), alone = number(x$left_alone),
    growth = ifelse(is.na(x$growth), "", sprintf("%.2f", x$growth)),
    " " = ifelse(x$failed, "failed", "")
  )
  columns <- Map(function(values, head) {
    right <- head %in% c("join", "in", "out", "alone", "growth")
    formatC(c(head, values), width = (if (right) 1L else -1L) *
      max(nchar(c(head, values), "width")))
  }, shown, names(shown))
  wide <- sum(vapply(columns, function(column) nchar(column[1L], "width"), 1L))
  gap <- if (wide > 60L) " " else "  "
  lines <- trimws(do.call(paste, c(unname(columns), sep = gap)), "right")
  failed <- which(x$failed)
  c(lines, sprintf("%s: %s", x$join[failed], sub("\n.*", "", x$message[failed])))
}

# counts in at most seven letters
short_counts <- function(n) {
  ifelse(n < 1e6, with_commas_each(n), sprintf("%.4gM", n / 1e6))
}

#' @export
print.ronda_ledger <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

# Following a value ------------------------------------------------------------------

#' @rdname ledger
#' @export
follow <- function(...) {
  call <- quote(follow())
  values <- list(...)
  if (!length(values) || is.null(names(values)) || !all(nzchar(names(values))) ||
    !all(lengths(values) == 1L)) {
    stop_argument("Give one value for each column.",
      "Write, for example: follow(vessel = \"XAN\")",
      call = call
    )
  }
  all <- joins_kept()
  is_kept <- !vapply(all, function(join) is.null(join$pairing), NA)
  kept <- all[is_kept]
  if (!length(kept)) {
    stop_argument("No join was kept that could be looked at.",
      "Run the script with options(ronda.keep = TRUE), or within with_ledger({ ... }).",
      call = call
    )
  }
  steps <- unlist(lapply(kept, function(join) {
    lapply(side_names, trail_of_side, join = join, values = values)
  }), recursive = FALSE)
  steps <- compact(steps)
  if (!length(steps)) {
    columns <- listed(sprintf("`%s`", names(values)), "and")
    stop_argument(sprintf("No frame of a kept join has %s.", columns), call = call)
  }
  structure(do.call(rbind, steps),
    class = c("ronda_trail", "data.frame"), values = values, passed_by = joins_named(all[!is_kept])
  )
}

# "2 (join_many)" of joins that made something
joins_named <- function(joins) {
  made <- Filter(function(join) is.na(join$message), joins)
  sprintf("%.0f (%s)", vapply(made, `[[`, 0, "number"),
    vapply(made, function(join) as.character(join$call[[1L]]), "")
  )
}

# what one join did with the rows of a side that have the values; NULL without such columns
trail_of_side <- function(side, join, values) {
  pairing <- join$pairing
  frame <- pairing[[side]]
  if (!all(names(values) %in% names(frame))) {
    return(NULL)
  }
  has <- rep(TRUE, pairing$sizes[side_number(side)])
  for (name in names(values)) has <- has & has_value(.subset2(frame, name), values[[name]])
  rows <- which(has)
  paired <- is_matched(pairing$matches, side)[rows]
  type <- row_types[[if (is.null(join$parts$built$rows)) "full" else join$parts$built$rows]]
  alone_stays <- if (side == "left") isTRUE(type$left_alone) else isTRUE(type$right_alone)
  pairs_stay <- isTRUE(type$pairs) || side == "left" && isTRUE(type$left_matched)
  reason <- if (all(paired)) "" else reason_of_rows(pairing, side, rows[!paired])
  as_base_frame(list(
    join = join$number, verb = as.character(join$call[[1L]]), side = side,
    frame = pairing$labels[side_number(side)], rows = length(rows), paired = sum(paired),
    in_result = sum(paired & pairs_stay | !paired & alone_stays), reason = reason
  ), 1L)
}

# equal, or shown alike
has_value <- function(column, value) {
  if (!is.null(dim(column)) || is.list(column)) {
    return(rep(FALSE, NROW(column)))
  }
  if (is.na(value)) {
    return(is_missing(column))
  }
  key_texts(column) %in% key_texts(value) | value_texts(column) %in% as.character(value)
}

reason_of_rows <- function(pairing, side, rows) {
  misses <- misses_found(pairing)
  found <- unmatched_reasons(pairing, misses)
  of_side <- found$rows[[side]]
  reasons <- found$counts$reason[of_side$reason[of_side$row %in% rows]]
  examples <- likely_partner(pairing, shown_misses(pairing, misses), side, rows)
  words <- paste(unique(reasons), collapse = "; ")
  if (length(examples)) sprintf("%s (%s)", words, examples) else words
}

# the partner that unmatched rows most likely mean
likely_partner <- function(pairing, misses, side, rows) {
  if (!is.null(pairing$turn)) {
    return(NULL)
  }
  one <- misses[misses[[paste0(side, "_row")]] %in% rows, ]
  if (nrow(one)) {
    partner <- if (side == "left") one$to[1L] else one$from[1L]
    sprintf("likely %s", encodeString(partner, quote = "\""))
  }
}

#' @export
format.ronda_trail <- function(x, ...) {
  values <- attr(x, "values")
  lines <- sprintf("join %s, %s of %s (%s): %s, %s paired%s%s", x$join, x$side, x$verb, x$frame,
    counted_each(x$rows, "row"), with_commas_each(x$paired),
    ifelse(x$rows > 0 & x$in_result < x$rows,
      sprintf(", %s left out", with_commas_each(x$rows - x$in_result)), ""
    ),
    ifelse(nzchar(x$reason), sprintf(": %s", x$reason), "")
  )
  passed_by <- attr(x, "passed_by")
  lost <- which(x$rows > 0L & x$in_result == 0L)
  # a script goes on with its left frames
  if (any(x$side[lost] == "left")) lost <- lost[x$side[lost] == "left"]
  c(
    sprintf("%s:", paste(sprintf("%s = %s", names(values), vapply(values, shown, "")),
      collapse = ", "
    )),
    paste0("  ", lines),
    if (length(passed_by)) {
      sprintf("Not looked at, as no pairs of them are kept: join %s.", listed(passed_by, "and"))
    },
    if (length(lost)) {
      sprintf("The last of them was left out by join %s, %s%s.", x$join[max(lost)],
        x$frame[max(lost)], if (nzchar(x$reason[max(lost)])) {
          paste0(": ", x$reason[max(lost)])
        } else {
          ""
        }
      )
    }
  )
}

counted_each <- function(n, word) vapply(n, counted, "", word)

#' @export
print.ronda_trail <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}
