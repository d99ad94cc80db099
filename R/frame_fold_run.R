# Formulas of `fold` that R runs, once a left row.

# The formula's values for all left rows, as a column
run_fold <- function(pairing, fold, call) {
  values <- run_rows(pairing, fold, NULL, call)
  matched <- which(is_matched(pairing$matches, "left"))
  map <- integer(pairing$sizes[1L])
  map[matched] <- seq_along(matched)
  column <- as_one_vector(values)
  if (is.null(column)) {
    return(fold_list(values, map, pairing$sizes[1L]))
  }
  column <- slice_column(column, map, fold$name, call)
  if (counts_something(fold$code)) column[map == 0L] <- 0L
  column
}

counts_something <- function(code) {
  code <- without_brackets(code)
  is.call(code) && (identical(code[[1L]], quote(nrow)) || identical(code[[1L]], quote(length)))
}

# The column where no left row has partners: its type is that of the formula's value for
# none
fold_of_none <- function(pairing, fold) {
  n <- pairing$sizes[1L]
  see <- row_viewer(pairing, fold)
  value <- tryCatch(
    suppressWarnings(see$run(if (n) 1L else integer(), integer())),
    error = function(e) NA
  )
  column <- as_one_vector(list(value))
  if (is.null(column)) {
    return(fold_list(list(value), integer(n), n))
  }
  if (counts_something(fold$code)) column[] <- 0L else column <- column[NA_integer_]
  if (!is.null(fold$form) && fold$form$by == "distinct") column <- 0L
  slice_column(column, rep.int(1L, n), fold$name, NULL)
}

# The values of some left rows that have partners, or of all of them: a list
run_rows <- function(pairing, fold, rows, call) {
  see <- row_viewer(pairing, fold)
  at <- NA_integer_
  k <- 0L
  values <- vector("list", if (is.null(rows)) pairing$counts$matched_left else length(rows))
  run_theirs({
    if (is.null(rows)) {
      begun <- now_()
      told <- FALSE
      place <- environment()
      each_partners(pairing, function(row, partners) {
        at <<- row
        k <<- k + 1L
        values[[k]] <<- list(see$run(row, partners))
        if (!told && now_() - begun > long_seconds) {
          told <<- TRUE
          show_stage(sprintf("Folding partners: `%s`", fold$name), place)
        }
      })
    } else {
      for (row in rows) {
        at <- row
        k <- k + 1L
        values[[k]] <- list(see$run(row, partners_now(pairing, row)))
      }
    }
  }, "argument", said("`%s` of `fold` failed for row %s of `%s`", fold$name,
    with_commas(at), frame_marks[1L]
  ), call)
  lapply(values, `[[`, 1L)
}

# run(row, partners): the formula's value, with the columns that it uses
row_viewer <- function(pairing, fold) {
  used <- fold$part$used
  code <- fold$code
  environment <- fold$environment
  right <- frame_viewer(pairing$right, used$right)
  if (!"left" %in% all.names(code) && !is.null(used$left)) {
    return(list(run = function(row, partners) {
      eval(code, list(right = right(partners)), environment)
    }))
  }
  left <- frame_viewer(pairing$left, used$left)
  list(run = function(row, partners) {
    eval(code, list(left = left(row), right = right(partners)), environment)
  })
}

# A function that gives some rows of a frame, as a frame of its class; of the columns
# those that are used (NULL: all)
frame_viewer <- function(frame, used) {
  names <- if (is.null(used) || !all(used %in% names(frame))) names(frame) else used
  columns <- lapply(names, function(name) .subset2(frame, name))
  names(columns) <- names
  # (all rows are there: what is plain needs no more than R's own `[`)
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

# One value each, by c(); NULL where they are no such values
as_one_vector <- function(values) {
  single <- vapply(values, function(x) {
    is.atomic(x) && length(x) == 1L && is.null(dim(x))
  }, NA)
  if (!all(single)) {
    return(NULL)
  }
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

# a list column: each row's own value, and an empty one where there are no partners
fold_list <- function(values, map, n) {
  wrapped <- all(vapply(values, function(x) {
    is.list(x) && !is.object(x) && length(x) == 1L
  }, NA))
  if (wrapped) values <- lapply(values, `[[`, 1L)
  none <- if (length(values)) empty_of(values[[1L]])
  column <- rep(list(none), n)
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
