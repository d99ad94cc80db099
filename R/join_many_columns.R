# Which columns a join of many frames has. Names are settled over all frames
# at once. A plan is a list of column records:
#   list(name, how = "one" | "key" | "fill" | "agree" | function | "origin",
#        sources = c(frame = column, ...)); "update" too

plan_many <- function(frames, keys, collisions, pattern, origin, call) {
  if (!is.null(origin)) check_name(origin, "origin", call)
  names <- lapply(frames, names)
  collisions <- as_collisions(collisions,
    list(left = unlist(names), right = character()), call, usual = "rename",
    nowhere = "no frame"
  )
  check_many_collisions(collisions, call)
  check_reached(collisions, names(keys$columns), call)
  check_pattern(pattern, collisions, call, "{frame}")
  keys <- keys$columns
  own <- own_columns(names, keys)
  shared <- unique(unlist(own)[duplicated(unlist(own))])
  settle <- function(pattern) {
    parts <- lapply(names(frames), function(frame) {
      lapply(setdiff(names[[frame]], key_parts(keys, frame)), function(column) {
        plan_many_column(
          frame, column, names(frames), own, keys, shared, collisions, pattern, call
        )
      })
    })
    unlist(unlist(parts, recursive = FALSE), recursive = FALSE)
  }
  plan <- settle(pattern)
  check_many_names(plan, settle, origin, call)
  check_many_types(frames, plan, call)
  if (!is.null(origin)) {
    plan <- c(plan, list(list(name = origin, how = "origin")))
  }
  plan
}

# right columns that are part of an earlier frame's key column
key_parts <- function(keys, frame) {
  unlist(lapply(keys, function(sources) {
    sources[-1L][names(sources)[-1L] == frame]
  }))
}

# each frame's columns that are not keys
own_columns <- function(names, keys) {
  lapply(structure(names(names), names = names(names)), function(frame) {
    used <- unlist(lapply(keys, function(sources) {
      sources[names(sources) == frame]
    }))
    setdiff(names[[frame]], used)
  })
}

# One column's record; NULL for a later part of a merged column
plan_many_column <- function(frame, column, frames, own, keys, shared,
                             collisions, pattern, call) {
  sources <- keys[[column]]
  if (!is.null(sources) && names(sources)[1L] == frame) {
    return(list(list(name = column, how = "key", sources = sources)))
  }
  alone <- structure(column, names = frame)
  meets_key <- !is.null(sources)
  if (!column %in% shared || meets_key) {
    name <- if (meets_key) pattern_name(pattern, column, frame, "{frame}") else column
    return(list(list(name = name, how = "one", sources = alone)))
  }
  holders <- frames[vapply(own[frames], function(x) column %in% x, NA)]
  how <- collisions[[column]]
  if (is.null(how)) how <- collisions$.other
  if (identical(how, "stop")) {
    stop_ronda("collision",
      sprintf("%s have a column `%s` that is not a key.",
        listed(holders, "and"), column
      ),
      said("`collisions` is \"stop\": choose another value."),
      call = call
    )
  }
  if (identical(how, "rename")) {
    name <- pattern_name(pattern, column, frame, "{frame}")
    return(list(list(name = name, how = "one", sources = alone)))
  }
  if (frame != holders[1L]) {
    return(list())
  }
  all <- structure(rep(column, length(holders)), names = holders)
  if (identical(how, "left")) all <- all[1L]
  if (identical(how, "right")) all <- all[length(all)]
  if (length(all) == 1L) how <- "one"
  list(list(name = column, how = how, sources = all))
}

# Either both sides are renamed or none.
many_collisions <- setdiff(names(collision_kinds), c("rename_left", "rename_right"))

check_many_collisions <- function(collisions, call) {
  for (name in names(collisions)) {
    how <- collisions[[name]]
    if (is.character(how) && !how %in% many_collisions) {
      stop_argument(
        said("`collisions` can't be \"%s\" for many frames.", how),
        "Write \"rename\": every frame's column is named by the pattern.",
        call = call
      )
    }
  }
}

check_many_names <- function(plan, settle, origin, call) {
  names <- plan_names(plan)
  if (anyDuplicated(names)) {
    stop_name_taken(names, settle, sprintf("{frame}_%d.{column}", 2:4), call)
  }
  if (!is.null(origin) && origin %in% names) {
    stop_argument(
      said("`origin` can't be called `%s`: the result has that column.",
        origin
      ),
      "Choose a name that is free.",
      call = call
    )
  }
}

