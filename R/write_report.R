#' Write the account of a pairing as one web page
#'
#' One HTML file that needs nothing else: the account first, then figures,
#' samples of what did not match on each side with near misses, the keys that
#' repeat most, where asked for the partners folded, the columns with their types and collisions,
#' where columns of one name disagree, the code that repeats the pairing, and versions.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param file `[character(1)]` The file to write; its name ends in `.html`.
#' @param fold `[list]` Formulas as in [build_frame()]: the page shows the first rows of
#'   the folded frame, too.
#' @return `file`, invisibly. It is there whole or not at all.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one or a package
#'   is missing (ggplot2, htmltools and base64enc are needed), or `fold` is no list of
#'   formulas;
#'   `ronda_error_file` when the file can't be written.
#' @examples
#' file <- tempfile(fileext = ".html")
#' write_report(pair_rows(sailings, vessels, on = c(vessel = "code")), file)
#' @export
write_report <- function(pairing, file, fold = NULL) {
  call <- quote(write_report())
  check_pairing(pairing, call)
  check_name(file, "file", call)
  check_report_place(file, call)
  need_packages(c("ggplot2", "htmltools", "base64enc"), "A report", call)
  folded <- if (!is.null(fold)) report_fold(pairing, fold, call)
  bytes <- charToRaw(enc2utf8(as.character(report_page(pairing, fold, folded))))
  write_whole(file, call, function(k, part) {
    writeBin(bytes, part)
    check_end(part, bytes)
  })
  invisible(file)
}

check_report_place <- function(file, call) {
  if (!grepl("[.]html?$", file)) {
    stop_file("A report is a web page: the name %s must end in .html.", file,
      call
    )
  }
  check_place(file, call)
}

report_page <- function(pairing, fold = NULL, folded = NULL) {
  tags <- htmltools::tags
  title <- sprintf("%s with %s", pairing$labels[1L], pairing$labels[2L])
  css <- system.file("templates", "report.css", package = "ronda")
  body <- list(
    tags$header(
      tags$h1(overlap_title(pairing)),
      tags$p(class = "lead", paste0(title, ": ",
        gsub("\n", " ", account_line(pairing))
      ))
    ),
    tags$main(
      report_account(pairing), report_figures(pairing),
      report_unmatched(pairing), report_near_misses(pairing),
      report_repeats(pairing), report_differences(pairing), folded, report_columns(pairing),
      report_code(pairing, fold)
    ),
    tags$footer(report_versions())
  )
  page <- tags$html(lang = "en",
    tags$head(
      tags$meta(charset = "utf-8"),
      tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$title(title),
      tags$style(htmltools::HTML(paste(readLines(css), collapse = "\n")))
    ),
    tags$body(body)
  )
  # as.character() would leave the head out
  paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page))
}

section <- function(title, ...) {
  htmltools::tags$section(htmltools::tags$h2(title), ...)
}

report_account <- function(pairing) {
  account <- account_frame(pairing)
  names(account) <- c(
    "frame", "rows", "matched", "unmatched", "missing key", "several partners"
  )
  totals <- summary(pairing)
  names(totals) <- c(
    "rows =", "rows of the result", "paired",
    paste(pairing$labels[1L], "alone"), paste(pairing$labels[2L], "alone")
  )
  notes <- c(where_lines(pairing), pairing$notes, row_name_words(account_of(pairing)))
  section("The account",
    html_table(account, "Rows of both frames"),
    lapply(notes, htmltools::tags$p),
    html_table(totals, "What each join type would give")
  )
}

report_figures <- function(pairing) {
  call <- quote(write_report())
  section("Figures", lapply(figures_for(pairing), function(view) {
    report_figure(draw_figure(view, pairing, call), view)
  }))
}

report_figure <- function(figure, view) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  save_figure(figure, path)
  title <- figure$labels$title
  htmltools::tags$figure(
    htmltools::tags$img(
      src = base64enc::dataURI(file = path, mime = "image/png"),
      alt = sprintf("Figure (%s): %s. %s", gsub("_", " ", view), title,
        gsub("\n", " ", figure$labels$subtitle)
      ),
      width = "1280", height = "800"
    ),
    htmltools::tags$figcaption(title)
  )
}

report_sample <- 10L

