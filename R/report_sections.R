# What a report says of a pairing, section by section.

report_sample <- 10L

# The content of the page. With `rows` FALSE nothing of it shows a cell of the data.
report_of <- function(pairing, rows, fold, folded, command, call) {
  began <- Sys.time()
  found <- misses_found(pairing)
  misses <- if (is.null(pairing$turn)) shown_misses(pairing, found) else {
    misses_in_turn(pairing)
  }
  reasons <- unmatched_reasons(pairing, found)
  # For the figure of the reasons.
  pairing$reasons <- reasons
  # Then nothing made of the pairing shows a cell.
  pairing$hidden <- !rows
  list(
    began = began,
    title = sprintf("%s with %s", pairing$labels[1L], pairing$labels[2L]),
    heading = overlap_title(pairing), lead = paste0(account_line(pairing), "."),
    sections = list(
      verdict_section(pairing, reasons), next_section(pairing, misses, found),
      unmatched_section(pairing, reasons, misses, rows), differences_section(pairing, rows),
      if (rows) repeats_section(pairing), if (rows) result_section(pairing, call), folded,
      figures_section(pairing, rows, call), types_section(pairing),
      repeat_section(pairing, fold, command)
    )
  )
}

verdict_section <- function(pairing, reasons) {
  verdict <- verdict_of(pairing, reasons)
  section("verdict", "The verdict",
    bullets(c(status_of(pairing), unlist(verdict), notes_of(pairing))),
    html_table(account_in_words(pairing), "Rows of both frames"),
    html_table(totals_in_words(pairing), "What each join type would give")
  )
}

next_section <- function(pairing, misses, found) {
  steps <- next_steps(pairing, misses, found$far)
  if (!length(steps)) {
    return(NULL)
  }
  section("next", "What to do next",
    lapply(steps, function(step) list(paragraphs(step$text), code_block(step$code))),
    whole_call(pairing, found)
  )
}

# the call with all steps, as diagnose() hands it back; it may hold values of the data
whole_call <- function(pairing, found) {
  if (isTRUE(pairing$hidden)) {
    return(NULL)
  }
  taken <- steps_taken(pairing, list(), found)
  if (length(taken$steps)) {
    list(
      paragraphs(sprintf("All of it in one call, which matches %s of %s.",
        with_commas(taken$pairing$counts$matched_left), counted(pairing$sizes[1L], "row")
      )),
      code_block(diagnosed_call(taken))
    )
  }
}

unmatched_section <- function(pairing, reasons, misses, rows) {
  counts <- reasons$counts
  if (!nrow(counts)) {
    return(section("unmatched", "What did not match",
      htmltools::tags$p(if (any(pairing$sizes > 0)) "Every row of both frames has a partner." else {
        "Neither frame has a row."
      })
    ))
  }
  table <- counts[c("reason", "frame", "rows")]
  table$share <- percent_of(counts$rows, pairing$sizes[side_number(counts$side)])
  names(table)[4L] <- "share of the frame"
  section("unmatched", "What did not match",
    html_table(table, "Unmatched rows, by reason"), paragraphs(reasons$looked_at),
    if (rows) near_miss_table(pairing, misses),
    if (rows) lapply(side_names, function(side) {
      list(frequent_keys(pairing, side), unmatched_sample(pairing, side, reasons))
    })
  )
}

# the unmatched keys that most rows have
frequent_keys <- function(pairing, side) {
  columns <- rule_columns(pairing$key_rules, side)
  alone <- unmatched(pairing$matches, side)
  if (!length(columns) || !length(alone)) {
    return(NULL)
  }
  first <- first_with_key(pairing, side)[alone]
  first <- first[first > 0L]
  times <- tabulate(match(first, unique(first)))
  if (!any(times > 1L)) {
    return(NULL)
  }
  top <- utils::head(order(-times), report_sample)
  keys <- flat_frame(picked_columns(pairing[[side]], columns, unique(first)[top]))
  html_table(cbind(keys, "unmatched rows" = times[top]),
    sprintf("Most frequent unmatched keys in %s", pairing$labels[side_number(side)]),
    marks = FALSE
  )
}

unmatched_sample <- function(pairing, side, reasons) {
  rows <- reasons$rows[[side]]
  label <- pairing$labels[side_number(side)]
  if (!length(rows$row)) {
    has_rows <- pairing$sizes[side_number(side)] > 0
    return(htmltools::tags$p(sprintf(
      if (has_rows) "All rows of %s have a partner." else "%s has no rows.", label
    )))
  }
  few <- utils::head(rows$row, report_sample)
  frame <- flat_frame(gather_rows(pairing[[side]], few))
  table <- cbind(row = few, reason = reasons$counts$reason[utils::head(rows$reason,
    report_sample
  )], frame)
  names(table)[-(1:2)] <- names(frame)
  caption <- sprintf("%s of %s unmatched%s", counted(length(rows$row), "row"), label,
    if (length(rows$row) > report_sample) ", the first ten" else ""
  )
  folded_away(caption, html_table(table, caption, marks = FALSE))
}

near_miss_table <- function(pairing, found) {
  if (!nrow(found)) {
    return(htmltools::tags$p("No unmatched key has a likely partner."))
  }
  columns <- c("from", "to", "reason", "sureness", "left_rows", "via")
  table <- as.data.frame(unclass(found)[columns])
  names(table) <- c(pairing$labels, "reason", "sureness", "rows", "match them by via =")
  if (all(is.na(found$via))) table <- table[-6L]
  shown <- utils::head(table, 30L)
  html_table(shown, sprintf("Near misses: %s with a likely partner%s",
    counted(nrow(table), "unmatched key"),
    if (nrow(table) > 30L) ", the first thirty" else ""
  ))
}

