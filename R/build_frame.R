#' Build a data frame from a pairing
#'
#' The second half of [join_frames()]: which rows stay, and which columns come
#' under what names. A pairing can be built from as often as wanted; nothing is
#' matched again.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @inheritParams join_frames
#' @return As [join_frames()].
#' @section Errors: As [join_frames()], second and third decision.
#' @seealso [join_frames()], [pair_rows()], [split_frames()]
#' @examples
#' pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' build_frame(pairing, rows = "left", take = c(ship = "name")) |> head(3)
#' build_frame(pairing, rows = "anti")
#' @export
build_frame <- function(pairing, rows = "left", ..., take = NULL, omit = NULL,
                        keys = "one", collisions = "rename",
                        name_pattern = "{column}_{side}", origin = NULL,
                        partners = NULL, if_absent = NULL, row_order = "left") {
  call <- quote(build_frame())
  if (...length()) check_dots_empty(..., call = call)
  check_pairing(pairing, call)
  check_choice(rows, names(row_types), "rows", call)
  choices <- list(
    take = take, omit = omit, keys = keys, collisions = collisions,
    name_pattern = name_pattern, origin = origin, partners = partners,
    if_absent = if_absent, row_order = row_order
  )
  clock <- c(start = now_())
  plan <- plan_frame(pairing, rows, choices, call)
  with_memory_told(make_frame(pairing, plan, c(clock, check = now_()), call))
}

check_pairing <- function(pairing, call) {
  if (missing(pairing)) {
    stop_argument("`pairing` is missing: give what pair_rows() gives.",
      call = call
    )
  }
  if (!inherits(pairing, "ronda_pairing")) {
    stop_argument(
      sprintf("`pairing` must be what pair_rows() gives, not %s.",
        shown(pairing)
      ),
      call = call
    )
  }
}

# Everything about the result that does not depend on its frames' rows, checked
# (`rows` itself was, by the caller).
plan_frame <- function(pairing, rows, choices, call) {
  if (!row_types[[rows]]$one_sided && identical(choices, default_choices)) {
    plan <- if (pairing$keyed_only) plan_distinct(pairing, call)
    if (!is.null(plan)) {
      return(list(columns = plan, row_type = rows, row_order = "left"))
    }
  }
  check_choices(rows, choices, call)
  plan <- plan_columns(pairing, row_types[[rows]]$one_sided, choices, call)
  added <- added_columns(pairing, rows, choices)
  if (!is.null(added)) {
    plan <- c(plan, added)
    check_added_names(plan, call)
  }
  names(plan) <- plan_names(plan)
  list(
    columns = plan, row_type = rows, row_order = choices$row_order,
    if_absent = as_if_absent(choices$if_absent, plan, pairing, call)
  )
}

# what the verbs choose when nothing is said, which needs no check
default_choices <- list(
  take = NULL, omit = NULL, keys = "one", collisions = "rename",
  name_pattern = "{column}_{side}", origin = NULL, partners = NULL,
  if_absent = NULL, row_order = "left"
)

check_choices <- function(rows, choices, call) {
  check_choice(choices$row_order, c("left", "right", "keys"), "row_order", call)
  if (!is.null(choices$origin)) check_name(choices$origin, "origin", call)
  if (!is.null(choices$partners)) check_name(choices$partners, "partners", call)
  if (row_types[[rows]]$one_sided) check_one_sided(rows, choices, call)
}

check_one_sided <- function(rows, choices, call) {
  given <- !vapply(choices[c("take", "omit", "origin", "if_absent")], is.null, NA)
  given <- c(given, row_order = choices$row_order == "right")
  if (any(given)) {
    stop_argument(
      sprintf("`%s` has no meaning for rows = \"%s\".",
        names(given)[given][1L], rows
      ),
      "Such a result has the left frame's rows and columns only.",
      call = call
    )
  }
}

added_columns <- function(pairing, rows, choices) {
  of_rules <- if (!pairing$keyed_only && !row_types[[rows]]$one_sided) {
    lapply(pairing$rules, function(rule) kind_of(rule)$adds(rule))
  }
  c(
    of_rules[lengths(of_rules) > 0L],
    if (!is.null(choices$partners)) {
      list(list(name = choices$partners, from = "partners"))
    },
    if (!is.null(choices$origin)) {
      list(list(name = choices$origin, from = "origin"))
    }
  )
}

