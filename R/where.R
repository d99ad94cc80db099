# The extra condition on pairs. It is run on blocks of candidates, so that
# memory stays bounded whatever their number; parts of a formula that speak of
# one side alone are run on that side's rows first.

pairs_per_block <- 2e5

check_where <- function(where, left, right, call) {
  if (is.null(where) || is.function(where)) {
    return()
  }
  if (!inherits(where, "formula") || length(where) != 2L) {
    stop_argument(
      paste0(
        "`where` must be a one-sided formula or a function(left, right), not ",
        shown(where), "."
      ),
      "Write, for example: where = ~ left$length <= right$max_length",
      call = call
    )
  }
  check_where_columns(where[[2L]], list(left = left, right = right), call)
}

# Columns that a formula names outright are known before it is run.
check_where_columns <- function(code, frames, call) {
  if (!is.call(code)) {
    return()
  }
  fetches <- is.name(code[[1L]]) && as.character(code[[1L]]) %in% c("$", "[[")
  if (fetches && is.name(code[[2L]])) {
    side <- as.character(code[[2L]])
    name <- code[[3L]]
    if (side %in% names(frames) && (is.name(name) || is.character(name))) {
      dollar <- identical(code[[1L]], quote(`$`))
      if (dollar || is.character(name)) {
        check_column(as.character(name), frames[[side]], side, call,
          class = "argument"
        )
      }
    }
  }
  for (part in as.list(code)[-1L]) check_where_columns(part, frames, call)
}

filter_pairs <- function(pairing, call) {
  parts <- where_parts(pairing$where)
  matches <- filter_sides(pairing, pairing$matches, parts, call)
  if (!length(parts$both)) {
    return(matches)
  }
  filter_blocks(pairing, matches, parts$both, call)
}

# The parts of a condition that speak of one side alone
filter_sides <- function(pairing, matches, parts, call) {
  for (part in parts$left) matches <- filter_left(pairing, matches, part, call)
  for (part in parts$right) {
    matches <- filter_right(pairing, matches, part, call)
  }
  matches
}

# The condition as functions of the two sides' rows: those that look at the
# left rows alone, at the right rows alone, and at both.
where_parts <- function(where) {
  if (is.null(where)) {
    return(list(left = list(), right = list(), both = list()))
  }
  if (is.function(where)) {
    return(list(left = list(), right = list(), both = list(where)))
  }
  terms <- split_and(where[[2L]])
  sides <- vapply(terms, function(term) {
    used <- all.names(term)
    has <- c("left", "right") %in% used
    if (has[1L] && !has[2L]) {
      "left"
    } else if (has[2L] && !has[1L]) {
      "right"
    } else {
      "both"
    }
  }, "")
  run <- lapply(terms, function(term) {
    function(left, right) {
      eval(term, list(left = left, right = right), environment(where))
    }
  })
  split(run, factor(sides, c("left", "right", "both")))
}

split_and <- function(code) {
  if (is.call(code) && identical(code[[1L]], quote(`(`))) {
    return(split_and(code[[2L]]))
  }
  if (is.call(code) && identical(code[[1L]], quote(`&`))) {
    return(c(split_and(code[[2L]]), split_and(code[[3L]])))
  }
  list(code)
}

# One part run on n rows or pairs: TRUE where it holds
holds <- function(part, left, right, n, call) {
  value <- tryCatch(part(left, right), error = function(e) {
    if (inherits(e, "ronda_error")) {
      e$call <- call
      stop(e)
    }
    stop_argument(sprintf("`where` failed: %s", conditionMessage(e)),
      call = call
    )
  })
  if (!is.logical(value) || !length(value) %in% c(1L, n)) {
    stop_argument(
      sprintf(
        "`where` must give TRUE or FALSE for each of %s, not %s.",
        counted(n, "pair"), described(value)
      ),
      call = call
    )
  }
  rep_len(value & !is.na(value), n)
}

filter_left <- function(pairing, matches, part, call) {
  rows <- which(matches$slot > 0L)
  view <- row_view(pairing$left, rows, "left")
  keep <- holds(part, view, NULL, length(rows), call)
  matches$slot[rows[!keep]] <- 0L
  matches
}

