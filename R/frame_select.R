# Which columns come: `take` and `omit`.

# list(left, right): of each the old names, the new ones and whether the analyst
# chose these
choose_columns <- function(pairing, names, take, omit, keys, call) {
  if (!is.null(take) && !is.null(omit)) {
    stop_argument(said("`take` and `omit` can't be given both."),
      "Name the columns to bring, or those to do without.",
      call = call
    )
  }
  take <- by_side(take, names, "take", call)
  omit <- by_side(omit, names, "omit", call)
  right <- names$right
  if (keys == "one") {
    right <- right[!right %in% rule_columns(one_rule_per_key(pairing), "right")]
  }
  list(
    left = choose_side(names$left, take$left, omit$left, always_left(pairing)),
    right = choose_side(right, take$right, omit$right, always_right(pairing, keys))
  )
}

# the left key columns that come whatever `take` says
always_left <- function(pairing) {
  turns <- turns_of(pairing$rules)
  if (is.null(turns)) rule_columns(pairing$key_rules, "left") else turns$left
}

# the right key columns that come whatever `take` says
always_right <- function(pairing, keys) {
  comes <- keys == "both" || !is.null(turns_of(pairing$rules))
  if (comes) right_key_columns(pairing) else character()
}

# the right columns that are keys, of each step of in_turn() too
right_key_columns <- function(pairing) {
  turns <- turns_of(pairing$rules)
  if (is.null(turns)) rule_columns(pairing$key_rules, "right") else turns$right
}

choose_side <- function(names, take, omit, always) {
  if (is.null(take)) {
    if (!is.null(omit)) names <- names[!names %in% setdiff(omit, always)]
    return(chosen(names, names, FALSE))
  }
  take <- with_the_rest(take, names)
  new <- names(take)
  if (is.null(new)) new <- rep("", length(take))
  first <- names[names %in% always & !names %in% take]
  named <- nzchar(new)
  new[!named] <- take[!named]
  chosen(c(first, take), c(first, new), c(logical(length(first)), named))
}

# `take` with `.rest = TRUE` in it: all columns that it does not name, in its place
is_rest <- function(take) {
  if (is.null(names(take))) logical(length(take)) else names(take) == ".rest"
}

with_the_rest <- function(take, names) {
  at <- which(is_rest(take))
  if (!length(at)) {
    return(take)
  }
  others <- setdiff(names, take[-at])
  names(others) <- rep("", length(others))
  rest <- if (take[[at]] == "TRUE") others
  c(take[seq_len(at - 1L)], rest, take[-seq_len(at)])
}

chosen <- function(old, new, by_hand) {
  list(
    old = as.character(old), new = as.character(new),
    by_hand = rep_len(by_hand, length(old))
  )
}

by_side <- function(columns, names, arg, call) {
  if (is.null(columns)) {
    return(list())
  }
  if (!is.list(columns)) columns <- list(right = columns)
  # c(.rest = TRUE) alone is not character.
  columns <- lapply(columns, function(chosen) {
    if (is.logical(chosen) && all(is_rest(chosen)) && length(chosen)) {
      return(structure(as.character(chosen), names = names(chosen)))
    }
    chosen
  })
  sides <- names(columns)
  good <- length(sides) == length(columns) &&
    all(sides %in% c("left", "right")) && !anyDuplicated(sides)
  if (!good) {
    stop_argument(
      paste0(argument_said(arg), " must be column names",
        either(", or list(left = , right = ) of them.", ".")
      ),
      paste("Write, for example:", if (arg == "take") {
        either("take = c(new = \"old\", .rest = TRUE)", "--take new=old,.rest")
      } else {
        setting(arg, c("one", "another"))
      }),
      call = call, data = list(no_names = TRUE, argument = arg)
    )
  }
  for (side in sides) {
    named <- columns[[side]]
    rest <- if (arg == "take") is_rest(named) else FALSE
    if (any(rest)) {
      check_rest(named[rest], call)
      named <- named[!rest]
    }
    check_names_known(named, names[[side]], frame_mark(side), arg, call)
    check_names_once(named, arg, call)
  }
  columns
}

check_rest <- function(rest, call) {
  if (length(rest) != 1L || !rest[[1L]] %in% c("TRUE", "FALSE")) {
    stop_argument(
      said("`.rest` in `take` must be TRUE or FALSE, once, not %s.",
        if (length(rest) == 1L) shown(rest[[1L]]) else "several times"
      ),
      paste("Write, for example:", either(
        "take = c(new = \"old\", .rest = TRUE)", "--take new=old,.rest"
      )),
      call = call
    )
  }
}

check_names_known <- function(columns, names, side, arg, call) {
  if (is.null(columns)) {
    return()
  }
  if (!is.character(columns) || anyNA(columns)) {
    stop_argument(
      sprintf("%s must be column names of `%s`, not %s.", argument_said(arg), side,
        shown(columns)
      ),
      call = call, data = list(no_names = TRUE, argument = arg)
    )
  }
  unknown <- columns[!columns %in% names]
  if (length(unknown)) {
    stop_argument(
      sprintf("`%s` has no column `%s`, which %s names.", side,
        shortened(unknown[[1L]], 80L), argument_said(arg)
      ),
      columns_hint(unknown[[1L]], names),
      call = call
    )
  }
}

# `take` may bring a column twice, under two names.
check_names_once <- function(columns, arg, call) {
  new <- names(columns)
  chosen <- columns
  if (!is.null(new)) chosen[nzchar(new)] <- new[nzchar(new)]
  if (anyDuplicated(chosen)) {
    twice <- unique(chosen[duplicated(chosen)])
    stop_ronda("collision",
      sprintf("`%s` has two columns called %s.", arg, ticked(twice)),
      "Give each its own name, or name it once.",
      call = call
    )
  }
}

# Names in both frames ---------------------------------------------------------------

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
      paste("Write, for example:", setting("collisions", list(status = "left", .other = "fill"))),
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

# `columns` don't collide, as they are keys or used by a rule. A policy for one of them is
# refused.
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

# Columns that are added -------------------------------------------------------------

# What a frame is to be built with: the usual choices, and what plain and folded frames
# share of their checks.

# what the verbs choose when nothing is said, which needs no check
default_choices <- list(
  take = NULL, omit = NULL, fold = NULL, keys = "one", collisions = "rename_right",
  name_pattern = "{side}.{column}", origin = NULL, partners = NULL,
  row_numbers = NULL, if_absent = NULL, row_order = "left"
)

check_row_numbers <- function(names, call) {
  good <- is.character(names) && length(names) == 2L && !anyNA(names) &&
    all(nzchar(names)) && names[1L] != names[2L]
  if (!good) {
    stop_argument(
      said("`row_numbers` must be two different names, not %s.", shown(names)),
      paste("Write, for example:", setting("row_numbers", c("left_row", "right_row"))),
      call = call
    )
  }
}
