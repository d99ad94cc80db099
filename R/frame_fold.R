# `fold`: one row for each left row, its partners summed up, counted, listed or nested.

# The frame itself: list(frame, n, folded, several)
folded_frame <- function(pairing, plan, call) {
  folded <- fold_values(pairing, plan$folds, call)
  values <- folded$values
  row_map <- left_row_map(pairing$matches, folded_row_types[[plan$row_type]])
  n <- if (is.null(row_map$left)) pairing$sizes[1L] else length(row_map$left)
  row_map <- order_rows(pairing, c(row_map, n = n), plan$row_order, call)
  columns <- lapply(plan$columns, function(column) {
    switch(column$from,
      left = slice_column(.subset2(pairing$left, column$left), row_map$left, column$left,
        call
      ),
      fold = slice_column(fold_absent(values[[column$name]], column$name, pairing,
        plan$if_absent, call
      ), row_map$left, column$name, call),
      origin = fold_origin(pairing, row_map),
      row_numbers = row_number_column(row_map, "left")
    )
  })
  list(
    frame = frame_like(columns, n, pairing$left), n = n, folded = pairing$counts$pairs,
    several = folded$several
  )
}

fold_origin <- function(pairing, row_map) {
  origin <- structure(1L + 2L * is_matched(pairing$matches, "left"),
    levels = c(pairing$sides, "paired"), class = "factor"
  )
  slice_column(origin, row_map$left, "origin", NULL)
}

# what `if_absent` says for rows without partners
fold_absent <- function(x, name, pairing, values, call) {
  by_name <- name %in% names(values)
  alone <- if (by_name || !is.null(values$.other)) unmatched(pairing$matches, "left")
  if (!length(alone)) {
    return(x)
  }
  value <- absent_value(if (by_name) values[[name]] else values$.other, x)
  if (is.null(value$fits)) {
    if (by_name) stop_absent_value(value$given, name, x, call)
    return(x)
  }
  if (!length(value$fits)) {
    return(x)
  }
  value <- value$fits[[1L]]
  put_value(with_level(x, value), alone, value)
}

# What each formula makes, for all left rows: list(values, by name, several). What the
# engine knows is asked of it at once; R is asked about a few rows, too, for the type, and
# runs it all where the two don't agree.
fold_values <- function(pairing, folds, call) {
  if (fold_of_pairs(folds)) pairing <- pairs_as_right(pairing, folds, call)
  some <- pairing$counts$matched_left > 0
  engine <- if (some) engine_folds(pairing, folds, call)
  asked <- if (some) few_matched(pairing$matches)
  values <- lapply(folds, function(fold) {
    if (!some) {
      return(fold_of_none(pairing, fold))
    }
    made <- engine$found[[fold$name]]
    if (!is.null(made)) {
      value <- checked_fold(pairing, fold, made, asked, call)
      if (!is.null(value)) {
        tell_fold_limits(made, fold, call)
        return(value)
      }
    }
    run_fold(pairing, fold, call)
  })
  names(values) <- plan_names(folds)
  list(values = values, several = engine$several)
}

# list(found, several): what the engine makes of each formula that it knows, and how many
# left rows have several partners, where it counted them
engine_folds <- function(pairing, all_folds, call) {
  folds <- known_folds(all_folds)
  found <- pairing$folded$found
  several <- NULL
  if (is.null(found) && length(folds)) {
    made <- fold_matches(pairing, fold_specs(folds, pairing$right))
    found <- made$folds
    several <- made$several
  }
  if (length(folds)) names(found) <- plan_names(folds)
  for (fold in if (!is_tally(pairing$matches)) all_folds) {
    if (identical(fold$form$by, "interpolated")) {
      found[[fold$name]] <- interpolated_at_once(pairing, fold, call)
    }
  }
  for (fold in folds) {
    # Sums too large for an integer are doubles, as in R.
    if (found[[fold$name]]$too_large > 0) {
      spec <- fold_specs(list(fold), pairing$right)
      spec[[1L]]$values <- as.double(spec[[1L]]$values)
      found[[fold$name]] <- fold_again(pairing, spec)[[1L]]
    }
  }
  list(found = found, several = several)
}

fold_again <- function(pairing, specs) {
  search <- pairing$folded$search
  if (!is.null(search)) {
    return(range_fold_(search, specs)$folds)
  }
  fold_matches(pairing, specs)$folds
}

fold_matches <- function(pairing, specs) {
  fold_pairs_(pairing$matches, specs,
    shares_ranges(pairing$matches, pairing$counts$pairs)
  )
}

