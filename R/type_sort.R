# The order of rows by columns of key types.

# The order of rows by some columns of key types: stable, text in C order,
# factors by level, missing values last.
sort_rows <- function(columns, descending = logical(length(columns))) {
  sort_by(lapply(columns, sortable_values), vapply(columns, sort_kind, 0L), descending)
}

sortable_values <- function(x) if (is.factor(x)) factor_codes(x) else x

# the same for columns as the engine takes them
sort_by <- function(columns, kinds, descending) {
  text <- kinds == engine_kinds[["text"]]
  columns[text] <- lapply(columns[text], utf8_text_)
  sort_rows_(columns, kinds, descending)
}

sort_kind <- function(x) {
  kind <- if (is_int64(x)) "int64" else switch(typeof(x),
    character = "text",
    double = "real",
    "int32"
  )
  engine_kinds[[kind]]
}
