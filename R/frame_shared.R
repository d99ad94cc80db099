# The columns that `shared` of an interval rule adds: the stretch in which both intervals of a
# pair hold, and how long it is.

stretch_parts <- c("from", "to", "length")

stretch_columns <- function(rule) {
  lapply(seq_along(rule$shared), function(k) {
    list(name = rule$shared[k], from = "shared", part = stretch_parts[k], rule = rule)
  })
}

stretch_column <- function(pairing, column, row_map, call) {
  if (column$part != "length") {
    return(stretch_bound(pairing, column$rule, column$part, row_map))
  }
  bounds <- lapply(c("to", "from"), function(part) {
    stretch_bound(pairing, column$rule, part, row_map)
  })
  gap_of(bounds[[1L]], bounds[[2L]], FALSE, call)
}

# The later of two beginnings, or the earlier of two ends. What is missing is no bound.
stretch_bound <- function(pairing, rule, part, row_map) {
  column_of <- function(side) {
    names <- rule[[side]]
    list(side = side, name = if (part == "to") names[length(names)] else names[1L])
  }
  columns <- lapply(side_names, column_of)
  values <- lapply(columns, function(column) .subset2(pairing[[column$side]], column$name))
  typed <- typed_alike(values[[1L]], values[[2L]])
  common <- common_columns(typed$left, typed$right)
  found <- numbers_in_order(unname(typed), columns, rule$kind, FALSE, NULL)
  rows <- lapply(side_names, function(side) {
    if (is.null(row_map[[side]])) seq_len(row_map$n) else row_map[[side]]
  })
  numbers <- Map(function(x, at) gather_(engine_values(x), at), found$values, rows)
  pair <- if (part == "to") numbers else rev(numbers)
  right_cuts <- if (found$int64) int64_compare_(pair[[1L]], pair[[2L]]) > 0 else {
    pair[[1L]] > pair[[2L]]
  }
  no_bound <- lapply(numbers, missing_number, found$int64)
  takes_right <- no_bound[[1L]] | !no_bound[[2L]] & right_cuts
  alone <- rows[[1L]] == 0L | rows[[2L]] == 0L
  rows[[1L]][takes_right | alone] <- 0L
  rows[[2L]][alone] <- 0L
  gather_either_(common$left, rows[[1L]], common$right, rows[[2L]])
}

check_stretch <- function(shared, call) {
  good <- is.null(shared) || is.character(shared) && length(shared) %in% 2:3 &&
    !anyNA(shared) && all(nzchar(shared)) && !anyDuplicated(shared)
  if (!good) {
    stop_argument(
      said("`shared` must be two or three different names of new columns, not %s.",
        shown(shared)
      ),
      paste("Write, for example:", setting("shared", c("from", "to", "length"))),
      call = call
    )
  }
}

# what has a length is numbers and times
check_stretch_length <- function(pairing, rule, call) {
  if (length(rule$shared) < 3L) {
    return()
  }
  for (column in side_columns(rule)) {
    x <- .subset2(pairing[[column$side]], column$name)
    if (!is.null(type_of(x)) && !type_of(x)$measured) {
      stop_ronda("type",
        sprintf("%s is %s, which has no length.", place_of(column), type_word(x)),
        said("Leave out the third name of `shared`."),
        call = call
      )
    }
  }
}

# Folded ------------------------------------------------------------------------------

# In a fold these columns are the partners': what they hold depends on both rows, so the
# pairs stand in for the right rows then.

fold_of_pairs <- function(folds) any(vapply(folds, function(fold) fold$of_pairs, NA))

# the right frame without rows, and with these columns
no_pairs <- function(pairing, stretch, call) {
  taken <- intersect(plan_names(stretch), names(pairing$right))
  if (length(taken)) {
    stop_argument(
      said("%s can't add a column `%s`: `%s` has one.", argument_said("shared"), taken[1L],
        frame_marks[2L]
      ),
      "Choose a name that is free.",
      call = call
    )
  }
  with_stretch(pairing, stretch, names(pairing$right), list(
    left = integer(), right = integer(), n = 0L
  ), call)
}

with_stretch <- function(pairing, stretch, names, row_map, call) {
  own <- lapply(names, function(name) {
    slice_column(.subset2(pairing$right, name), row_map$right, name, call)
  })
  added <- lapply(stretch, function(column) stretch_column(pairing, column, row_map, call))
  frame_like(structure(c(own, added), names = c(names, plan_names(stretch))), row_map$n,
    pairing$right
  )
}

# A pairing whose right rows are the pairs themselves, with what the formulas ask of them
pairs_as_right <- function(pairing, folds, call) {
  stretch <- columns_added(pairing$rules, "shared")
  pairs <- all_pairs(pairing$matches)
  n <- length(pairs$right)
  used <- lapply(folds, function(fold) {
    if (is.null(fold$part$used$right) || uses_interpolated(fold$code)) names(pairing$right) else {
      fold$part$used$right
    }
  })
  columns <- intersect(names(pairing$right), unlist(used))
  pairing$right <- with_stretch(pairing, stretch, columns, c(pairs, n = n), call)
  pairing$sizes[2L] <- n
  pairing$matches <- matches_of_pairs(pairs$left, seq_len(n), pairing$sizes)
  pairing
}