report_unmatched <- function(pairing) {
  parts <- lapply(1:2, function(k) {
    rows <- unmatched(pairing$matches, side_names[k])
    label <- pairing$labels[k]
    if (!length(rows)) {
      return(htmltools::tags$p(sprintf("All rows of %s have a partner.", label)))
    }
    few <- utils::head(rows, report_sample)
    frame <- gather_rows(pairing[[c("left", "right")[k]]], few)
    html_table(cbind(row = few, flat_frame(frame)),
      sprintf("%s of %s without partner%s", counted(length(rows), "row"), label,
        if (length(rows) > report_sample) ", the first ten" else ""
      ), marks = FALSE
    )
  })
  section("What did not match", parts)
}

# Columns as text, whatever they are
flat_frame <- function(frame) {
  columns <- lapply(names(frame), function(name) {
    x <- .subset2(frame, name)
    if (is_int64(x)) {
      int64_text(x)
    } else if (is.data.frame(x) || !is.null(dim(x))) {
      rep(described(x), nrow(frame))
    } else if (is.list(x) && !is.object(x)) {
      vapply(x, function(value) {
        paste(deparse(value, nlines = 1L), collapse = " ")
      }, "")
    } else {
      x
    }
  })
  names(columns) <- names(frame)
  as_base_frame(columns, nrow(frame))
}

report_near_misses <- function(pairing) {
  found <- near_misses(pairing)
  notes <- lapply(looked_at_words(found), htmltools::tags$p)
  if (!nrow(found)) {
    return(section("Near misses",
      htmltools::tags$p("No unmatched key has a likely partner."), notes
    ))
  }
  columns <- c("from", "to", "reason", "sureness", "left_rows", "via")
  table <- as.data.frame(unclass(found)[columns])
  names(table) <- c(pairing$labels, "reason", "sureness", "rows", "match them by via =")
  section("Near misses",
    html_table(utils::head(table, 30L), sprintf("%s with a likely partner%s",
      counted(nrow(table), "unmatched key"),
      if (nrow(table) > 30L) ", the first thirty" else ""
    )), notes
  )
}

report_repeats <- function(pairing) {
  keys <- heavy_keys(pairing, 10L)
  if (!length(pairing$key_rules) || !nrow(keys)) {
    return(NULL)
  }
  names(keys)[length(keys) - 2:0] <- c(pairing$labels, "pairs")
  section("Keys with the most pairs", html_table(flat_frame(keys),
    "Rows of each frame, and the pairs they make", marks = FALSE
  ))
}

report_columns <- function(pairing) {
  all <- union(names(pairing$left), names(pairing$right))
  used <- unlist(lapply(c("left", "right"), function(side) {
    rule_columns(pairing$rules, side)
  }))
  type_in <- function(frame) {
    vapply(all, function(name) {
      if (name %in% names(frame)) type_word(.subset2(frame, name)) else ""
    }, "")
  }
  both <- all %in% names(pairing$left) & all %in% names(pairing$right)
  table <- data.frame(all, type_in(pairing$left), type_in(pairing$right),
    ifelse(all %in% used, "used in a rule", ifelse(both, "on both sides", ""))
  )
  names(table) <- c("column", pairing$labels, "note")
  section("Columns and types", html_table(table,
    "Names on both sides that are no key are renamed unless told otherwise"
  ))
}

# where the pairs' columns of one name disagree, a few cells of each
report_differences <- function(pairing) {
  shared <- shared_columns(pairing)
  if (!length(shared) || !pairing$counts$pairs || pairing$counts$pairs > row_limit(pairing)) {
    return(NULL)
  }
  found <- find_differences(pairing, list(left = shared, right = shared), 0)
  counts <- found$counts
  names(counts) <- c("column", "equal", "differ", paste("missing in", pairing$labels))
  cells <- difference_cells(found, seq_along(shared), TRUE, report_sample)
  names(cells)[length(cells) - 1:0] <- pairing$labels
  names(cells)[1:2] <- paste("row of", pairing$labels)
  total <- sum(lengths(found$cells))
  section("Columns that both frames have",
    html_table(counts, "Pairs whose values are equal, differ, or are missing on one side"),
    if (total) {
      html_table(cells, sprintf("%s that %s not equal%s", counted(total, "cell"),
        if (total == 1L) "is" else "are",
        if (total > report_sample) ", the first ten" else ""
      ), marks = FALSE)
    }
  )
}

