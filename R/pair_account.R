# What is counted about a pairing. Nothing here expands a pair.

# Counts of the candidates, before `repeats` chooses among them: pairs, matched_left
# and matched_right (rows with a partner), most_left and most_right (the most partners
# of a row of that side), on_both (some key repeats on both sides), missing_left and
# missing_right (rows with a missing key), repeated (whether keys repeat on the left
# and on the right: for same() rules alone the frames' keys, else the candidates'), and
# candidates_left and candidates_right: rows that had a candidate (right: NA where not
# all were tried).
candidate_counts <- function(found, keys) {
  counts <- found$counts
  if (is.null(counts)) counts <- count_matches(found$matches, keys)
  for (side in names(found$turn$keyless)) {
    counts[[paste0("missing_", side)]] <- sum(found$turn$keyless[[side]]) + 0
  }
  counts$candidates_left <- counts$matched_left
  tried <- found$candidates
  counts$candidates_right <- if (is.null(tried)) {
    counts$matched_right
  } else if (tried < 0) {
    NA_real_
  } else {
    tried
  }
  counts
}

count_matches <- function(matches, keys) {
  counts <- count_all(matches)
  keyed <- length(keys$kinds) > 0L
  counts$missing_left <- if (keyed) count_missing_(keys$left, keys$kinds) else 0
  counts$missing_right <-
    if (keyed) count_missing_(keys$right, keys$kinds) else 0
  counts$repeated <-
    c(left = counts$most_right > 1L, right = counts$most_left > 1L)
  counts
}

key_shapes <- c("one-to-one", "one-to-many", "many-to-one", "many-to-many")

key_shape_of <- function(counts) {
  key_shapes[1L + counts$repeated[["right"]] + 2L * counts$repeated[["left"]]]
}

# rows that had a candidate but no pair
passed_over <- function(counts, side) {
  counts[[paste0("candidates_", side)]] - counts[[paste0("matched_", side)]]
}

# The account ------------------------------------------------------------------------

# The account of a pairing: what receipts, prints and reports say of it.

account_of <- function(pairing, several = several_left(pairing)) {
  counts <- pairing$counts
  sizes <- pairing$sizes
  list(
    labels = pairing$labels, sides = pairing$sides,
    rows_left = sizes[1L], rows_right = sizes[2L],
    matched_left = counts$matched_left, matched_right = counts$matched_right,
    unmatched_left = sizes[1L] - counts$matched_left,
    unmatched_right = sizes[2L] - counts$matched_right,
    passed_over_left = passed_over(counts, "left"),
    passed_over_right = passed_over(counts, "right"),
    pairs = counts$pairs, several_left = several, most_left = counts$most_left,
    missing_left = counts$missing_left, missing_right = counts$missing_right,
    key_shape = key_shape_of(counts),
    row_names_left_behind = pairing$row_names,
    notes = pairing$notes
  )
}

# how many left rows have several partners
several_left <- function(pairing) {
  if (pairing$counts$most_left > 1L) several_partners(pairing$matches) else 0
}

# how many rows a left join makes
left_join_rows <- function(pairing) {
  pairing$counts$pairs + pairing$sizes[1L] - pairing$counts$matched_left
}

# What is worst about a pairing, in one line
status_of <- function(pairing) {
  counts <- pairing$counts
  rows <- pairing$sizes
  labels <- pairing$labels
  empty <- which(rows == 0L)
  lines <- left_join_rows(pairing)
  if (length(empty)) {
    sprintf("%s has no rows.", labels[empty[1L]])
  } else if (!counts$pairs) {
    sprintf("Nothing pairs: none of the %s of %s has a partner in %s.", counted(rows[1L], "row"),
      labels[1L], labels[2L]
    )
  } else if (key_shape_of(counts) == "many-to-many" && counts$most_left > 1L) {
    sprintf("Rows multiply: %s of %s become %s (%s%s).", with_commas(rows[1L]), labels[1L],
      with_commas(lines), either("\u00d7", "x"), format_number(signif(lines / rows[1L], 3L))
    )
  } else if (counts$matched_left < rows[1L]) {
    sprintf("%s of %s %s unmatched: %s of %s.",
      percent_of(rows[1L] - counts$matched_left, rows[1L]), labels[1L],
      if (rows[1L] - counts$matched_left == 1) "is" else "are",
      with_commas(rows[1L] - counts$matched_left), counted(rows[1L], "row")
    )
  } else if (counts$most_left > 1L) {
    sprintf("Every row of %s has a partner in %s, up to %s.", labels[1L], labels[2L],
      with_commas(counts$most_left)
    )
  } else {
    sprintf("Sound: every row of %s has exactly one partner in %s.", labels[1L], labels[2L])
  }
}

