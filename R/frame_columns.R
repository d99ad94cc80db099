# Which columns a result has and what they are called. A plan is a list of
# column records in result order, by name, each list(name, from, left, right, how):
#   from "left" or "right"  that frame's column
#   from "key"              both sides' column in one, in the common type
#   from "merge"            two columns of one name made one, `how` says how
# Nothing here looks at a row, so names and types can't depend on the data.

plan_columns <- function(pairing, rows, choices, call) {
  keys <- choices$keys
  check_word(keys, "keys", call)
  names <- list(left = names(pairing$left), right = names(pairing$right))
  collisions <- as_collisions(choices$collisions, names, call)
  check_pattern(choices$name_pattern, collisions, call)
  if (row_types[[rows]]$one_sided) {
    return(plain_columns(names$left, "left"))
  }
  if (keys == "one" && is.null(choices$take) && is.null(choices$omit)) {
    plan <- plan_distinct(pairing, rows, call)
    if (!is.null(plan)) {
      check_reached(collisions, columns_in_rules(pairing), call)
      return(plan)
    }
  }
  choice <- choose_columns(pairing, names, choices$take, choices$omit, keys,
    call
  )
  settle <- function(pattern) {
    settle_names(pairing, choice, keys, collisions, pattern, call)
  }
  check_reached(collisions, columns_in_rules(pairing, if (keys == "one") choice), call)
  plan <- settle(choices$name_pattern)
  names <- plan_names(plan)
  if (anyDuplicated(names)) {
    others <- sprintf("{side}_%d.{column}", 2:4)
    own <- if (!renames_both(collisions)) paste0(make.names(pairing$labels[2L]), ".{column}")
    stop_name_taken(names, settle, c(own, others), call)
  }
  for (column in plan) {
    if (column$from == "key" || column$from == "merge") {
      check_common_type(column, pairing, rows, call)
    }
  }
  plan
}

# Columns that no policy applies to: left columns of any rule and right keys, unless `take`
# brings a key like another column
columns_in_rules <- function(pairing, choice = NULL) {
  fixed <- rule_columns(pairing$rules, "left")
  met <- intersect(choice$right$new, choice$left$new[!choice$left$old %in% fixed])
  setdiff(c(fixed, right_key_columns(pairing)), met)
}

plan_names <- function(columns) {
  names <- character(length(columns))
  for (k in seq_along(columns)) names[k] <- columns[[k]]$name
  names
}

columns_from <- function(columns, source) {
  is_from <- logical(length(columns))
  for (k in seq_along(columns)) is_from[k] <- columns[[k]]$from == source
  columns[is_from]
}

# The common case, in short: all columns, of which no two are called alike.
# NULL when some are.
plan_distinct <- function(pairing, rows, call) {
  names <- list(left = names(pairing$left), right = names(pairing$right))
  rules <- pairing$key_rules
  if (length(rules) > 1L) rules <- one_rule_per_key(pairing)
  keys <- partners <- character(length(rules))
  for (k in seq_along(rules)) {
    keys[k] <- rules[[k]]$left
    partners[k] <- rules[[k]]$right
  }
  plan <- distinct_columns_(names$left, names$right, keys, partners)
  if (is.null(plan)) {
    return(NULL)
  }
  for (k in seq_along(rules)) {
    if (is.null(rules[[k]]$plain_kind)) {
      check_common_type(plan[[match(keys[k], names$left)]], pairing, rows, call)
    }
  }
  plan
}

# columns of one side, under their own names or new ones
plain_columns <- function(columns, side, names = columns) {
  fields <- c("name", "from", side)
  plan <- vector("list", length(columns))
  for (k in seq_along(columns)) {
    column <- list(names[k], side, columns[k])
    names(column) <- fields
    plan[[k]] <- column
  }
  plan
}

# Columns that hold values of both sides need a type for both. (Where no right row
# stands alone the key is the left frame's own.)
check_common_type <- function(column, pairing, rows, call) {
  if (is.function(column$how) || column$from == "key" && !row_types[[rows]]$right_alone) {
    return()
  }
  x <- .subset2(pairing$left, column$left)
  y <- .subset2(pairing$right, column$right)
  check_values(x, column$left, frame_marks[1L], call)
  check_values(y, column$right, frame_marks[2L], call)
  if (has_common_type(x, y) || column$from == "key" && key_columns_match(x, y)) {
    return()
  }
  stop_ronda("type",
    sprintf(
      "`%s` of `%s` is %s and `%s` of `%s` is %s: they have no common type.",
      column$left, frame_marks[1L], type_word(x), column$right, frame_marks[2L],
      type_word(y)
    ),
    if (column$from == "key") {
      sprintf("Write %s to get a column of each side.", setting("keys", "both"))
    } else {
      said("Choose another value of `collisions` for `%s`.", column$name)
    },
    call = call, data = list(column = column$name, types = c(type_word(x), type_word(y)))
  )
}

