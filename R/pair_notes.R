# What analysts get wrong with ordered rules, told in the receipt: units, ends,
# tolerances, time zones, intervals that hold nothing or meet each other.

# `found` is what matching gave: `groups`, or `keys` where sorted frames were walked
# through
ordered_notes <- function(pairing, plan, found) {
  notes <- lapply(seq_along(plan$parts), function(k) {
    part <- plan$parts[[k]]
    rule <- plan$rules[[k]]
    c(
      part$notes, interval_notes(pairing, part, rule),
      several_notes(pairing, part, rule)
    )
  })
  own <- lapply(plan$rules, function(rule) {
    notes_of <- kind_of(rule)$notes
    if (!is.null(notes_of)) notes_of(pairing, plan, found)
  })
  as.character(unlist(c(
    missing_notes(pairing, plan$rules), notes,
    end_notes(pairing, plan, found$on_end), own
  )))
}

# A column that is the only one of its side in a rule is a point, and without a value
# it matches nothing. (What a missing bound means depends.)
missing_notes <- function(pairing, rules) {
  columns <- unique(do.call(c, lapply(rules, function(rule) {
    columns <- side_columns(rule)
    sides <- vapply(columns, function(column) column$side, "")
    columns[sides %in% side_names[lengths(rule[side_names]) == 1L]]
  })))
  unlist(lapply(columns, function(column) {
    count <- sum(is_missing(.subset2(pairing[[column$side]], column$name)))
    if (count) {
      sprintf("%s of %s %s no value in `%s`, and can't match.",
        counted(count, "row"), pairing$labels[side_number(column$side)],
        if (count == 1L) "has" else "have", column$name
      )
    }
  }))
}