# the partners folded: the first rows
report_fold <- function(pairing, fold, call) {
  choices <- default_choices
  choices$fold <- fold
  plan <- plan_frame(pairing, "left", choices, call)
  frame <- frame_made(unclass(pairing), plan, call)$frame
  keys <- rule_columns(pairing$rules, "left")
  columns <- c(if (length(keys)) keys else utils::head(names(pairing$left), 3L), names(fold))
  shown <- as.list(frame)[unique(columns)]
  some <- as_base_frame(lapply(shown, function(x) {
    cell <- slice_column(x, seq_len(min(report_sample, nrow(frame))), "", call)
    if (is.list(cell)) vapply(cell, described, "") else cell
  }), min(report_sample, nrow(frame)))
  section("Partners folded", html_table(some, sprintf(
    "The first %s of %s, with what their partners in %s come to",
    counted(nrow(some), "row"), with_commas(nrow(frame)), pairing$labels[2L]
  )))
}

report_code <- function(pairing, fold) {
  section("To repeat it",
    # (what is laid out as text takes no white space of the page's own)
    htmltools::tags$pre(.noWS = "inside", htmltools::tags$code(.noWS = "outside",
      pairing_code(pairing, fold)
    ))
  )
}

# The call that makes the pairing, as text
pairing_code <- function(pairing, fold = NULL) {
  rules <- vapply(pairing$rules, function(rule) {
    text <- rule_code(rule)
    if (length(rule$via)) {
      # (its words end the rule)
      text <- paste0(sub(", via = <[a-z, ]+>[)]$", ", via = ", text), via_code(rule$via), ")")
    }
    text
  }, "")
  argument <- function(name, value, usual) {
    if (!identical(value, usual)) {
      sprintf("%s = %s", name, paste(format_argument(value), collapse = " "))
    }
  }
  arguments <- c(
    sprintf("on = list(%s)", paste(rules, collapse = ",\n    ")),
    argument("where", pairing$where, NULL),
    argument("missing_keys", pairing$missing_keys, "unmatched"),
    argument("repeats", pairing$repeats, "all"),
    argument("expect", pairing$expect, NULL),
    argument("max_rows", pairing$max_rows, NULL),
    argument("sides", pairing$sides, c("left", "right"))
  )
  names <- name_code(pairing$labels)
  paste0("pairing <- pair_rows(", paste(names, collapse = ", "), ",\n  ",
    paste(arguments, collapse = ",\n  "), "\n)\nbuild_frame(pairing, ", if (is.null(fold)) {
      "rows = \"left\""
    } else {
      texts <- vapply(fold, function(x) paste(trimws(deparse(x)), collapse = " "), "")
      sprintf("fold = list(\n  %s\n)", paste(name_code(names(fold)), texts, sep = " = ",
        collapse = ",\n  "
      ))
    }, ")"
  )
}

format_argument <- function(value) {
  if (inherits(value, "ronda_choice")) format(value) else deparse(value)
}

report_versions <- function() {
  sprintf("Made %s with ronda %s, %s.", format(Sys.time(), "%Y-%m-%d %H:%M %Z"),
    utils::packageVersion("ronda"), R.version.string
  )
}

# A table with a caption and heads that a screen reader can follow; htmltools
# escapes all text.
html_table <- function(frame, caption, marks = TRUE) {
  tags <- htmltools::tags
  numeric <- vapply(frame, function(x) is.numeric(x) && !is.object(x), NA)
  cells <- lapply(frame, function(x) {
    text <- if (is.numeric(x) && !is.object(x)) {
      format(x, big.mark = if (marks) "," else "", trim = TRUE, digits = 12)
    } else {
      as.character(format_cells(x))
    }
    list(text = shortened(enc2utf8(text), 60L), missing = is_missing(x))
  })
  head <- Map(function(name, number) {
    tags$th(scope = "col", class = if (number) "number", name)
  }, names(frame), numeric)
  rows <- lapply(seq_len(nrow(frame)), function(i) {
    tags$tr(unname(Map(function(cell, number) {
      if (cell$missing[i]) {
        tags$td(class = paste(c("missing", if (number) "number"), collapse = " "), "NA")
      } else {
        tags$td(class = if (number) "number", cell$text[i])
      }
    }, cells, numeric)))
  })
  tags$div(class = "scroll", tabindex = "0", tags$table(
    tags$caption(caption), tags$thead(tags$tr(unname(head))), tags$tbody(rows)
  ))
}

format_cells <- function(x) {
  texts <- is_int64(x) || is.character(x) || is.factor(x)
  if (texts) value_texts(x) else format(x)
}
