# The one column of a key: the left's values, and the right's where the left is absent.

# The values of a rule's key column in a result: the left's own where no right row
# stands alone; else the left's, and the right's where the left is absent, in the
# common type.
key_values <- function(pairing, rule, row_map, both_sides, call) {
  x <- .subset2(pairing$left, rule$left)
  if (!both_sides) {
    return(slice_column(x, row_map$left, rule$left, call))
  }
  y <- .subset2(pairing$right, rule$right)
  typed <- typed_alike(x, y)
  common <- common_columns(typed$left, typed$right)
  check_int64_range(common, row_map, rule, call)
  common <- without_not_int64(common)
  if (is.null(row_map$left)) {
    return(common$left)
  }
  gather_either_(common$left, row_map$left, common$right, row_map$right)
}

check_int64_range <- function(common, row_map, rule, call,
                              frames = frame_marks) {
  for (side in c("left", "right")) {
    not_int64 <- attr(common[[side]], "not_int64")
    if (is.null(not_int64)) next
    used <- if (side == "left") row_map$left else {
      row_map$right[if (is.null(row_map$left)) 0L else which(row_map$left == 0L)]
    }
    values <- if (is.null(used)) not_int64 else not_int64[used]
    if (any(values != 0)) {
      stop_ronda("type",
        sprintf(
          "`%s` of `%s` holds %s, which a 64-bit integer can't hold.",
          rule[[side]], frames[side_number(side)],
          value_texts(values[values != 0][1L])
        ),
        "The key column of the result is a 64-bit integer.",
        if (identical(frames, frame_marks)) {
          sprintf("Write %s to keep each side's own column.", setting("keys", "both"))
        } else {
          "Make the key text or double in all frames first."
        },
        call = call
      )
    }
  }
}

# What became of the keys' types where a column holds both sides' values
key_type_notes <- function(pairing, plan) {
  if (!row_types[[plan$row_type]]$right_alone) {
    return(NULL)
  }
  notes <- lapply(columns_from(plan$columns, "key"), key_type_note, pairing)
  unlist(notes, use.names = FALSE)
}

key_type_note <- function(column, pairing) {
  x <- .subset2(pairing$left, column$left)
  y <- .subset2(pairing$right, column$right)
  if (is.null(attributes(x)) && is.null(attributes(y)) && typeof(x) == typeof(y)) {
    return(NULL)
  }
  none <- unname(lapply(typed_alike(x, y), slice_column, integer(), column$name, NULL))
  common <- without_not_int64(do.call(common_columns, none))$left
  gained <- length(setdiff(levels(common), levels(x)))
  if (type_word(common) != type_word(x)) {
    sprintf("`%s` is %s in the result: it is %s in %s and %s in %s.", column$name,
      type_word(common), type_word(x), pairing$labels[1L], type_word(y),
      pairing$labels[2L]
    )
  } else if (gained) {
    sprintf("`%s` has %s more than in %s: those of %s.", column$name,
      counted(gained, "level"), pairing$labels[1L], pairing$labels[2L]
    )
  } else if (is.ordered(x) && !is.ordered(common)) {
    sprintf("The levels of `%s` have no order in the result, as in %s.",
      column$name, pairing$labels[2L]
    )
  }
}