# One line a frame; matched + unmatched = rows
account_frame <- function(pairing) {
  counts <- pairing$counts
  matched <- c(counts$matched_left, counts$matched_right)
  data.frame(
    frame = pairing$labels, rows = pairing$sizes, matched = matched,
    unmatched = pairing$sizes - matched,
    missing = c(counts$missing_left, counts$missing_right),
    several = vapply(side_names, function(side) {
      as.integer(several_of(pairing$matches, side))
    }, 1L, USE.NAMES = FALSE)
  )
}

# What a receipt is made of, with the times of the call. A clock is the times at which
# stages ended, by name, the start first.
receipt_parts <- function(pairing, clock, built = NULL) {
  several <- built$several
  if (is.null(several)) several <- several_left(pairing)
  list(
    labels = pairing$labels, sides = pairing$sides, sizes = pairing$sizes,
    counts = pairing$counts, row_names = pairing$row_names, notes = pairing$notes,
    several = several, clock = clock, built = built
  )
}

# what a receipt will count of a result that is not made yet
counts_to_come <- function(pairing, rows) {
  if (is.null(rows)) {
    return(NULL)
  }
  counts <- counts_built(pairing, rows, pairing$folds)
  c(list(rows = rows, result_rows = Reduce(`+`, counts)), counts)
}

receipt_of_call <- function(latest) {
  built <- latest$built
  latest$notes <- c(latest$notes, built$notes, changed_words(built$changed, latest))
  structure(
    c(
      account_of(latest, latest$several),
      if (!is.null(built)) {
        c(
          list(rows = built$rows, result_rows = built$n + 0),
          counts_built(latest, built$rows, built$folded),
          if (!is.null(built$folded)) list(folded = built$folded),
          if (!is.null(built$changed)) list(cells_changed = built$changed)
        )
      },
      list(failed = isTRUE(latest$failed), seconds = seconds_of(latest$clock))
    ),
    class = "ronda_receipt"
  )
}

# what collisions = "update" changed
changed_words <- function(changed, pairing) {
  if (length(changed)) {
    sprintf("`%s`: %s changed to what %s has.", names(changed),
      vapply(changed, counted, "", one = "cell"), pairing$labels[2L]
    )
  }
}

seconds_of <- function(clock) clock[-1L] - clock[-length(clock)]

line_of_receipt <- function(account) {
  if (account$rows == split_rows) split_line(account) else receipt_line(account)
}

receipt_line <- function(account) {
  parts <- c(
    sprintf("%s paired%s", with_commas(account$paired), folded_words(account)),
    alone_words(account$left_alone, account$labels[1L]),
    alone_words(account$right_alone, account$labels[2L])
  )
  counts <- c(account$paired, account$left_alone, account$right_alone)
  if (all(counts == 0)) {
    parts <- ""
  } else {
    parts <- paste0(": ", paste(parts[counts > 0], collapse = ", "))
  }
  sprintf("%s %s, %s %s %s %s%s%s",
    with_commas(account$rows_left), account$labels[1L],
    with_commas(account$rows_right), account$labels[2L],
    symbol_arrow(), counted(account$result_rows, "row"), parts,
    multiplied_words(account)
  )
}

alone_words <- function(n, label) {
  if (n == 1) sprintf("1 row only in %s", label) else sprintf("%s %s alone", with_commas(n), label)
}

folded_words <- function(account) {
  if (is.null(account$folded)) "" else sprintf(" (%s folded)", counted(account$folded, "pair"))
}

