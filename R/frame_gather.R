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
