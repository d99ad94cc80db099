# Formulas of `fold` that the engine knows: one of a few calls on one plain right column.
# It gives what R gives for the partners' values, to the bit, and writes no pair out.

# The code of a formula as the engine knows it: list(by, column, na_rm); NULL where R has to
# run it.
fold_form <- function(code, right, environment) {
  code <- without_brackets(code)
  form <- form_of(code)
  if (is.null(form)) {
    return(NULL)
  }
  known <- c("left", "right", form$column, "na.rm", if (form$by == "interpolated") form$by)
  for (word in all.names(code, unique = TRUE)) {
    if (!word %in% known && !is_base_function(word, environment)) {
      return(NULL)
    }
  }
  if (is.null(form$column)) {
    return(form)
  }
  column <- plain_column(right, form$column)
  if (!is.null(column) && is_foldable(column, form$by)) form
}

form_of <- function(code) {
  if (!is.call(code) || !is.name(code[[1L]])) {
    return(NULL)
  }
  inner <- if (length(code) > 1L) without_brackets(code[[2L]])
  switch(as.character(code[[1L]]),
    nrow = if (identical(code, quote(nrow(right)))) new_form("rows"),
    length = length_form(inner, code),
    `[` = element_form(inner, code),
    sum = , mean = , min = , max = , any = , all = summary_form(inner, code),
    interpolated = interpolated_form(inner, code)
  )
}

new_form <- function(by, column = NULL, na_rm = FALSE) {
  list(by = by, column = column, na_rm = na_rm)
}

# the name in right$name or right[["name"]]
right_column <- function(code) {
  named <- named_column(code)
  if (identical(named$side, "right")) named$name
}

length_form <- function(inner, code) {
  if (length(code) != 2L) {
    return(NULL)
  }
  column <- right_column(inner)
  if (!is.null(column)) {
    return(new_form("rows", column))
  }
  if (is.call(inner) && identical(inner[[1L]], quote(unique)) && length(inner) == 2L) {
    column <- right_column(inner[[2L]])
    if (!is.null(column)) new_form("distinct", column)
  }
}

# the first element, or the last
element_form <- function(inner, code) {
  column <- right_column(inner)
  if (is.null(column) || length(code) != 3L) {
    return(NULL)
  }
  place <- without_brackets(code[[3L]])
  is_length <- is.call(place) && length(place) == 2L &&
    identical(place[[1L]], quote(length)) && identical(right_column(place[[2L]]), column)
  if (identical(place, 1) || identical(place, 1L)) {
    new_form("first", column)
  } else if (is_length || identical(place, quote(nrow(right)))) {
    new_form("last", column)
  }
}

summary_form <- function(inner, code) {
  column <- right_column(inner)
  more <- as.list(code)[-(1:2)]
  good <- !length(more) ||
    length(more) == 1L && identical(names(more), "na.rm") &&
      (isTRUE(more[[1L]]) || isFALSE(more[[1L]]))
  if (!is.null(column) && good && !any(nzchar(names(code)[2L]))) {
    new_form(as.character(code[[1L]]), column, length(more) && more[[1L]])
  }
}

# interpolated(right$height), with or without what becomes of one neighbour alone
interpolated_form <- function(inner, code) {
  column <- right_column(inner)
  more <- as.list(code)[-(1:2)]
  good <- !length(more) || identical(names(more), "alone") && more$alone %in% one_neighbour_words
  if (!is.null(column) && good && !any(nzchar(names(code)[2L]))) {
    c(new_form("interpolated", column), alone = identical(more$alone, "value"))
  }
}

# whether the engine knows what R makes of such a column
is_foldable <- function(x, by) {
  if (!is_positional(x) || !is.null(names(x))) {
    return(FALSE)
  }
  class <- oldClass(x)
  is_number <- typeof(x) %in% c("integer", "double", "logical")
  is_time <- identical(class, "Date") || identical(class, c("POSIXct", "POSIXt")) ||
    identical(class, "difftime")
  switch(by,
    rows = TRUE,
    first = , last = is.atomic(x),
    interpolated = is_interpolable(x),
    any = , all = is.logical(x) && is.null(class),
    sum = is_number && (is.null(class) || identical(class, "difftime")),
    distinct = is.factor(x) || is_time || is.null(class) && (is_number || is.character(x)),
    is_number && (is.null(class) || is_time)
  )
}

# What the engine is given of a form
fold_spec <- function(form, right) {
  x <- if (!is.null(form$column)) .subset2(right, form$column)
  list(
    by = form$by, na_rm = form$na_rm,
    values = switch(form$by,
      rows = , first = , last = NULL,
      distinct = distinct_codes(x),
      strip_class(x)
    )
  )
}

# a number for each different value, as unique() tells them apart (0 and 1: what is
# missing and NaN)
distinct_codes <- function(x) {
  blank <- is.na(x)
  kind <- if (is.character(x)) "text" else if (is.double(x)) "real" else "int32"
  first <- group_rows_(list(engine_values(x)), engine_kinds[[kind]], FALSE)
  if (is.null(first)) first <- seq_along(x)
  first <- first + 1L
  first[blank] <- 0L
  if (is.double(x)) first[is.nan(strip_class(x))] <- 1L
  first
}

