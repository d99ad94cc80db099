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
  c(notes, end_notes(pairing, plan, found$on_end), own)
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