# The engine's values in the type that R gives, NULL where some row has another value
checked_fold <- function(pairing, fold, made, rows, call) {
  by_r <- suppressWarnings(run_rows(pairing, fold, rows, call))
  like <- as_one_vector(by_r)
  values <- fold_column(made, fold$form, like, pairing$right)
  if (is.null(values)) {
    return(NULL)
  }
  found <- slice_column(values, rows, fold$name, NULL)
  # A few rows may give integers where all rows give doubles.
  if (is.integer(like) && is.double(found)) like <- like + 0
  if (identical(found, like)) values
}

# what R warns of row by row
tell_fold_limits <- function(made, fold, call) {
  if (made$no_value > 0) {
    warn_ronda("fold",
      sprintf("`%s`: %s no value that isn't missing, and %s %sInf.", fold$name,
        paste(counted(made$no_value, "row"), if (made$no_value == 1) "has" else "have"),
        if (made$no_value == 1) "gets" else "get", if (fold$form$by == "max") "-" else ""
      ),
      call = call
    )
  }
}

# Formulas run by R ------------------------------------------------------------------

# Formulas of `fold` that R runs, once a left row.

# The formula's values for all left rows, as a column
run_fold <- function(pairing, fold, call) {
  values <- run_rows(pairing, fold, NULL, call)
  matched <- which(is_matched(pairing$matches, "left"))
  map <- integer(pairing$sizes[1L])
  map[matched] <- seq_along(matched)
  if (kind_of_value(values[[1L]]) != "value") {
    return(fold_list(values, map))
  }
  column <- slice_column(as_one_vector(values), map, fold$name, call)
  if (counts_something(fold$code)) column[map == 0L] <- 0L
  column
}

counts_something <- function(code) {
  code <- without_brackets(code)
  is.call(code) && (identical(code[[1L]], quote(nrow)) || identical(code[[1L]], quote(length)))
}

# The column where no left row has partners: its type is that of the formula's value for a
# partner whose values are missing, or for none
fold_of_none <- function(pairing, fold) {
  n <- pairing$sizes[1L]
  missing_row <- function(frame) slice_frame(frame, 0L, NULL)
  see <- row_viewer(list(
    left = if (n) pairing$left else missing_row(pairing$left),
    right = missing_row(pairing$right)
  ), fold)
  run <- function(partners, otherwise) unless_it_fails(see$run(1L, partners), otherwise)
  value <- run(1L, run(integer(), NA))
  if (kind_of_value(value) %in% c("list", "frame")) {
    return(fold_list(list(value), integer(n)))
  }
  column <- if (is.atomic(value) && !is.null(value) && is.null(dim(value))) value[0L] else NA
  column <- slice_column(column, integer(n), fold$name, NULL)
  if (counts_something(fold$code)) column[] <- 0L
  column
}

# The formula's values for some or all left rows that have partners, as a list
run_rows <- function(pairing, fold, rows, call) {
  see <- row_viewer(pairing, fold)
  at <- NA_integer_
  k <- 0L
  values <- vector("list", if (is.null(rows)) pairing$counts$matched_left else length(rows))
  keep <- function(row, partners) {
    at <<- row
    k <<- k + 1L
    value <- see$run(row, partners)
    check_fold_value(value, if (k == 1L) value else values[[1L]], fold, row, call)
    values[[k]] <<- value
  }
  run_theirs({
    if (is.null(rows)) {
      begun <- now_()
      told <- FALSE
      place <- environment()
      each_partners(pairing, function(row, partners) {
        keep(row, partners)
        if (!told && now_() - begun > long_seconds) {
          told <<- TRUE
          show_stage(sprintf("Folding partners: `%s`", fold$name), place)
        }
      })
    } else {
      for (row in rows) keep(row, partners_now(pairing, row))
    }
  }, "argument", said("`%s` of `fold` failed for row %s of `%s`", fold$name,
    with_commas(at), frame_marks[1L]
  ), call, frames = pairing[side_names])
  values
}

# What a formula may give for a row: one value, a list() that holds whatever it is, or a
# frame. Anything else would be a plain column with some data and a list with other data.
kind_of_value <- function(x) {
  if (is.data.frame(x)) "frame" else if (length(x) != 1L || !is.null(dim(x))) "other" else {
    if (is.atomic(x)) "value" else if (is.list(x) && !is.object(x)) "list" else "other"
  }
}

