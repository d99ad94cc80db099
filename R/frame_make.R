# The frame itself, from a pairing and a plan.

# The frame itself, with its receipt. `last`: nobody will ask the pairing for its pairs
# after this.
make_frame <- function(pairing, plan, clock, call, last = FALSE) {
  force(clock)
  type <- row_types[[plan$row_type]]
  made <- frame_made(unclass(pairing), plan, call, last)
  record_receipt(pairing, list(
    rows = plan$row_type, n = made$n, changed = made$changed, folded = made$folded,
    several = made$several,
    notes = if (type$right_alone) key_type_notes(pairing, plan$columns)
  ), c(clock, made$rows_done, columns = now_()), call, kept = !last && keeps_pairings())
  made$frame
}

# list(frame, n, changed, several, rows_done), of folded frames list(frame, n, folded). The
# row limit and stops that look at values come before anything is made.
frame_made <- function(pairing, plan, call, last = FALSE) {
  if (!is.null(plan$folds)) {
    return(folded_frame(pairing, plan, call))
  }
  # No limit is lower than this, unless one was given.
  if (pairing$counts$pairs + sum(pairing$sizes + 0) > least_limit ||
    !is.null(pairing$max_rows) || !is.null(max_rows_option())) {
    check_row_limit(pairing, plan$row_type, call)
  }
  if (pairing$counts$most_left > 1L) check_one_partner(pairing, plan, call)
  changed <- rows_done <- several <- NULL
  last <- last && !asks_pairs(plan)
  if (last && !is.null(pairing$candidates)) {
    release_rows_(rows_of_matches(pairing$candidates))
  }
  columns <- gather_at_once(pairing, plan, call)
  if (is.null(columns)) {
    row_map <- result_rows(pairing, plan$row_type)
    row_map <- order_rows(pairing, row_map, plan$row_order, call)
    if (last) {
      several <- several_left(pairing)
      release_matches(pairing, row_map)
    }
    rows_done <- c(rows = now_())
    if (row_map$n > long_rows) show_stage("Building columns", environment())
    columns <- make_columns(pairing, plan, row_map, call)
    changed <- columns$changed
    columns <- columns$columns
    n <- row_map$n
    release_row_map(pairing, row_map)
  } else {
    n <- columns$n
    columns <- columns$columns
  }
  names(columns) <- names(plan$columns)
  list(
    frame = frame_like(columns, n, pairing$left), n = n, changed = changed,
    several = several, rows_done = rows_done
  )
}

# whether some column is made of the pairs themselves
asks_pairs <- function(plan) {
  for (column in plan$columns) {
    if (column$from == "partners" || column$from == "step") {
      return(TRUE)
    }
  }
  FALSE
}

make_columns <- function(pairing, plan, row_map, call) {
  merged <- merge_columns(pairing, plan$columns, row_map, call)
  both_sides <- row_types[[plan$row_type]]$right_alone
  columns <- lapply(plan$columns, function(column) {
    value <- if (column$from == "merge") {
      merged$values[[column$name]]
    } else {
      make_column(pairing, column, row_map, both_sides, call)
    }
    if (length(plan$if_absent)) {
      set_absent(value, column, row_map, plan$if_absent)
    } else {
      value
    }
  })
  list(columns = columns, changed = merged$changed)
}

# `both_sides`: whether right rows stand alone, so that keys hold values of both
make_column <- function(pairing, column, row_map, both_sides, call) {
  switch(column$from,
    left = slice_column(.subset2(pairing$left, column$left), row_map$left,
      column$left, call
    ),
    right = slice_column(.subset2(pairing$right, column$right), row_map$right,
      column$right, call
    ),
    key = key_values(pairing, column, row_map, both_sides, call),
    partners = partner_column(pairing, row_map),
    gap = gap_column(pairing, column, row_map, call),
    shared = stretch_column(pairing, column, row_map, call),
    origin = origin_column(pairing, row_map),
    row_numbers = row_number_column(row_map, column$side),
    step = step_column(pairing, row_map),
    stop("make_column(): unknown source ", column$from)
  )
}

# the candidates of each left row, before `repeats` chose among them
partner_column <- function(pairing, row_map) {
  counts <- partner_counts(candidates_of(pairing), "left")
  if (is.null(row_map$left)) counts else gather_(counts, row_map$left)
}

# which step of in_turn() paired the row
step_column <- function(pairing, row_map) {
  steps <- pairing$turn$step
  steps[!is_matched(pairing$matches, "left")] <- NA
  if (is.null(row_map$left)) steps else gather_(steps, row_map$left)
}

origin_column <- function(pairing, row_map) {
  codes <- rep.int(3L, row_map$n)
  if (!is.null(row_map$left)) codes[row_map$left == 0L] <- 2L
  codes[row_map$right == 0L] <- 1L
  attributes(codes) <- list(levels = c(pairing$sides, "paired"), class = "factor")
  codes
}

gap_column <- function(pairing, column, row_map, call) {
  rule <- column$rule
  typed <- typed_alike(.subset2(pairing$left, rule$left), .subset2(pairing$right, rule$right))
  x <- slice_column(typed$left, row_map$left, rule$left, call)
  y <- slice_column(typed$right, row_map$right, rule$right, call)
  gap_of(x, y, rule$look == "ahead", call)
}

# All columns at once ----------------------------------------------------------------

# The columns of an inner or left join in left order, all in one pass over the pairs,
# or deferred until they are looked at.

# The columns of an inner or left join in left order, where each is plain values
# of one side: all in one pass over the pairs. (So are those of a semi join where no left
# row has several partners.) NULL where it takes more.
gather_at_once <- function(pairing, plan, call) {
  fits <- switch(plan$row_type,
    left = , inner = TRUE,
    semi = !has_ranges(pairing$matches) && !is_tally(pairing$matches),
    FALSE
  )
  if (!fits || plan$row_order != "left" || length(plan$if_absent)) {
    return(NULL)
  }
  columns <- plan$columns
  sources <- plain_sources_(columns, pairing$left, pairing$right)
  right <- logical(length(columns))
  for (k in seq_along(columns)) {
    column <- columns[[k]]
    right[k] <- column$from == "right"
    if (!is.null(sources[[k]])) next
    x <- plain_source(pairing, column)
    if (is.null(x)) {
      return(NULL)
    }
    sources[[k]] <- x
  }
  gather_columns_(pairing$matches, sources, right, plan$row_type == "left",
    wants_deferred(pairing, right)
  )
}

# what a column is taken from, where its values are picked by position
plain_source <- function(pairing, column) {
  x <- switch(column$from,
    left = .subset2(pairing$left, column$left),
    right = .subset2(pairing$right, column$right),
    key = .subset2(pairing$left, column$left)
  )
  if (is.atomic(x) && is.null(names(x)) && is_positional(x)) x
}

# Many columns of long frames are gathered only when they are looked at.
deferred_rows <- 1e5

deferred_columns <- 4L

wants_deferred <- function(pairing, right) {
  wanted <- deferred_option()
  if (pairing$counts$pairs >= deferred_rows &&
    sum(right) >= deferred_columns) {
    !isFALSE(wanted)
  } else {
    is.character(wanted) && identical(wanted, "always")
  }
}
