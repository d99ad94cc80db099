# What becomes of columns that both frames have: the values of `collisions`.

# What becomes of two columns of one name: which sides are renamed, or whose column is kept,
# or that the two become one (`right_first`: the right value, where there is one; with
# `absence` also where that is missing), with a check that they agree; or an error
collision_kinds <- list(
  rename = list(renames = c("left", "right")),
  rename_left = list(renames = "left"),
  rename_right = list(renames = "right"),
  left = list(keeps = "left"),
  right = list(keeps = "right"),
  fill = list(merges = TRUE),
  update = list(merges = TRUE, right_first = TRUE),
  replace = list(merges = TRUE, right_first = TRUE, absence = TRUE),
  agree = list(merges = TRUE, agree = TRUE),
  stop = list(stops = TRUE)
)

# list(.other = , column = ...)
as_collisions <- function(collisions, names, call, usual = "rename_right",
                          nowhere = "neither frame") {
  if (!is.list(collisions)) {
    check_collision(collisions, "collisions", call)
    return(list(.other = collisions))
  }
  columns <- names(collisions)
  if (length(columns) != length(collisions) || !all(nzchar(columns)) ||
    anyDuplicated(columns)) {
    stop_argument(
      said("A list in `collisions` needs a column name for each item."),
      "Write, for example: list(status = \"left\", .other = \"fill\")",
      call = call
    )
  }
  known <- union(names$left, names$right)
  for (column in setdiff(columns, ".other")) {
    if (!column %in% known) {
      near <- closest_name(column, known)
      stop_argument(
        said("`collisions` names `%s`, which is in %s.", column, nowhere),
        near,
        call = call
      )
    }
  }
  for (column in columns) {
    check_collision(collisions[[column]],
      sprintf("collisions$%s", column), call
    )
  }
  if (is.null(collisions$.other)) collisions$.other <- usual
  collisions
}

check_collision <- function(value, arg, call) {
  if (is.function(value)) {
    return()
  }
  if (!is_name(value) || !value %in% names(collision_kinds)) {
    near <- if (is_name(value)) {
      meant_choice(value, names(collision_kinds), "collisions")
    }
    stop_argument(
      sprintf("%s must be %s%s, not %s.", argument_said(arg),
        any_of(names(collision_kinds)), either(", or a function(left, right)", ""), shown(value)
      ),
      near,
      call = call
    )
  }
}

# `columns` are no collisions: keys, or used by a rule. One that has a way of its own is refused.
check_reached <- function(collisions, columns, call) {
  if (identical(names(collisions), ".other")) {
    return()
  }
  columns <- intersect(names(collisions), columns)
  if (length(columns)) {
    stop_argument(
      said("`collisions` has no effect on `%s`: a key, or a column that a rule uses.", columns[1L]),
      said("Its own column is kept, and what meets it is named by `name_pattern`. Leave it out."),
      call = call, data = list(column = columns[1L])
    )
  }
}

# whether some columns are renamed on both sides
renames_both <- function(collisions) {
  for (how in collisions) {
    if (is.character(how) && length(collision_kinds[[how]]$renames) > 1L) {
      return(TRUE)
    }
  }
  FALSE
}