# What the engine gave, in the type of `like`, a value that R gave; NULL where the two types
# differ.
fold_column <- function(found, form, like, right) {
  values <- found$values
  if (form$by %in% c("first", "last")) {
    return(slice_column(.subset2(right, form$column), values, form$column, NULL))
  }
  if (form$by %in% c("min", "max") && is.integer(like) && found$no_value == 0) {
    values <- as.integer(values)
  }
  if (typeof(values) != typeof(like) && !(is.double(values) && is.integer(like))) {
    return(NULL)
  }
  if (!is.null(attributes(like))) attributes(values) <- attributes(like)
  values
}

# Those that the engine knows; of one column one after the other, so that its values are
# fetched once
known_folds <- function(folds) {
  folds <- Filter(function(fold) !is.null(fold$form) && fold$form$by != "interpolated", folds)
  if (length(folds) < 2L) {
    return(folds)
  }
  columns <- vapply(folds, function(fold) paste0("", fold$form$column), "")
  folds[order(columns, method = "radix")]
}

fold_specs <- function(folds, right) {
  lapply(unname(folds), function(fold) fold_spec(fold$form, right))
}

# The plan of a folded frame ---------------------------------------------------------

# The plan of a folded frame: its formulas, checked, and its columns.

# The formulas, each list(name, code, environment, part, form, of_pairs): `form` is what the
# engine is asked, NULL where R runs the formula once a left row; `of_pairs`, whether it asks
# for a column that the pairs have, not the right rows.
as_folds <- function(fold, pairing, call) {
  check_fold(fold, call)
  stretch <- columns_added(pairing$rules, "shared")
  frames <- pairing[side_names]
  if (length(stretch)) frames$right <- no_pairs(pairing, stretch, call)
  for (name in names(fold)) {
    code <- fold[[name]][[2L]]
    environment <- environment(fold[[name]])
    check_where_columns(code, frames, call)
    fold[[name]] <- list(
      name = name, code = code, environment = environment,
      part = formula_part(code, environment),
      form = fold_form(code, frames$right, environment)
    )
    used <- fold[[name]]$part$used$right
    fold[[name]]$of_pairs <- length(stretch) &&
      (is.null(used) || any(plan_names(stretch) %in% used))
    check_interpolated(fold[[name]], pairing, call)
  }
  fold
}

check_fold <- function(fold, call) {
  names <- names(fold)
  good <- is.list(fold) && length(fold) && length(names) == length(fold) &&
    !anyNA(names) && all(nzchar(names))
  if (!good) {
    stop_argument(
      said("`fold` must be a list of formulas by column name, not %s.", shown(fold)),
      paste("Write, for example:", setting("fold", list(rows = ~ nrow(right)))),
      call = call
    )
  }
  for (name in names) {
    formula <- fold[[name]]
    if (!inherits(formula, "formula") || length(formula) != 2L) {
      stop_argument(
        said("`%s` of `fold` must be a one-sided formula, not %s.", name,
          shown(formula)
        ),
        either("`right` is a frame, the partners of a row; `left` is the row itself.", NULL),
        paste("Write, for example:", setting("fold",
          structure(list(~ nrow(right)), names = name)
        )),
        call = call
      )
    }
  }
  again <- anyDuplicated(names)
  if (again) {
    stop_argument(said("`fold` names `%s` twice.", names[again]), call = call)
  }
}

# The plan of a folded frame: the left columns, then what the formulas make
plan_fold <- function(pairing, rows, choices, call) {
  check_fold_company(rows, choices, call)
  folds <- as_folds(choices$fold, pairing, call)
  columns <- c(
    plain_columns(names(pairing$left), "left"),
    lapply(folds, function(fold) list(name = fold$name, from = "fold")),
    if (!is.null(choices$origin)) list(list(name = choices$origin, from = "origin")),
    row_number_columns(choices$row_numbers, TRUE)
  )
  names <- plan_names(columns)
  taken <- anyDuplicated(names)
  if (taken) {
    stop_ronda("collision",
      sprintf("Two columns of the result would be called `%s`.", names[taken]),
      "Choose another name for what is folded.",
      call = call, data = list(column = names[taken])
    )
  }
  names(columns) <- names
  check_fold_absent(choices$if_absent, folds, call)
  list(
    columns = columns, row_type = rows, row_order = choices$row_order, folds = folds,
    if_absent = choices$if_absent
  )
}

check_fold_company <- function(rows, choices, call) {
  if (is.null(folded_row_types[[rows]])) {
    stop_argument(
      said("`rows` must be \"left\" or \"inner\" beside `fold`, not %s.", shown(rows)),
      "A folded frame has one row for each left row, or for each that has partners.",
      call = call
    )
  }
  check_word(choices$row_order, "row_order", call)
  if (!is.null(choices$origin)) check_name(choices$origin, "origin", call)
  if (!is.null(choices$row_numbers)) check_row_numbers(choices$row_numbers, call)
  for (name in c("take", "omit", "partners", "keys", "collisions", "row_order")) {
    keeps_order <- name == "row_order" && choices$row_order == "keys"
    if (!identical(choices[[name]], default_choices[[name]]) && !keeps_order) {
      stop_argument(
        said("%s has no meaning beside `fold`.", argument_said(name)),
        "A folded frame has the left frame's columns and what the formulas make.",
        call = call
      )
    }
  }
}

check_fold_absent <- function(values, folds, call) {
  if (is.null(values)) {
    return()
  }
  check_absent_list(values, call)
  known <- c(plan_names(folds), ".other")
  unknown <- setdiff(names(values), known)
  if (length(unknown)) {
    stop_argument(
      said("`if_absent` names `%s`, which `fold` doesn't make.", unknown[1L]),
      closest_name(unknown[1L], known),
      call = call
    )
  }
}
