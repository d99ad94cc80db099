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
  figures <- report_figures(pairing, call)
  list(
    began = began,
    title = sprintf("%s with %s", pairing$labels[1L], pairing$labels[2L]),
    status = report_status(pairing), lead = paste0(account_line(pairing), "."),
    opening = list(figures("overlap", brief = TRUE), opening_bullets(pairing, reasons)),
    sections = list(
      next_section(pairing, found, misses),
      unmatched_section(pairing, reasons, misses, rows, figures),
      repeats_section(pairing, rows, figures), axis_section(pairing, rows, figures),
      differences_section(pairing, rows, figures), types_of_join_section(pairing, figures),
      if (rows) result_section(pairing, call), folded, types_section(pairing),
      repeat_section(pairing, fold, command)
    )
  )
}

# A function of the names of figures, which draws those that the pairing has; `brief` ones
# are low, without a title
report_figures <- function(pairing, call) {
  drawn <- new.env(parent = emptyenv())
  drawn$number <- 0L
  function(views, brief = FALSE) {
    lapply(intersect(views, figures_for(pairing)), function(view) {
      drawn$number <- drawn$number + 1L
      figure <- draw_figure(view, pairing, call)
      if (brief) figure <- figure + ggplot2::labs(title = NULL, subtitle = NULL)
      html_figure(figure, drawn$number, if (brief) 3 else 4.4)
    })
  }
}

# The finding in one line
report_status <- function(pairing) {
  counts <- pairing$counts
  paste0(status_of(pairing), if (counts$pairs > 0 && counts$most_left <= 1L &&
    counts$matched_left < pairing$sizes[1L]) " Nothing multiplies.")
}

most_opening_bullets <- 3L

# What else matters, by weight: the rows that it is about. The rest is folded away.
opening_bullets <- function(pairing, reasons) {
  said <- verdict_of(pairing, reasons)
  notes <- notes_of(pairing)
  texts <- c(said$lost, said$several, said$expected, notes)
  alone <- 1 - c(pairing$counts$matched_left, pairing$counts$matched_right) /
    pmax(pairing$sizes, 1)
  # unmatched rows of the right frame are often as they should be
  weights <- c(
    (alone * c(2, 0.2))[alone > 0][seq_along(said$lost)],
    rep(several_left(pairing) / max(pairing$sizes[1L], 1), length(said$several)),
    rep(0.01, length(said$expected)), rep(0.3, length(notes))
  )
  texts <- texts[order(-weights)]
  first <- seq_len(min(most_opening_bullets, length(texts)))
  list(
    bullets(texts[first]),
    folded_away("All counts", if (length(texts) > length(first)) bullets(texts[-first]),
      html_table(account_in_words(pairing), "Rows of both frames")
    )
  )
}

# What to do, as diagnose() found it: steps that match more rows, and the whole call
next_section <- function(pairing, found, misses) {
  taken <- steps_taken(pairing, list(), found)
  steps <- step_table(taken$steps)
  matched <- taken$pairing$counts$matched_left
  # Then no correction, which is a cell of the data, stands in the call.
  taken$pairing$hidden <- pairing$hidden
  section("next", "What to do",
    paragraphs(next_words(pairing, taken, misses)),
    if (nrow(steps)) {
      names(steps) <- c("step", sprintf("more rows of %s match", pairing$labels[1L]))
      html_table(steps, "Steps, each tried on top of the others")
    },
    if (pairing$counts$pairs > 0 || nrow(steps)) list(
      paragraphs(sprintf("%s, which matches %s of %s:",
        if (nrow(steps)) "All of it in one call" else "The call, with what holds today as `expect`",
        with_commas(matched), counted(pairing$sizes[1L], "row")
      )),
      code_block(diagnosed_call(taken))
    )
  )
}

