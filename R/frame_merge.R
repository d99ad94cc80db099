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
key_type_notes <- function(pairing, columns) {
  notes <- lapply(columns_from(columns, "key"), key_type_note, pairing)
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

# Columns of both frames made one ----------------------------------------------------

# Two columns of one name made one: collisions = "fill", "update", "replace", "agree" or a
# function.

# list(values, changed): the merged columns by name, and of those that are updated how
# many cells differ from the left's. Stops that depend on the data happen here, before
# any other column is made.
merge_columns <- function(pairing, columns, row_map, call) {
  columns <- columns_from(columns, "merge")
  if (!length(columns)) {
    return(list(values = NULL, changed = NULL))
  }
  values <- lapply(columns, function(column) {
    if (is.function(column$how)) {
      list(value = merge_by_function(pairing, column, row_map, call))
    } else {
      merge_by_fill(pairing, column, row_map, call)
    }
  })
  names(values) <- plan_names(columns)
  list(
    values = lapply(values, `[[`, "value"),
    changed = unlist(lapply(values, `[[`, "changed"))
  )
}

merge_by_function <- function(pairing, column, row_map, call) {
  left <- slice_column(.subset2(pairing$left, column$left), row_map$left,
    column$left, call
  )
  right <- slice_column(.subset2(pairing$right, column$right), row_map$right,
    column$right, call
  )
  made_by_function(column, left, right, row_map$n, call)
}

made_by_function <- function(column, left, right, n, call) {
  value <- run_theirs(column$how(left, right), "collision",
    said("The `collisions` function failed for `%s`", column$name), call
  )
  if (is.null(value) || NROW(value) != n) {
    stop_ronda("collision",
      said(
        "The `collisions` function gave %s for `%s`, not one value for each of %s.",
        if (is.null(value)) "NULL" else counted(NROW(value), "value"),
        column$name, counted(n, "row")
      ),
      call = call
    )
  }
  value
}

# list(value, changed)
merge_by_fill <- function(pairing, column, row_map, call) {
  x <- .subset2(pairing$left, column$left)
  y <- .subset2(pairing$right, column$right)
  kind <- collision_kinds[[column$how]]
  if (merge_plainly(x, y)) {
    made <- merge_values_(x, y, row_map$left, row_map$right, column$how)
    if (made$differ) check_agree(pairing, column, list(left = x, right = y), row_map, call)
    return(list(value = made$values, changed = if (isTRUE(kind$right_first)) made$changed))
  }
  common <- common_columns(x, y)
  if (isTRUE(kind$agree)) {
    check_agree(pairing, column, common, row_map, call)
  }
  over <- lapply(common, attr, "not_int64")
  common <- without_not_int64(common)
  value <- slice_column(common$left, row_map$left, column$left, call)
  right <- if (isTRUE(kind$right_first)) {
    there <- which(row_map$right > 0L)
    is_given <- logical(row_map$n)
    is_given[there] <- isTRUE(kind$absence) | !is_missing(common$right)[row_map$right[there]]
    is_given
  } else {
    # Raw values are never missing, but their row may be.
    is_missing(value) | row_is_absent(row_map, "left")
  }
  check_all_held(over, right, row_map, column, call)
  if (!any(right)) {
    return(list(value = value, changed = if (isTRUE(kind$right_first)) 0))
  }
  merged <- patch_(value, as.integer(!right), common$right, row_map$right)
  if (isTRUE(kind$right_first)) {
    both <- which(right & !row_is_absent(row_map, "left"))
    changed <- count_changes(value, merged, both, column, call)
  }
  list(value = merged, changed = if (isTRUE(kind$right_first)) changed)
}

# whether two columns are plain vectors of one type
merge_plainly <- function(x, y) {
  typeof(x) == typeof(y) && is.null(attributes(x)) && is.null(attributes(y)) &&
    typeof(x) %in% c("logical", "integer", "double", "character")
}

row_is_absent <- function(row_map, side) {
  if (is.null(row_map[[side]])) logical(row_map$n) else row_map[[side]] == 0L
}

# how many of some cells have changed
count_changes <- function(before, after, at, column, call) {
  before <- slice_column(before, at, column$name, call)
  after <- slice_column(after, at, column$name, call)
  none <- is_missing(before)
  gone <- is_missing(after)
  sum(none != gone | !none & !gone & unlike(before, after), na.rm = TRUE) + 0
}

# Several right rows for one left row: it is not clear which one updates it.
check_one_partner <- function(pairing, plan, call) {
  if (!row_types[[plan$row_type]]$pairs) {
    return()
  }
  for (column in columns_from(plan$columns, "merge")) {
    kind <- if (!is.function(column$how)) collision_kinds[[column$how]]
    if (!isTRUE(kind$right_first)) next
    fault <- at_fault(pairing, "left", which(partner_counts(pairing$matches, "left") > 1L))
    stop_several_partners(column$name, column$how, fault, pairing$labels[1L], call)
  }
}

# `fault`: the left rows, as of at_fault()
stop_several_partners <- function(column, how, fault, label, call) {
  n <- length(fault$rows)
  stop_ronda("collision",
    said("`collisions` is \"%s\", and %s of `%s` %s more than one partner.", how,
      counted(n, "row"), frame_marks[1L], if (n == 1L) "has" else "have"
    ),
    sprintf("%s: %s", label, keys_at_fault(fault)),
    either("Write repeats = \"last\", \"first\" or highest(\"column\") to choose one.",
      "Write --repeats last, first or highest:COLUMN to choose one."
    ),
    call = call, data = list(column = column, left_rows = fault$rows, how = how, fault = fault)
  )
}

# numbers that the 64-bit column of the result can't hold
check_all_held <- function(over, from_right, row_map, column, call) {
  left <- if (is.null(row_map$left)) seq_along(from_right) else row_map$left
  left <- over$left[left[!from_right]]
  right <- over$right[row_map$right[from_right]]
  wrong <- c(left, right)
  wrong <- wrong[wrong != 0]
  if (length(wrong)) {
    stop_ronda("type",
      sprintf("`%s` holds %s, which a 64-bit integer can't hold.",
        column$name, value_texts(wrong[1L])
      ),
      said("Choose another value of `collisions` for this column."),
      call = call
    )
  }
}

# In blocks, so that a difference early on is found early on.
check_agree <- function(pairing, column, common, row_map, call) {
  n <- row_map$n
  block <- 1e6
  for (begin in seq(1, max(n, 1), by = block)) {
    at <- seq.int(begin, length.out = max(0, min(block, n - begin + 1)))
    rows <- list(
      left = if (is.null(row_map$left)) as.integer(at) else row_map$left[at],
      right = row_map$right[at]
    )
    x <- slice_column(common$left, rows$left, column$left, call)
    y <- slice_column(common$right, rows$right, column$right, call)
    both <- rows$left > 0L & rows$right > 0L
    differ <- which(both & !is_missing(x) & !is_missing(y) & unlike(x, y))
    if (length(differ)) stop_differ(pairing, column, rows, differ, call)
  }
}

stop_differ <- function(pairing, column, rows, differ, call) {
  left <- rows$left[differ]
  right <- rows$right[differ]
  words <- sprintf("row %s of `%s` has %s, row %s of `%s` has %s",
    row_words(numbers_of(pairing, "left", left[1L])), frame_marks[1L],
    value_words(slice_column(
      .subset2(pairing$left, column$left), left[1L], column$left, call
    )),
    row_words(numbers_of(pairing, "right", right[1L])), frame_marks[2L],
    value_words(slice_column(
      .subset2(pairing$right, column$right), right[1L], column$right, call
    ))
  )
  stop_differing(column$name, words, numbers_of(pairing, "left", left),
    numbers_of(pairing, "right", right), call
  )
}

# `words`: the first of the rows, in words
stop_differing <- function(name, words, left_rows, right_rows, call) {
  stop_ronda("collision",
    sprintf("`%s` differs between the frames in %s.", name,
      counted(length(left_rows), "row")
    ),
    words,
    sprintf("Write %s to see both columns.",
      setting("collisions", structure(list("rename"), names = name))
    ),
    call = call, data = list(
      column = name, words = words, left_rows = left_rows, right_rows = right_rows
    )
  )
}
