# What prints as a proper table in knitr documents: pairings, receipts, suggestions, near
# misses, differences, a diagnosis and the ledger. Where the chunk asks for figures they are
# drawn too: `ronda.figure = "overlap"`, of a pairing also several views; `ronda.figure =
# TRUE` is what a report begins with, and the figure of a diagnosis and of the ledger.

#' @exportS3Method knitr::knit_print
knit_print.ronda_pairing <- function(x, options = list(), ...) {
  views <- options[["ronda.figure"]]
  if (is.logical(views)) {
    views <- if (isTRUE(views)) intersect(c("overlap", "reasons"), figures_for(x))
  }
  for (view in views) print(plot.ronda_pairing(x, view))
  knitted(
    report_status(x), sprintf("%s with %s: %s", x$labels[1L], x$labels[2L], account_line(x)),
    account_in_words(x), totals_in_words(x), c(shared_name_words(x), notes_of(x))
  )
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_row_counts <- function(x, ...) knitted(as_base_frame(unclass(x), nrow(x)))

#' @exportS3Method knitr::knit_print
knit_print.ronda_receipt <- function(x, ...) {
  table <- data.frame(
    frame = x$labels, rows = c(x$rows_left, x$rows_right),
    matched = c(x$matched_left, x$matched_right),
    unmatched = c(x$unmatched_left, x$unmatched_right),
    "missing key" = c(x$missing_left, x$missing_right), check.names = FALSE
  )
  line <- if (is.null(x$rows)) sprintf("%s, %s", counted(x$pairs, "pair"), x$key_shape) else {
    line_of_receipt(x)
  }
  knitted(line, table, x$notes)
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_receipt_many <- function(x, ...) knitted(format(x))

#' @exportS3Method knitr::knit_print
knit_print.ronda_key_suggestions <- function(x, ...) {
  knitted(as_base_frame(unclass_frame(x), nrow(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_near_misses <- function(x, ...) {
  if (!nrow(x)) {
    return(knitted("No unmatched key has a likely partner.", looked_at_words(x)))
  }
  columns <- intersect(c("from", "to", "reason", "sureness", "taken", "group", "left_rows",
    "via"
  ), names(x))
  table <- as_base_frame(unclass(x)[columns], nrow(x))
  table <- table[!vapply(table, function(column) all(is.na(column)), NA)]
  labels <- attr(x, "labels")
  if (!is.null(labels)) {
    sides <- match(c("from", "to"), names(table))
    names(table)[sides] <- free_labels(labels, names(table)[-sides])
  }
  knitted(table, looked_at_words(x))
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_diagnosis <- function(x, options = list(), ...) {
  if (isTRUE(options[["ronda.figure"]]) && !is.null(x$pairing)) print(plot.ronda_diagnosis(x))
  reasons <- x$reasons[c("frame", "reason", "rows", "step", "adds", "examples")]
  reasons$step[is.na(reasons$step)] <- ""
  knitted(x$status, key_lines(x), if (nrow(reasons)) reasons, x$looked_at, x$repeats,
    if (nrow(x$steps)) x$steps,
    if (length(x$call)) knitr::asis_output(paste0("```r\n", x$call, "\n```"))
  )
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_ledger <- function(x, options = list(), ...) {
  if (!nrow(x)) {
    return(knitted("No join yet."))
  }
  columns <- c("join", "verb", "left", "right", "rows_left", "rows_right", "result_rows",
    "left_alone", "right_alone", "notes"
  )
  # some columns that somebody chose are a table as they are
  if (!all(c(columns, "failed", "message") %in% names(x))) {
    return(knitted(unclass_frame(x)))
  }
  table <- unclass_frame(x)[columns]
  names(table)[5:9] <- c("left rows", "right rows", "rows of the result", "unmatched left",
    "unmatched right"
  )
  failed <- x[x$failed, ]
  if (isTRUE(options[["ronda.figure"]]) && any(!x$failed)) print(plot.ronda_ledger(x))
  knitted(sprintf("%s; %s failed", counted(nrow(x), "join"), with_commas(nrow(failed))), table,
    if (nrow(failed)) sprintf("Join %d failed: %s", failed$join, failed$message)
  )
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_differences <- function(x, ...) {
  counts <- x$counts
  names(counts) <- c("column", "equal", "differ", paste("missing in", x$pairing$labels))
  total <- sum(lengths(x$cells))
  cells <- if (total) difference_cells(x, seq_along(x$cells), TRUE, most_knitted)
  if (total) {
    sides <- length(cells) - 1:0
    names(cells)[sides] <- free_labels(x$pairing$labels, names(cells)[-sides])
  }
  knitted(difference_title(x), counts, difference_notes(x), cells,
    if (total > most_knitted) {
      sprintf("and %s more: as.data.frame() has them all.",
        counted(total - most_knitted, "cell")
      )
    }
  )
}

#' @exportS3Method knitr::knit_print
knit_print.ronda_explanation <- function(x, ...) {
  n <- length(x$lines)
  lines <- marked_text(trimws(x$lines))
  inner <- seq_len(n)[-c(1L, n)]
  bullet <- ifelse(startsWith(x$lines[inner], "  "), "    * ", "* ")
  knitr::asis_output(paste0("\n\n", paste(c(lines[1L], "", paste0(bullet, lines[inner],
    recycle0 = TRUE
  ), "", lines[n]), collapse = "\n"), "\n\n"))
}

# frame names as column headings: "sku", or "in sku" where a column has that name
free_labels <- function(labels, taken) {
  ifelse(labels %in% taken, paste("in", labels), labels)
}

most_knitted <- 20L

# Paragraphs and tables, in their order
knitted <- function(...) {
  parts <- compact(list(...))
  texts <- vapply(parts, function(part) {
    if (inherits(part, "knit_asis")) {
      as.character(part)
    } else if (is.data.frame(part)) {
      shown <- flat_frame(utils::head(part, most_knitted))
      more <- nrow(part) - nrow(shown)
      numbers <- vapply(shown, function(x) is.numeric(x) && !is.object(x), NA)
      shown[numbers] <- lapply(shown[numbers], function(x) {
        texts <- rep("NA", length(x))
        texts[!is.na(x)] <- prettyNum(value_texts(x[!is.na(x)]), big.mark = ",", decimal.mark = ".")
        texts
      })
      cells <- marked_cells(shown)
      if (!is.null(cells$via)) {
        cells$via <- ifelse(is.na(shown$via), "", sprintf("`%s`", shown$via))
      }
      paste(c(knitr::kable(cells, format = "pipe", row.names = FALSE,
        align = ifelse(numbers, "r", "l")
      ), if (more > 0L) c("", sprintf("... %s more", with_commas(more)))), collapse = "\n")
    } else {
      paste(marked_text(part), collapse = "\n\n")
    }
  }, "")
  knitr::asis_output(paste0("\n\n", paste(texts[nzchar(texts)], collapse = "\n\n"), "\n\n"))
}

# Data is shown as text, whatever markdown would take it for; `names` in backticks stay code
marked_text <- function(text) {
  vapply(on_terminal(text), function(one) {
    parts <- regmatches(one, gregexpr("`[^`]*`|[^`]+", one))[[1L]]
    outside <- !startsWith(parts, "`")
    parts[outside] <- as_entities(parts[outside])
    paste(parts, collapse = "")
  }, "", USE.NAMES = FALSE)
}

as_entities <- function(text) {
  for (sign in strsplit("&\\`*_<>$[]|#~^@!{}", "")[[1L]]) {
    place <- if (sign == "&") "&amp;" else sprintf("%s%d;", entity_begins, utf8ToInt(sign))
    text <- gsub(sign, place, text, fixed = TRUE)
  }
  gsub(entity_begins, "&#", text, fixed = TRUE)
}

# Placeholders for two signs that are escaped themselves.
entity_begins <- "\001"

marked_cells <- function(frame) {
  texts <- vapply(frame, function(x) is.character(x) || is.factor(x), NA)
  frame[texts] <- lapply(frame[texts], function(x) as_entities(on_terminal(as.character(x))))
  names(frame) <- as_entities(on_terminal(names(frame)))
  frame
}