next_words <- function(pairing, taken, misses) {
  sizes <- pairing$sizes
  empty <- which(sizes == 0L)
  if (length(empty)) {
    return(sprintf("%s has no rows: look at where it is read or filtered.",
      pairing$labels[empty]
    ))
  }
  alone <- sizes[1L] - pairing$counts$matched_left
  row <- if (alone) unmatched(pairing$matches, "left")[1L]
  c(
    if (pairing$counts$matched_left < sizes[1L] / 2) better_key_words(pairing),
    if (alone && !length(taken$steps)) {
      "No step that was tried (cleaning, correcting, reaching farther) matches more rows."
    },
    if (alone) {
      paste(either(
        sprintf("`explain_row(pairing, left = %d)` says why the first of them found none.", row),
        sprintf("`ronda explain --left %d` says why the first of them found none.", row)
      ), if (any(can_be_reviewed(misses, rule_columns(pairing$key_rules, "left")))) either(
        "`write_review(near_misses(pairing), \"review.html\")` is a page to decide on near misses.",
        "`ronda review` makes a page to decide on near misses."
      ))
    } else if (pairing$counts$most_left > 1L) {
      sprintf(paste("To keep one row for each row of %s: `%s`, or sum the partners up",
        "by `%s`."
      ), pairing$labels[1L], setting("repeats", "first"), either("fold =", "--fold"))
    } else {
      "Nothing needs to be done: add the `expect` below so that a later change fails loudly."
    }
  )
}

# columns that share more values than the key columns do
better_key_words <- function(pairing) {
  if (!length(pairing$key_rules)) {
    return(NULL)
  }
  found <- utils::head(key_candidates(pairing[side_names])$candidates, 1L)
  best <- candidate_table(found)
  columns <- function(rules) lapply(side_names, function(side) sort(rule_columns(rules, side)))
  is_other <- length(found) && !identical(columns(found[[1L]]$rules), columns(pairing$key_rules))
  if (is_other && best$left_found[1L] > pairing$counts$matched_left / pairing$sizes[1L] + 0.1) {
    sprintf("Another key meets more: `%s %s` is found for %s of %s.", either("on =", "--on"),
      best$on[1L], whole_percent(best$left_found[1L]), pairing$labels[1L]
    )
  }
}

unmatched_section <- function(pairing, reasons, misses, rows, figures) {
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
  section("unmatched", "What did not match", figures("reasons"),
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
differences_section <- function(pairing, rows, figures) {
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
    bullets(difference_title(found)[1L]), figures("differences"),
    html_table(counts, "Pairs whose values are equal, differ, or are missing on one side"),
    if (!is.null(cells)) {
      html_table(cells, sprintf("%s that %s not equal%s", counted(total, "cell"),
        if (total == 1L) "is" else "are",
        if (total > report_sample) ", the first ten" else ""
      ), marks = FALSE)
    }
  )
}

repeats_section <- function(pairing, rows, figures) {
  if (!pairing$counts$pairs || all(account_frame(pairing)$several == 0)) {
    return(NULL)
  }
  keys <- if (length(pairing$key_rules)) heavy_keys(pairing, report_sample)
  heavy <- rows && NROW(keys) > 0L && any(keys$pairs > 1)
  if (heavy) {
    n <- length(keys)
    keys[n - 2:0] <- lapply(keys[n - 2:0], with_commas_each)
    names(keys)[n - 2:0] <- c(paste("rows of", pairing$labels), "pairs")
  }
  section("repeats", "What repeats", figures("repeats"), if (heavy) html_table(flat_frame(keys),
    "Keys with the most pairs: rows of each frame that are paired", marks = FALSE
  ))
}

# along time, or another axis of an ordered rule; what lies on that axis are cells
axis_section <- function(pairing, rows, figures) {
  windows <- !is.null(timeline_rule(pairing)) && pairing$counts$most_left > 1L
  drawn <- figures(c(if (rows) "timeline", "gaps", if (rows) c("periods", if (windows) "folds")))
  if (length(drawn)) section("axis", "Along the axis", drawn)
}

types_of_join_section <- function(pairing, figures) {
  section("joins", "What each join type gives", figures("join_types"),
    html_table(totals_in_words(pairing), "Rows of the result")
  )
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
