# Everything about a result that does not depend on rows, checked: its columns, its row
# type and its order. (The caller has checked `rows` itself.)

plan_frame <- function(pairing, rows, choices, call) {
  if (!row_types[[rows]]$one_sided && identical(choices, default_choices)) {
    plan <- if (!has_other_rules(pairing)) plan_distinct(pairing, rows, call)
    if (!is.null(plan)) {
      return(list(columns = plan, row_type = rows, row_order = "left"))
    }
  }
  if (!is.null(choices$fold)) {
    return(plan_fold(pairing, rows, choices, call))
  }
  check_choices(rows, choices, call)
  plan <- plan_columns(pairing, rows, choices, call)
  added <- added_columns(pairing, rows, choices)
  plan <- c(plan, added)
  names(plan) <- plan_names(plan)
  if (length(added)) check_added_names(plan, call)
  list(
    columns = plan, row_type = rows, row_order = choices$row_order,
    if_absent = as_if_absent(choices$if_absent, plan, pairing, call)
  )
}

check_choices <- function(rows, choices, call) {
  check_word(choices$row_order, "row_order", call)
  if (!is.null(choices$origin)) check_name(choices$origin, "origin", call)
  if (!is.null(choices$partners)) check_name(choices$partners, "partners", call)
  if (!is.null(choices$row_numbers)) check_row_numbers(choices$row_numbers, call)
  if (row_types[[rows]]$one_sided) check_one_sided(rows, choices, call)
}

check_one_sided <- function(rows, choices, call) {
  given <- !vapply(choices[c("take", "omit", "origin", "if_absent")], is.null, NA)
  given <- c(given, row_order = choices$row_order == "right")
  if (any(given)) {
    stop_argument(
      sprintf("%s has no meaning for %s.", argument_said(names(given)[given][1L]),
        setting("rows", rows)
      ),
      "Such a result has the left frame's rows and columns only.",
      call = call
    )
  }
}

# whether some rule is not same()
has_other_rules <- function(pairing) length(pairing$key_rules) != length(pairing$rules)

added_columns <- function(pairing, rows, choices) {
  c(
    if (has_other_rules(pairing) && !row_types[[rows]]$one_sided) columns_added(pairing$rules),
    if (!is.null(choices$partners)) {
      list(list(name = choices$partners, from = "partners"))
    },
    if (!is.null(choices$origin)) {
      list(list(name = choices$origin, from = "origin"))
    },
    row_number_columns(choices$row_numbers, row_types[[rows]]$one_sided)
  )
}

check_added_names <- function(plan, call) {
  again <- anyDuplicated(names(plan))
  if (again) {
    column <- plan[[again]]
    stop_argument(
      sprintf("`%s` can't be called `%s`: the result has that column.",
        column$from, column$name
      ),
      "Choose a name that is free.",
      call = call
    )
  }
}