check_many_types <- function(frames, plan, call) {
  for (column in plan) {
    if (is.function(column$how) || column$how == "one") next
    columns <- many_sources(frames, column$sources)
    for (k in seq_along(columns)[-1L]) {
      if (has_common_type(columns[[1L]], columns[[k]]) ||
        column$how == "key" && key_columns_match(columns[[1L]], columns[[k]])) next
      if (column$how == "key") {
        stop_key_types(columns[[1L]], columns[[k]],
          list(left = column$sources[[1L]], right = column$sources[[k]]),
          call, names(columns)[c(1L, k)]
        )
      } else {
        stop_ronda("type",
          sprintf("`%s` of `%s` is %s and `%s` of `%s` is %s: they have no common type.",
            column$sources[1L], names(columns)[1L], type_word(columns[[1L]]),
            column$sources[k], names(columns)[k], type_word(columns[[k]])
          ),
          sprintf("Write %s to keep them apart.", setting("collisions", "rename")),
          call = call
        )
      }
    }
  }
}

many_sources <- function(frames, sources) {
  Map(function(frame, column) {
    .subset2(frames[[frame]], column)
  }, names(sources), sources)
}

make_many_column <- function(frames, column, lines, call) {
  if (identical(column$how, "origin")) {
    return(many_origin(lines))
  }
  columns <- many_sources(frames, column$sources)
  rows <- lines[names(column$sources)]
  if (is.function(column$how)) {
    return(fold_by_function(column, columns, rows, call))
  }
  switch(column$how,
    fill = ,
    update = ,
    replace = ,
    agree = fill_many(column, columns, rows, call),
    stop("make_many_column(): unknown ", column$how)
  )
}

many_origin <- function(lines) {
  held <- lapply(lines, function(rows) rows > 0L)
  code <- 0
  for (k in seq_along(held)) {
    code <- 2 * code + held[[k]]
    # ranks in place of codes, before these outgrow what a double holds
    if (k %% 20L == 0L) code <- match(code, unique(code))
  }
  first <- !duplicated(code)
  words <- vapply(which(first), function(line) {
    has <- vapply(held, `[`, NA, line)
    paste(names(lines)[has], collapse = "+")
  }, "")
  words[match(code, code[first])]
}

fold_by_function <- function(column, columns, rows, call) {
  values <- Map(slice_column, columns, rows, column$sources,
    MoreArgs = list(call = call)
  )
  n <- length(rows[[1L]])
  Reduce(function(left, right) {
    made_by_function(column, left, right, n, call)
  }, values)
}

# The first value that is there, in frame order, or for "update" the last; for "replace" that
# of the last frame that has the row
fill_many <- function(column, columns, rows, call) {
  values <- Map(slice_column, columns, rows, column$sources,
    MoreArgs = list(call = call)
  )
  x <- values[[1L]]
  held <- rows[[1L]] > 0L # (raw values are never missing, but their row may be)
  all <- seq_along(held)
  for (k in seq_along(values)[-1L]) {
    y <- values[[k]]
    common <- common_columns(x, y)
    if (identical(column$how, "agree")) {
      check_many_agree(column, x, y, common, held & rows[[k]] > 0L, call)
    }
    kind <- collision_kinds[[column$how]]
    right <- if (isTRUE(kind$right_first)) {
      (isTRUE(kind$absence) | !is_missing(common$right)) & rows[[k]] > 0L
    } else {
      is_missing(common$left) | !held
    }
    over <- lapply(common, attr, "not_int64")
    check_all_held(over, right, list(left = all, right = all), column, call)
    common <- without_not_int64(common)
    x <- patch_(common$left, as.integer(!right), common$right, all)
    held <- held | rows[[k]] > 0L
  }
  x
}

check_many_agree <- function(column, x, y, common, both, call) {
  differ <- which(both & !is_missing(common$left) & !is_missing(common$right) &
    unlike(common$left, common$right))
  if (!length(differ)) {
    return()
  }
  at <- differ[1L]
  stop_ronda("collision",
    sprintf("`%s` differs between frames in %s, first in row %d: %s.",
      column$name, counted(length(differ), "row"), at,
      listed(c(
        value_words(slice_column(x, at, column$name, call)),
        value_words(slice_column(y, at, column$name, call))
      ), "and")
    ),
    call = call
  )
}