filter_right <- function(pairing, matches, part, call) {
  n <- pairing$rows[2L]
  keep <- holds(part, NULL, row_view(pairing$right, NULL, "right"), n, call)
  if (is.null(matches$starts)) {
    gone <- which(matches$slot > 0L)
    gone <- gone[!keep[matches$slot[gone]]]
    matches$slot[gone] <- 0L
    return(matches)
  }
  stays <- keep[matches$rows]
  matches$starts <- c(0L, cumsum(stays))[matches$starts + 1L]
  matches$rows <- matches$rows[stays]
  empty <- c(FALSE, diff(matches$starts) == 0L)
  matches$slot[empty[matches$slot + 1L]] <- 0L
  matches
}

filter_blocks <- function(pairing, matches, parts, call) {
  at <- c(1, 0)
  kept <- list()
  total <- 0
  limit <- candidate_limit(pairing)
  while (at[1L] <= pairing$rows[1L]) {
    block <- pair_block_(matches$slot, matches$starts, matches$rows,
      at[1L], at[2L], getOption("ronda.pairs_per_block", pairs_per_block)
    )
    at <- block$at
    if (!length(block$left)) break
    keep <- pairs_hold(pairing, block$left, block$right, parts, call)
    total <- total + sum(keep)
    if (total > limit) stop_candidates(pairing, total, limit, call)
    kept[[length(kept) + 1L]] <- list(block$left[keep], block$right[keep])
  }
  matches_from_blocks(kept, pairing$rows[1L])
}

# Whether the condition holds for each of some pairs
pairs_hold <- function(pairing, left, right, parts, call) {
  keep <- rep(TRUE, length(left))
  left <- row_view(pairing$left, left, "left")
  right <- row_view(pairing$right, right, "right")
  for (part in parts) {
    keep <- keep & holds(part, left, right, length(keep), call)
  }
  keep
}

candidate_limit <- function(pairing) {
  if (!identical(pairing$repeats, "all")) {
    return(largest_frame)
  }
  min(row_limit(pairing), largest_frame)
}

stop_candidates <- function(pairing, total, limit, call) {
  stop_ronda("too_many_rows",
    sprintf(
      "The rules and `where` let more pairs through than %s (%s).",
      "`max_rows` allows", with_commas(limit)
    ),
    "Counting stopped there: the condition has to be run to be counted.",
    "Add a key, make `where` narrower, or raise `max_rows`.",
    call = call, data = list(pairs = total, limit = limit)
  )
}

# Pairs in left order as matches: each left row has its own range.
matches_from_pairs <- function(left, right, left_rows) {
  counts <- tabulate(left, left_rows)
  if (all(counts <= 1L)) {
    slot <- integer(left_rows)
    slot[left] <- right
    return(list(slot = slot, starts = NULL, rows = NULL))
  }
  slot <- seq_len(left_rows)
  slot[counts == 0L] <- 0L
  list(slot = slot, starts = c(0L, cumsum(counts)), rows = right)
}

# Rows of a frame that look like a frame to `where`, but fetch a column only
# when it is asked for.
row_view <- function(frame, rows, side) {
  structure(list(),
    frame = frame, rows = rows, side = side, fetched = new.env(),
    class = "ronda_row_view"
  )
}

view_column <- function(view, name) {
  fetched <- attr(view, "fetched")
  if (!exists(name, fetched, inherits = FALSE)) {
    frame <- attr(view, "frame")
    side <- attr(view, "side")
    check_column(name, frame, side, NULL, class = "argument")
    assign(name, envir = fetched, slice_column(
      .subset2(frame, name), attr(view, "rows"), name, NULL
    ))
  }
  get(name, fetched)
}

#' @export
`$.ronda_row_view` <- function(x, name) view_column(x, name)

#' @export
`[[.ronda_row_view` <- function(x, i) {
  view_column(x, if (is.character(i)) i else names(x)[[i]])
}

#' @export
`[.ronda_row_view` <- function(x, i, j, ...) as.data.frame(x)[i, j, ...]

#' @export
names.ronda_row_view <- function(x) names(attr(x, "frame"))

#' @export
dim.ronda_row_view <- function(x) {
  rows <- attr(x, "rows")
  frame <- attr(x, "frame")
  c(if (is.null(rows)) nrow(frame) else length(rows), length(names(frame)))
}

#' @export
as.data.frame.ronda_row_view <- function(x, ...) {
  columns <- lapply(names(x), view_column, view = x)
  names(columns) <- names(x)
  as_base_frame(columns, dim(x)[1L])
}

#' @export
with.ronda_row_view <- function(data, expr, ...) {
  eval(substitute(expr), as.data.frame(data), parent.frame())
}
