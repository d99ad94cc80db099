# The account of a pairing in words. format() makes lines, print() shows them.

#' @export
print.ronda_pairing <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.ronda_pairing <- function(x, ...) {
  rules <- paste(vapply(x$rules, rule_text, ""), collapse = ", ")
  where <- if (!is.null(x$where)) ", with a condition" else ""
  c(
    folded(sprintf("<pairing> %s with %s by %s%s", x$labels[1L], x$labels[2L],
      rules, where
    )),
    folded(status_of(x)),
    "",
    account_table(x),
    "",
    folded(pair_words(x)),
    folded(c(turn_words(x), where_lines(x))),
    folded(join_type_words(x)),
    folded(shared_name_words(x)),
    folded(c(x$notes, row_name_words(account_of(x))))
  )
}

# the account and the row counts as tables with heads in words
account_in_words <- function(pairing) {
  account <- account_frame(pairing)
  names(account) <- c(
    "frame", "rows", "matched", "unmatched", "missing key", "several partners"
  )
  account
}

totals_in_words <- function(pairing) {
  totals <- counts_by_type(pairing)
  names(totals) <- c("rows =", "rows of the result", "paired",
    paste(pairing$labels[1L], "alone"), paste(pairing$labels[2L], "alone")
  )
  totals
}

# notes and warnings about the pairing
notes_of <- function(pairing) {
  c(turn_words(pairing), where_lines(pairing), pairing$notes,
    row_name_words(account_of(pairing))
  )
}

account_table <- function(pairing) {
  account <- account_frame(pairing)
  heads <- c("rows", "matched", "unmatched", "missing key", "several partners")
  counts <- as.matrix(data.frame(lapply(account[-1L], with_commas_each)))
  lines <- paste0("  ", table_lines(rbind(
    c("", heads), cbind(account$frame, counts)
  )))
  width <- getOption("width")
  if (max(nchar(lines, "width")) <= width) {
    return(c(styled(lines[1L], "dim"), lines[-1L]))
  }
  # where a table is too wide, one frame is shown below the other
  unlist(lapply(seq_len(nrow(account)), function(k) {
    said <- paste(sprintf("%s: %s", heads, counts[k, ]), collapse = ", ")
    c(
      paste0("  ", shortened(account$frame[k], max(10L, width - 2L))),
      strwrap(said, width = width, indent = 4L, exdent = 4L)
    )
  }))
}

# Cells as lines, the first column to the left, the others to the right
table_lines <- function(cells) {
  columns <- lapply(seq_len(ncol(cells)), function(k) {
    format(unname(cells[, k]), justify = if (k == 1L) "left" else "right")
  })
  do.call(paste, c(columns, sep = "  "))
}

pair_words <- function(pairing) {
  if (!pairing$counts$pairs) {
    why <- if (could_pair(pairing)) why_nothing(pairing)
    return(c(styled("Nothing pairs", "bold"), vapply(as.character(why), with_frame_names, "",
      pairing[c("labels", "code")], USE.NAMES = FALSE
    )))
  }
  c(
    styled(sprintf("%s, %s", counted(pairing$counts$pairs, "pair"),
      key_shape_of(pairing$counts)
    ), "bold"),
    unlist(lapply(side_names, function(side) {
      passed <- passed_over(pairing$counts, side)
      if (!is.na(passed) && passed > 0) {
        sprintf("%s of %s had a candidate but %s passed over.", counted(passed, "row"),
          pairing$labels[side_number(side)], if (passed == 1) "was" else "were"
        )
      }
    }))
  )
}

join_type_words <- function(pairing) {
  counts <- counts_by_type(pairing)
  paste("Rows:", paste(counts$rows, with_commas_each(counts$result_rows),
    collapse = ", "
  ))
}

shared_name_words <- function(pairing) {
  keys <- rule_columns(pairing$key_rules, "right")
  shared <- setdiff(
    intersect(names(pairing$left), names(pairing$right)),
    c(keys, rule_columns(pairing$key_rules, "left"))
  )
  if (length(shared)) {
    sprintf("%s in both frames that %s: %s", if (length(shared) == 1L) "Column" else "Columns",
      if (length(shared) == 1L) "is no key" else "are no keys", ticked(shared)
    )
  }
}

#' The rows that each join type would give
#'
#' @param object `[ronda_pairing]` What [pair_rows()] gives.
#' @param ... Not used.
#' @return A data frame of class `ronda_row_counts`, with seven rows, one for
#'   each of `rows`: `rows` (its name), `result_rows`, and how many of these are
#'   `paired`, `left_alone` and `right_alone`. Nothing is built for it.
#' @seealso [pair_rows()]; `vignette("choosing-rows")`.
#' @examples
#' summary(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' @export
summary.ronda_pairing <- function(object, ...) {
  counts <- counts_by_type(object)
  class(counts) <- c("ronda_row_counts", class(counts))
  counts
}

#' @export
print.ronda_row_counts <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.ronda_row_counts <- function(x, ...) {
  table_lines(rbind(names(x), as.matrix(data.frame(
    lapply(unclass(x)[names(x)], function(column) {
      if (is.numeric(column)) with_commas_each(column) else column
    })
  ))))
}