check_fold_value <- function(value, first, fold, row, call) {
  kind <- kind_of_value(value)
  if (kind != "other" && kind == kind_of_value(first)) {
    return()
  }
  given <- function(x) {
    switch(kind_of_value(x), value = "one value", frame = "a frame", list = "a list()", other = {
      if (is.object(x) || !is.vector(x)) shown(x) else if (!length(x)) "no value" else {
        sprintf(if (is.list(x)) "a list of %s values" else "%s values", with_commas(length(x)))
      }
    })
  }
  stop_argument(
    sprintf("`%s` of `fold` gives %s for row %s of `left`%s.", fold$name, given(value),
      with_commas(row), if (kind == "other") "" else paste(", and", given(first), "before it")
    ),
    "A formula gives one value for each row; more than one within list(), or as a frame.",
    paste("Write:", setting("fold", stats::setNames(
      list(structure(call("~", call("list", without_list(fold$code))), class = "formula")),
      fold$name
    ))),
    call = call
  )
}

without_list <- function(code) {
  is_list <- is.call(code) && identical(code[[1L]], quote(list)) && length(code) == 2L
  if (is_list) code[[2L]] else code
}

# run(row, partners): the formula's value, with the columns that it uses
row_viewer <- function(pairing, fold) {
  used <- fold$part$used
  code <- fold$code
  environment <- fold$environment
  right <- frame_viewer(pairing$right, used$right)
  left <- if ("left" %in% all.names(code) || is.null(used$left)) {
    frame_viewer(pairing$left, used$left)
  }
  interpolates <- uses_interpolated(code)
  at <- if (interpolates && length(pairing$rules)) points_of(pairing, NULL)
  list(run = function(row, partners) {
    seen <- list(right = right(partners))
    if (!is.null(left)) seen$left <- left(row)
    if (interpolates) seen$interpolated <- interpolated_word(at, row, partners)
    eval(code, seen, environment)
  })
}

# A function that gives some rows of a frame, as a frame of its class; of the columns
# those that are used (NULL: all)
frame_viewer <- function(frame, used) {
  names <- if (is.null(used) || !all(used %in% names(frame))) names(frame) else used
  columns <- lapply(names, function(name) .subset2(frame, name))
  names(columns) <- names
  # No row is absent, so R's own `[` does for plain vectors.
  plain <- vapply(columns, function(x) is.null(attributes(x)), NA)
  positional <- vapply(columns, is_positional, NA)
  class <- plain_class(frame)
  function(rows) {
    for (k in seq_along(columns)) {
      columns[[k]] <- if (plain[k]) {
        columns[[k]][rows]
      } else if (positional[k]) {
        gather_(columns[[k]], rows)
      } else {
        slice_column(columns[[k]], rows, names[k], NULL)
      }
    }
    attributes(columns) <- list(names = names, class = class,
      row.names = .set_row_names(length(rows))
    )
    columns
  }
}

# What comes out -----------------------------------------------------------------

# One value each, by c()
as_one_vector <- function(values) {
  plain <- !vapply(values, is.object, NA)
  if (all(plain)) {
    return(unlist(unname(values), use.names = FALSE))
  }
  long <- vapply(values, is_int64, NA)
  if (all(long)) {
    return(int64_class(unlist(lapply(unname(values), strip_class), use.names = FALSE)))
  }
  column <- do.call(c, unname(values))
  names(column) <- NULL
  column
}

# A list column of what the list()s hold, or of frames, and an empty one where there are no
# partners
fold_list <- function(values, map) {
  if (!is.data.frame(values[[1L]])) values <- lapply(values, `[[`, 1L)
  column <- rep(list(empty_of(values[[1L]])), length(map))
  column[map > 0L] <- values[map[map > 0L]]
  column
}

empty_of <- function(x) {
  if (is.data.frame(x)) {
    return(slice_frame(x, integer(), NULL))
  }
  if (is.null(x) || is.function(x) || is.environment(x)) NULL else x[0L]
}

# Partners row by row --------------------------------------------------------------

# action(row, partners) for each left row that has some. Where no pair was kept they are
# found again, block by block.
each_partners <- function(pairing, action) {
  search <- pairing$folded$search
  if (is.null(search)) {
    partners <- partner_lister(pairing$matches)
    for (row in which(is_matched(pairing$matches, "left"))) action(row, partners(row))
    return(invisible())
  }
  from <- 1
  size <- pairs_per_block_option(pairs_per_block)
  while (from <= pairing$sizes[1L]) {
    block <- range_block_(search, from, size)
    from <- block$from
    ends <- which(c(diff(block$left) != 0L, TRUE)[seq_along(block$left)])
    begins <- c(0L, ends[-length(ends)]) + 1L
    for (k in seq_along(ends)) {
      action(block$left[ends[k]], block$right[begins[k]:ends[k]])
    }
  }
}

partners_now <- function(pairing, row) {
  search <- pairing$folded$search
  if (is.null(search)) partner_lister(pairing$matches)(row) else {
    block <- range_block_(search, row, 1)
    block$right[block$left == row]
  }
}