# a line for left rows that come several times in the result
multiplied_words <- function(account) {
  n <- account$several_left
  if (n == 0 || !is.null(account$folded) || !row_types[[account$rows]]$pairs) {
    return("")
  }
  sprintf("; %s of %s %s %s partners", counted(n, "row"), account$labels[1L],
    if (n == 1) "has" else "have up to", with_commas(account$most_left)
  )
}

# split_frames() builds three frames: all rows of both, in pieces
split_rows <- "split"

counts_built <- function(latest, rows, folded) {
  result_counts(latest$counts, latest$sizes, if (rows == split_rows) "full" else rows,
    if (is.null(folded)) row_types else folded_row_types
  )
}

split_line <- function(account) {
  parts <- c("matched", paste0(account$sides, "_alone"))
  counts <- c(account$paired, account$left_alone, account$right_alone)
  sprintf("%s %s, %s %s %s %s",
    with_commas(account$rows_left), account$labels[1L],
    with_commas(account$rows_right), account$labels[2L],
    symbol_arrow(),
    listed(sprintf("%s (%s)", parts, vapply(counts, counted, "", one = "row")), "and")
  )
}

row_name_words <- function(account) {
  if (any(account$row_names_left_behind)) {
    sprintf("Row names of %s were left behind: row_labels() keeps them.",
      listed(account$labels[account$row_names_left_behind], "and")
    )
  }
}

# Notes ------------------------------------------------------------------------------

# Notes in the receipt about what often goes wrong with ordered rules: units, ends,
# tolerances, time zones, empty or overlapping intervals. A note is a record with a count,
# list(kind, count, what its words need, ...), and every pairing by a rule has the same
# notes, so that those of its pieces add up.

# the notes of two parts of one pairing
added_notes <- function(one, other) {
  Map(function(one, other) {
    switch(one$kind,
      plain = one,
      outside = add_outside(one, other),
      hours = add_hours(one, other),
      add_counts(one, other)
    )
  }, one, other)
}

note_texts <- function(notes) {
  texts <- character()
  for (note in notes) {
    if (note$count > 0) texts <- c(texts, note_words(note))
  }
  texts
}

note_words <- function(note) {
  switch(note$kind,
    plain = note$text, missing = missing_words(note), interval = interval_words(note),
    several = several_intervals_words(note), end = end_words(note),
    outside = outside_words(note), hours = hour_words(note),
    stop("note_words(): unknown kind of note ", note$kind)
  )
}

# A note that doesn't depend on rows.
plain_notes <- function(texts) {
  if (length(texts)) lapply(texts, function(text) new_note("plain", 1, text = text))
}

# `found` is what matching gave: `groups`, or `keys` where sorted frames were walked
# through
ordered_notes <- function(pairing, plan, found) {
  notes <- missing_notes(pairing, plan$rules)
  own <- list()
  for (k in seq_along(plan$by_rule)) {
    part <- plan$by_rule[[k]]
    rule <- plan$rules[[k]]
    notes <- c(
      notes, plain_notes(part$notes),
      if (!is.null(part$intervals)) interval_notes(pairing, part, rule)
    )
    notes_of_kind <- kind_of(rule)$notes
    if (!is.null(notes_of_kind)) own <- c(own, notes_of_kind(pairing, plan, found))
  }
  has_ends <- any(lengths(lapply(plan$by_rule, `[[`, "intervals")) > 0L)
  c(notes, if (has_ends) end_notes(pairing, plan, found$on_end), own)
}

# A column that is the only one of its side in a rule is a point: without a value it can't
# match. What a missing bound means depends on the rule.
missing_notes <- function(pairing, rules) {
  notes <- list()
  for (rule in rules) {
    for (side in side_names) {
      column <- rule[[side]]
      if (length(column) != 1L) next
      notes[[paste(side, column)]] <- new_note("missing",
        missing_count(.subset2(pairing[[side]], column)), side = side,
        label = pairing$labels[side_number(side)], column = column
      )
    }
  }
  unname(notes)
}

missing_words <- function(note) {
  sprintf("%s of %s %s no value in `%s`, and can't match.",
    counted(note$count, "row"), note$label, if (note$count == 1) "has" else "have",
    note$column
  )
}
