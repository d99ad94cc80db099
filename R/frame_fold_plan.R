# The plan of a folded frame: its formulas, checked, and its columns.

# The formulas, each list(name, code, environment, part, form): `form` is what the engine
# is asked, NULL where R runs the formula once a left row.
as_folds <- function(fold, pairing, call) {
  check_fold(fold, call)
  frames <- pairing[side_names]
  for (name in names(fold)) {
    code <- fold[[name]][[2L]]
    environment <- environment(fold[[name]])
    check_where_columns(code, frames, call)
    fold[[name]] <- list(
      name = name, code = code, environment = environment,
      part = formula_part(code, environment),
      form = fold_form(code, pairing$right, environment)
    )
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
        "`right` is a frame, the partners of a row; `left` is the row itself.",
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
