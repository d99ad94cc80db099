# Columns and frames picked by row number; row 0 is a row of missing values.

# rows NULL: all of them, as they are
slice_column <- function(x, rows, name, call) {
  if (is.null(rows)) {
    return(x)
  }
  if (is_positional(x)) {
    return(gather_(x, rows))
  }
  if (!is.object(x)) {
    return(slice_array(x, rows))
  }
  if (is.data.frame(x)) {
    return(slice_frame(x, rows, call))
  }
  slice_object(x, rows, name, call)
}

# Whether values are picked by position, and attributes stay: for the classes of types that
# is what their own `[` does, only faster.
is_positional <- function(x) {
  is.null(dim(x)) && if (is.object(x)) {
    all(oldClass(x) %in% type_classes$all)
  } else {
    is_plain_vector(x)
  }
}

is_plain_vector <- function(x) {
  is.atomic(x) && !is.null(x) || typeof(x) == "list"
}

# a matrix or array: its rows
slice_array <- function(x, rows) {
  rows[rows == 0L] <- NA
  if (length(dim(x)) == 1L) {
    return(x[rows])
  }
  places <- rep(list(TRUE), length(dim(x)) - 1L)
  do.call(`[`, c(list(x, rows), places, list(drop = FALSE)))
}

slice_frame <- function(x, rows, call) {
  columns <- lapply(names(x), function(name) {
    slice_column(.subset2(x, name), rows, name, call)
  })
  kept <- attributes(x)
  kept$row.names <- .set_row_names(length(rows))
  attributes(columns) <- kept
  columns
}

# An unknown class: by its own `[` where it has one
slice_object <- function(x, rows, name, call) {
  if (!has_own_subset(x)) {
    if (!is.null(dim(x))) {
      kept <- attributes(x)
      value <- slice_array(unclass(x), rows)
      kept$dim <- dim(value)
      kept$dimnames <- dimnames(value)
      attributes(value) <- kept
      return(value)
    }
    return(gather_(x, rows))
  }
  rows[rows == 0L] <- NA
  value <- tryCatch(
    if (length(dim(x)) > 1L) slice_array(x, rows) else x[rows],
    error = function(e) e
  )
  if (inherits(value, "error") || NROW(value) != length(rows)) {
    stop_ronda("type",
      sprintf("Column `%s` (%s) can't give the rows asked for.", name,
        type_word(x)
      ),
      if (inherits(value, "error")) conditionMessage(value),
      "Its class needs a method for `[` that takes row numbers and NA.",
      call = call
    )
  }
  value
}

# `[` would drop the class of an S4 object without a method of its own.
has_own_subset <- function(x) {
  if (isS4(x) && !is.primitive(methods::selectMethod("[", class(x)))) {
    return(TRUE)
  }
  for (class in if (isS4(x)) methods::is(x) else oldClass(x)) {
    if (!is.null(utils::getS3method("[", class, optional = TRUE))) {
      return(TRUE)
    }
  }
  FALSE
}

# Frames ------------------------------------------------------------------

as_base_frame <- function(columns, n) {
  attributes(columns) <- list(
    names = as.character(names(columns)), class = "data.frame",
    row.names = .set_row_names(n)
  )
  columns
}

# A frame of `like`'s class: names, row numbers and class only. A class that
# keeps more in its attributes can't be had that way, so its nearest plain
# parent stands in.
frame_like <- function(columns, n, like) {
  attributes(columns) <- list(
    names = as.character(names(columns)), class = plain_class(like),
    row.names = .set_row_names(n)
  )
  columns
}

plain_class <- function(like) {
  class <- oldClass(like)
  if (identical(class, "data.frame")) {
    return(class)
  }
  more <- setdiff(names(attributes(like)), c("names", "row.names", "class"))
  if (!length(more) && !isS4(like)) {
    return(class)
  }
  if ("tbl_df" %in% class) c("tbl_df", "tbl", "data.frame") else "data.frame"
}

own_rows <- function(frame, rows, call) {
  columns <- lapply(names(frame), function(name) {
    slice_column(.subset2(frame, name), rows, name, call)
  })
  names(columns) <- names(frame)
  frame_like(columns, length(rows), frame)
}

# Some rows of some columns, as a plain frame
picked_columns <- function(frame, columns, rows) {
  values <- lapply(columns, function(column) {
    slice_column(.subset2(frame, column), rows, column, NULL)
  })
  names(values) <- columns
  as_base_frame(values, length(rows))
}

gather_rows <- function(frame, rows) picked_columns(frame, names(frame), rows)

# parts of one column below each other
one_column <- function(parts) {
  whole <- unlist(lapply(parts, strip_class), use.names = FALSE)
  attributes(whole) <- attributes(parts[[1L]])
  whole
}

# the columns of several frames below each other, by name
columns_below <- function(frames, names) {
  columns <- lapply(names, function(name) one_column(lapply(frames, `[[`, name)))
  structure(columns, names = names)
}

# "`port` = \"Gull Quay\" and `day` = 2031-05-01" for one row
key_words <- function(frame, columns, row) {
  words <- vapply(columns, function(column) {
    value <- slice_column(.subset2(frame, column), row, column, NULL)
    sprintf("`%s` = %s", column, value_words(value))
  }, "")
  paste(words, collapse = " and ")
}