# where the pairs' columns of one name disagree, a few cells of each
differences_section <- function(pairing, rows) {
  shared <- shared_columns(pairing)
  if (!length(shared) || !pairing$counts$pairs) {
    return(NULL)
  }
  if (too_many_to_compare(pairing)) {
    return(section("differences", "Columns that both frames have",
      htmltools::tags$p(too_many_words(pairing))
    ))
  }
  found <- find_differences(pairing, list(left = shared, right = shared), 0)
  counts <- found$counts
  names(counts) <- c("column", "equal", "differ", paste("missing in", pairing$labels))
  total <- sum(lengths(found$cells))
  cells <- if (rows && total) difference_cells(found, seq_along(shared), TRUE, report_sample)
  if (!is.null(cells)) {
    names(cells)[length(cells) - 1:0] <- pairing$labels
    names(cells)[1:2] <- paste("row of", pairing$labels)
  }
  section("differences", "Columns that both frames have",
    bullets(difference_title(found)[1L]),
    html_table(counts, "Pairs whose values are equal, differ, or are missing on one side"),
    if (!is.null(cells)) {
      html_table(cells, sprintf("%s that %s not equal%s", counted(total, "cell"),
        if (total == 1L) "is" else "are",
        if (total > report_sample) ", the first ten" else ""
      ), marks = FALSE)
    }
  )
}

repeats_section <- function(pairing) {
  keys <- heavy_keys(pairing, report_sample)
  if (!length(pairing$key_rules) || !nrow(keys) || all(keys$pairs <= 1)) {
    return(NULL)
  }
  n <- length(keys)
  keys[n - 2:0] <- lapply(keys[n - 2:0], with_commas_each)
  names(keys)[n - 2:0] <- c(paste("rows of", pairing$labels), "pairs")
  section("repeats", "Keys with the most pairs", html_table(flat_frame(keys),
    "Rows of each frame that are paired, and their pairs", marks = FALSE
  ))
}

# the first rows of a left join, key columns first
result_section <- function(pairing, call) {
  total <- result_rows_of(pairing, "left")
  if (!total) {
    return(NULL)
  }
  some <- few_left_rows(pairing, min(report_sample, pairing$sizes[1L]), call)
  plan <- plan_frame(some, "left", default_choices, call)
  frame <- frame_made(some, plan, call)$frame
  frame <- own_rows(frame, seq_len(min(report_sample, nrow(frame))), call)
  keys <- intersect(rule_columns(pairing$key_rules, "left"), names(frame))
  columns <- c(keys, setdiff(names(frame), keys))
  section("result", "The first rows of the result", html_table(
    flat_frame(as_base_frame(as.list(frame)[columns], nrow(frame))),
    sprintf("rows = \"left\": %s of %s", counted(nrow(frame), "row"), with_commas(total)),
    marks = FALSE
  ))
}

result_rows_of <- function(pairing, rows) {
  counts <- counts_by_type(pairing)
  counts$result_rows[counts$rows == rows]
}

# The pairing of the first left rows alone, and of no more partners than are shown
few_left_rows <- function(pairing, n, call) {
  rows <- seq_len(n)
  lister <- partner_lister(pairing$matches)
  partners <- lapply(rows, function(row) utils::head(lister(row), report_sample))
  some <- unclass(pairing)
  some$matches <- matches_of_pairs(rep(rows, lengths(partners)),
    as.integer(unlist(partners)), c(n, pairing$sizes[2L])
  )
  some$left <- own_rows(pairing$left, rows, call)
  some$sizes[1L] <- n
  if (!is.null(some$turn)) some$turn$step <- some$turn$step[rows]
  counts <- count_all(some$matches)
  some$counts[names(counts)] <- counts
  some["candidates"] <- list(NULL)
  some
}

# the partners folded: the first rows
folded_for_report <- function(pairing, fold, call) {
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
  section("folded", "Partners folded", html_table(some, sprintf(
    "The first %s of %s, with what their partners in %s come to",
    counted(nrow(some), "row"), with_commas(nrow(frame)), pairing$labels[2L]
  )))
}

figures_section <- function(pairing, rows, call) {
  if (!has_svg()) {
    return(section("figures", "Figures", htmltools::tags$p(
      "There are none: this R can't draw them for a page (capabilities(\"cairo\"))."
    )))
  }
  views <- figures_for(pairing)
  # A timeline shows cells.
  if (!rows) views <- setdiff(views, "timeline")
  section("figures", "Figures", Map(function(view, number) {
    html_figure(draw_figure(view, pairing, call), number)
  }, views, seq_along(views)))
}

types_section <- function(pairing) {
  all <- union(names(pairing$left), names(pairing$right))
  used <- unlist(lapply(side_names, function(side) rule_columns(pairing$rules, side)))
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
  section("types", "Columns and types", html_table(table,
    "Other columns that both frames have are renamed by default"
  ))
}

repeat_section <- function(pairing, fold, command) {
  if (!is.null(command)) {
    return(section("repeat", "To repeat it", code_block(command)))
  }
  section("repeat", "To repeat it", code_block(c(
    if (any(pairing$code %in% side_names)) {
      "# `left` and `right` stand for the two frames"
    },
    values_code(c(list(pairing$where), fold)),
    pairing_code(pairing), building_code(fold)
  )))
}