# Where both sides' columns are renamed the pattern has to tell them apart. `side`: what
# stands in it for a side, or a frame of many.
check_pattern <- function(pattern, collisions, call, side = "{side}") {
  both <- renames_both(collisions)
  holds <- is_name(pattern) && grepl("{column}", pattern, fixed = TRUE) &&
    (!both || grepl(side, pattern, fixed = TRUE))
  if (!holds) {
    needed <- c("{column}", if (both) side)
    stop_argument(
      said("`name_pattern` must hold %s, not %s.", listed(needed, "and"),
        shown(pattern)
      ),
      if (both) {
        sprintf("Columns of both frames are renamed: %s.", setting("collisions", "rename"))
      },
      paste("Write, for example:", setting("name_pattern",
        if (both) paste0(side, ".{column}") else "other_{column}"
      )),
      call = call
    )
  }
}

pattern_name <- function(pattern, column, side, mark = "{side}") {
  name <- gsub("{column}", "\001", pattern, fixed = TRUE)
  name <- gsub(mark, side, name, fixed = TRUE)
  gsub("\001", column, name, fixed = TRUE)
}

# The plan of the columns, in order
settle_names <- function(pairing, choice, keys, collisions, pattern, call) {
  left <- choice$left
  right <- choice$right
  fixed <- rule_columns(pairing$rules, "left")
  right_keys <- always_right(pairing, keys)
  merges <- list()
  merged <- integer()
  for (k in which(right$new %in% left$new)) {
    at <- match(right$new[k], left$new)
    name <- right$new[k]
    how <- if (left$old[at] %in% fixed || right$old[k] %in% right_keys) {
      "rename_right"
    } else if (is.null(collisions[[name]])) {
      collisions$.other
    } else {
      collisions[[name]]
    }
    kind <- if (!is.function(how)) collision_kinds[[how]]
    if (isTRUE(kind$stops)) stop_collision(name, call)
    if (is.null(kind$renames)) {
      merges[[name]] <- list(how = how, right = right$old[k])
      merged[[name]] <- k
      next
    }
    for (side in kind$renames) {
      by_hand <- if (side == "left") left$by_hand[at] else right$by_hand[k]
      if (by_hand) stop_chosen_name(name, how, call)
      new <- pattern_name(pattern, name, pairing$sides[side_number(side)])
      if (side == "left") left$new[at] <- new else right$new[k] <- new
    }
  }
  c(plan_left(pairing, left, merges, keys), plan_right(right, merged))
}

plan_left <- function(pairing, left, merges, keys) {
  plan <- plain_columns(left$old, "left", left$new)
  for (rule in if (keys == "one") one_rule_per_key(pairing)) {
    for (k in which(left$old == rule$left)) {
      plan[[k]] <- list(name = left$new[k], from = "key", left = rule$left,
        right = rule$right
      )
    }
  }
  for (name in names(merges)) {
    k <- match(name, left$new)
    plan[[k]] <- merged_column(name, left$old[k], merges[[name]])
  }
  plan
}

merged_column <- function(name, left, merge) {
  how <- merge$how
  sides <- list(left = left, right = merge$right)
  kept <- if (!is.function(how)) collision_kinds[[how]]$keeps
  if (is.null(kept)) {
    return(c(list(name = name, from = "merge"), sides, list(how = how)))
  }
  c(list(name = name, from = kept), sides[kept], list(merged = TRUE))
}

plan_right <- function(right, merged) {
  comes <- !seq_along(right$old) %in% merged
  plain_columns(right$old[comes], "right", right$new[comes])
}

stop_collision <- function(name, call) {
  stop_ronda("collision",
    sprintf("Both frames have a column `%s` that is not a key.", name),
    said("`collisions` is \"stop\": choose another value, or rename with `take`."),
    call = call, data = list(column = name)
  )
}

stop_chosen_name <- function(name, how, call) {
  stop_ronda("collision",
    said("`take` names a column `%s`, but the other frame has one too.",
      name
    ),
    said("A name chosen in `take` is never changed."),
    said("Choose another name, or a value of `collisions` that keeps this one."),
    call = call, data = list(column = name)
  )
}

# settle(pattern) gives the plan under another pattern, so that the advice is known to work.
stop_name_taken <- function(names, settle, patterns, call) {
  name <- names[duplicated(names)][1L]
  free <- Find(function(pattern) {
    !anyDuplicated(plan_names(settle(pattern)))
  }, patterns)
  stop_ronda("collision",
    sprintf("Two columns of the result would be called `%s`.", name),
    if (is.null(free)) {
      said("Rename one of them with `take`, or leave it out with `omit`.")
    } else {
      paste("Write:", setting("name_pattern", free))
    },
    call = call, data = list(column = name)
  )
}

# A result of one side has only that side's row numbers.
row_number_columns <- function(names, one_sided) {
  if (is.null(names)) {
    return(NULL)
  }
  columns <- Map(function(name, side) {
    list(name = name, from = "row_numbers", side = side)
  }, names, side_names[seq_along(names)])
  if (one_sided) columns[-2L] else columns
}
