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
  origin <- structure(ifelse(is_matched(pairing$matches, "left"), 3L, 1L),
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
  some <- pairing$counts$matched_left > 0
  engine <- if (some) engine_folds(pairing, folds)
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
engine_folds <- function(pairing, folds) {
  folds <- known_folds(folds)
  if (!length(folds)) {
    return(NULL)
  }
  found <- pairing$folded$found
  several <- NULL
  if (is.null(found)) {
    made <- fold_matches(pairing, fold_specs(folds, pairing$right))
    found <- made$folds
    several <- made$several
  }
  names(found) <- plan_names(folds)
  for (fold in folds) {
    # (sums that no integer holds are doubles, as R's are)
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
  if (is.null(like)) {
    return(NULL)
  }
  values <- fold_column(made, fold$form, like, pairing$right)
  if (is.null(values)) {
    return(NULL)
  }
  found <- slice_column(values, rows, fold$name, NULL)
  # (a few rows may give integers where all give doubles)
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
