# What a line of near misses holds, and how its keys are written

no_misses <- function() {
  data.frame(
    from = character(), to = character(), reason = character(), sureness = numeric(),
    taken = logical(), column = character(), group = character(),
    left_row = integer(), right_row = integer(), left_rows = integer(),
    right_rows = integer(), via = character(), rank = numeric(),
    left_alone = logical(), right_alone = logical()
  )
}

most_keys <- 20000L

column_texts <- function(frame, column, rows) {
  readable(key_texts(slice_column(.subset2(frame, column), rows, column, NULL)))
}

shown_texts <- function(frame, column, rows) {
  value_texts(slice_column(.subset2(frame, column), rows, column, NULL))
}

# what other key columns hold: "Gull Quay / 2031-05-05"
group_texts <- function(pairing, rules, rows) {
  columns <- rule_columns(rules, "left")
  if (!length(columns)) {
    return(rep(NA_character_, length(rows)))
  }
  do.call(paste, c(unname(lapply(columns, column_texts, frame = pairing$left, rows = rows)),
    sep = " / "
  ))
}