check_added_names <- function(plan, call) {
  names <- plan_names(plan)
  again <- which(duplicated(names))
  if (length(again)) {
    column <- plan[[again[1L]]]
    stop_argument(
      sprintf("`%s` can't be called `%s`: the result has that column.",
        column$from, column$name
      ),
      "Choose a name that is free.",
      call = call
    )
  }
}

# The frame itself; the row limit and stops that look at values come before
# anything is made.
make_frame <- function(pairing, plan, clock, call) {
  pairing <- unclass(pairing)
  # (no limit is below this number but one that was asked for)
  if (pairing$counts$pairs + sum(pairing$sizes + 0) > least_limit ||
    !is.null(pairing$max_rows) || !is.null(max_rows_option())) {
    check_row_limit(pairing, plan$row_type, call)
  }
  columns <- gather_at_once(pairing, plan, call)
  if (is.null(columns)) {
    row_map <- result_rows(pairing, plan$row_type)
    row_map <- order_rows(pairing, row_map, plan$row_order, call)
    clock <- c(clock, rows = now_())
    if (row_map$n > long_rows) show_stage("Building columns", environment())
    columns <- make_columns(pairing, plan, row_map, call)
    n <- row_map$n
    release_row_map(pairing, row_map)
  } else {
    n <- columns$n
    columns <- columns$columns
  }
  names(columns) <- names(plan$columns)
  frame <- frame_like(columns, n, pairing$left)
  record_receipt(pairing, plan$row_type, n, c(clock, columns = now_()))
  frame
}

# (where every left row stands once with its only partner, the right rows are
# those of the pairing)
release_row_map <- function(pairing, row_map) {
  shared <- is.null(row_map$left) && !has_ranges(pairing$matches)
  release_rows_(list(row_map$left, if (!shared) row_map$right))
}

make_columns <- function(pairing, plan, row_map, call) {
  merged <- merge_columns(pairing, plan$columns, row_map, call)
  lapply(plan$columns, function(column) {
    value <- if (column$from == "merge") {
      merged[[column$name]]
    } else {
      make_column(pairing, column, row_map, call)
    }
    set_absent(value, column, row_map, plan$if_absent)
  })
}

# The columns of an inner or left join in left order, where each is plain values
# of one side: all in one pass over the pairs. NULL where it takes more.
gather_at_once <- function(pairing, plan, call) {
  if (plan$row_type != "left" && plan$row_type != "inner" ||
    plan$row_order != "left" || length(plan$if_absent)) {
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
    key = plain_key(pairing, column)
  )
  if (is.atomic(x) && is.null(names(x)) && is_positional(x)) x
}

# the left key column, where it needs no other type to hold the right one too
plain_key <- function(pairing, column) {
  x <- .subset2(pairing$left, column$left)
  y <- .subset2(pairing$right, column$right)
  if (is.object(x) || is.object(y)) {
    common <- common_columns(x, y)
    if (is.null(attr(common$left, "not_int64"))) common$left
  } else if (typeof(x) == typeof(y)) {
    x
  }
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

make_column <- function(pairing, column, row_map, call) {
  switch(column$from,
    left = slice_column(.subset2(pairing$left, column$left), row_map$left,
      column$left, call
    ),
    right = slice_column(.subset2(pairing$right, column$right), row_map$right,
      column$right, call
    ),
    key = key_values(pairing, column, row_map, call),
    partners = partner_column(pairing, row_map),
    gap = gap_column(pairing, column, row_map, call),
    origin = origin_column(pairing, row_map),
    stop("make_column(): unknown source ", column$from)
  )
}

partner_column <- function(pairing, row_map) {
  counts <- partner_counts(pairing$matches, "left")
  if (is.null(row_map$left)) counts else gather_(counts, row_map$left)
}

origin_column <- function(pairing, row_map) {
  codes <- rep.int(3L, row_map$n)
  if (!is.null(row_map$left)) codes[row_map$left == 0L] <- 2L
  codes[row_map$right == 0L] <- 1L
  structure(codes, levels = c(pairing$sides, "paired"), class = "factor")
}
