# What analysts get wrong with ordered rules, told in the receipt: units, ends,
# tolerances, time zones, intervals that hold nothing or meet each other. A note is a
# record of numbers first, list(kind, what its words need, count, ...): a pairing has the
# same notes whatever its rows, so that those of its parts add up.

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
  as.character(unlist(lapply(notes, function(note) {
    if (note$count > 0) note_words(note)
  })))
}

note_words <- function(note) {
  switch(note$kind,
    plain = note$text, missing = missing_words(note), interval = interval_words(note),
    several = several_intervals_words(note), end = end_words(note),
    outside = outside_words(note), hours = hour_words(note),
    stop("note_words(): unknown kind of note ", note$kind)
  )
}

# (a text that no row decides)
plain_notes <- function(texts) {
  lapply(texts, function(text) new_note("plain", 1, text = text))
}

# `found` is what matching gave: `groups`, or `keys` where sorted frames were walked
# through
ordered_notes <- function(pairing, plan, found) {
  notes <- lapply(seq_along(plan$parts), function(k) {
    part <- plan$parts[[k]]
    rule <- plan$rules[[k]]
    c(
      plain_notes(part$notes), interval_notes(pairing, part, rule),
      several_notes(pairing, part, rule)
    )
  })
  own <- lapply(plan$rules, function(rule) {
    notes_of <- kind_of(rule)$notes
    if (!is.null(notes_of)) notes_of(pairing, plan, found)
  })
  c(
    missing_notes(pairing, plan$rules), unlist(notes, recursive = FALSE),
    end_notes(pairing, plan, found$on_end), unlist(own, recursive = FALSE)
  )
}

# A column that is the only one of its side in a rule is a point, and without a value
# it matches nothing. (What a missing bound means depends.)
missing_notes <- function(pairing, rules) {
  columns <- unique(do.call(c, lapply(rules, function(rule) {
    columns <- side_columns(rule)
    sides <- vapply(columns, function(column) column$side, "")
    columns[sides %in% side_names[lengths(rule[side_names]) == 1L]]
  })))
  lapply(columns, function(column) {
    new_note("missing", missing_count(.subset2(pairing[[column$side]], column$name)),
      side = column$side, label = pairing$labels[side_number(column$side)],
      column = column$name
    )
  })
}

missing_words <- function(note) {
  sprintf("%s of %s %s no value in `%s`, and can't match.",
    counted(note$count, "row"), note$label, if (note$count == 1) "has" else "have",
    note$column
  )
}
