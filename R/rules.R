# The rules of `on`: what must hold for two rows to pair. A rule is a record
# wrapped in a list, so that c() and list() put rules beside plain column names.

#' Rules: what must hold for two rows to pair
#'
#' `on` takes column names, rules made by these functions, or both, put together
#' by `c()` or `list()`. Every rule must hold.
#'
#' @param left,right `[character(1)]` A column of the left and of the right
#'   frame.
#' @param via `[function | list(left = , right = )]` Applied once to the whole
#'   columns, for matching only: the result keeps the original values. Each must
#'   return a vector as long as its argument. One function serves both sides.
#' @param look `[character(1)]` `"back"`: at or before the left value;
#'   `"ahead"`: at or after it; `"either"`: whichever is closer, of two at equal
#'   distance the earlier.
#' @param within `[numeric(1) | difftime(1) | character(1)]` No farther than
#'   this, inclusive. A number counts the column's own units: seconds for
#'   date-times, days for dates, the left column's units for durations. Text
#'   such as `"10 mins"`, `"2 hours"`, `"1 day"` says its own.
#' @param equal `[logical(1)]` FALSE: not at the same point.
#' @param ties `[character(1)]` Of several right rows at the nearest point the
#'   `"last"` or the `"first"` in right order, `"all"` of them, or `"stop"`: an
#'   error.
#' @param gap `[character(1)]` Name of a column to add: left - right, in the
#'   key's own units (a difftime in seconds for date-times, in days for dates; a
#'   64-bit integer where one key is and the other one is whole by its type, a
#'   double beside doubles).
#' @param before,after As `within`: how far right may lie before and after left.
#' @param from,to,left_from,left_to,right_from,right_to `[character(1)]` The
#'   columns that hold the bounds of an interval; those of `inside()` are the
#'   right frame's, those of `covers()` the left frame's.
#' @param ends `[character(1)]` Which ends belong to an interval: `"[)"`,
#'   `"[]"`, `"(]"` or `"()"`. Values are dense: touching intervals overlap only
#'   under `"[]"`, and `[a, a)` is empty.
#' @param open_ended `[logical(1)]` TRUE: a missing bound is no bound, so that
#'   infinite values lie within it too. FALSE: it matches nothing.
#' @param op `[character(1)]` `"<"`, `"<="`, `">"`, `">="` or `"!="`.
#' @return A list that holds one rule, of class `ronda_rule`.
#' @section Errors: `ronda_error_argument` when an argument is not what is
#'   described here. Columns are looked up when the rule is used.
#' @details `same()` holds when the two values are equal. `"port"` in `on` is
#'   short for `same("port")`, and `c(vessel = "code")` for
#'   `same("vessel", "code")`. `cross()` always holds: every left row pairs with
#'   every right row; it stands alone in `on`.
#'
#'   \tabular{ll}{
#'     `nearest()` \tab right is the closest to left among the candidates \cr
#'     `around()` \tab left - before <= right <= left + after \cr
#'     `inside()` \tab left lies in the right frame's interval \cr
#'     `covers()` \tab the left frame's interval holds right \cr
#'     `overlap()` \tab the two intervals share a point \cr
#'     `relate()` \tab left op right
#'   }
#'   `nearest()` and `around()` take numbers and times; the other ordered rules
#'   also text (in C order, the same on every machine) and ordered factors of
#'   equal levels; `"!="` takes anything that `same()` takes. Ordered rules
#'   never match a missing value. Neither side needs sorting. At most one
#'   `nearest()`. Intervals that end before they start match nothing, and the
#'   receipt counts them.
#' @examples
#' # codes typed with stray blanks and in the wrong case
#' join_frames(sailings, vessels,
#'   on = same("vessel", "code", via = function(x) toupper(trimws(x))),
#'   rows = "anti"
#' )
#' # every vessel with every port
#' join_frames(vessels, ports, on = cross(), rows = "inner") |> head()
#' # the latest tide reading at the port before departure, and its age
#' join_frames(sailings, tide_readings, on = list(
#'   "port", nearest("departs", "read_at", within = "15 mins", gap = "age")
#' )) |> head(3)
#' # the fare band of each distance; the last band has no end
#' join_frames(sailings, fare_bands,
#'   on = inside("km", "from_km", "to_km", open_ended = TRUE)
#' ) |> head(3)
#' @name rules
NULL

#' @rdname rules
#' @export
same <- function(left, right = left, via = NULL) {
  call <- quote(same())
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  via <- check_via(via, call)
  new_rule("same", left = left, right = right, via = via)
}

#' @rdname rules
#' @export
cross <- function() new_rule("cross", left = character(), right = character())

#' @rdname rules
#' @export
nearest <- function(left, right = left, look = "back", within = Inf,
                    equal = TRUE, ties = "last", gap = NULL) {
  call <- quote(nearest())
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  check_choice(look, c("back", "ahead", "either"), "look", call)
  check_flag(equal, "equal", call)
  check_choice(ties, c("last", "first", "all", "stop"), "ties", call)
  if (!is.null(gap)) check_name(gap, "gap", call)
  check_distance(within, "within", call)
  new_rule("nearest",
    left = left, right = right, look = look, within = within, equal = equal,
    ties = ties, gap = gap
  )
}

#' @rdname rules
#' @export
around <- function(left, right = left, before = 0, after = 0) {
  call <- quote(around())
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  check_distance(before, "before", call)
  check_distance(after, "after", call)
  new_rule("around", left = left, right = right, before = before, after = after)
}

#' @rdname rules
#' @export
inside <- function(left, from, to, ends = "[)", open_ended = FALSE) {
  call <- quote(inside())
  check_rule_column(left, "left", call)
  check_interval(from, to, ends, open_ended, c("from", "to"), call)
  new_rule("inside",
    left = left, right = c(from, to), ends = ends, open_ended = open_ended
  )
}

#' @rdname rules
#' @export
covers <- function(from, to, right, ends = "[)", open_ended = FALSE) {
  call <- quote(covers())
  check_interval(from, to, ends, open_ended, c("from", "to"), call)
  check_rule_column(right, "right", call)
  new_rule("covers",
    left = c(from, to), right = right, ends = ends, open_ended = open_ended
  )
}

#' @rdname rules
#' @export
overlap <- function(left_from, left_to, right_from, right_to, ends = "[)",
                    open_ended = FALSE) {
  call <- quote(overlap())
  check_interval(left_from, left_to, ends, open_ended,
    c("left_from", "left_to"), call
  )
  check_interval(right_from, right_to, ends, open_ended,
    c("right_from", "right_to"), call
  )
  new_rule("overlap",
    left = c(left_from, left_to), right = c(right_from, right_to),
    ends = ends, open_ended = open_ended
  )
}

#' @rdname rules
#' @export
relate <- function(left, op, right = left) {
  call <- quote(relate())
  check_rule_column(left, "left", call)
  check_choice(op, c("<", "<=", ">", ">=", "!="), "op", call)
  check_rule_column(right, "right", call)
  new_rule("relate", left = left, op = op, right = right)
}

check_interval <- function(from, to, ends, open_ended, args, call) {
  check_rule_column(from, args[1L], call)
  check_rule_column(to, args[2L], call)
  check_choice(ends, c("[)", "[]", "(]", "()"), "ends", call)
  check_flag(open_ended, "open_ended", call)
}

new_rule <- function(kind, ...) {
  record <- structure(list(kind = kind, ...), class = "ronda_rule_record")
  structure(list(record), class = "ronda_rule")
}

check_rule_column <- function(column, arg, call) {
  if (missing(column)) {
    stop_argument(sprintf("`%s` is missing: name a column.", arg), call = call)
  }
  if (!is_name(column)) {
    stop_argument(
      sprintf("`%s` must be one column name, not %s.", arg, shown(column)),
      if (is.character(column) && length(column) > 1L) {
        "Write one rule for each column."
      },
      call = call
    )
  }
}

check_via <- function(via, call) {
  if (is.function(via)) {
    return(list(left = via, right = via))
  }
  good <- is.null(via) || (is.list(via) && length(via) > 0L &&
    !is.null(names(via)) && all(names(via) %in% c("left", "right")) &&
    all(vapply(via, is.function, NA)))
  if (!good) {
    stop_argument(
      paste0(
        "`via` must be a function, or list(left = , right = ) of functions, ",
        "not ", shown(via), "."
      ),
      call = call
    )
  }
  via
}

#' @export
print.ronda_rule <- function(x, ...) {
  cat(format(x), sep = "\n")
  invisible(x)
}

#' @export
format.ronda_rule <- function(x, ...) {
  vapply(x, rule_text, "", USE.NAMES = FALSE)
}

# a rule as it is written in `on`
rule_text <- function(rule) {
  switch(rule$kind,
    same = {
      columns <- if (identical(rule$left, rule$right)) {
        text_code(rule$left)
      } else {
        columns_text(rule)
      }
      via <- if (length(rule$via)) ", via = <function>" else ""
      sprintf("same(%s%s)", columns, via)
    },
    cross = "cross()",
    nearest = sprintf("nearest(%s, look = \"%s\"%s)", columns_text(rule),
      rule$look, if (is_unlimited(rule$within)) "" else {
        paste0(", within = ", distance_text(rule$within))
      }
    ),
    around = sprintf("around(%s, before = %s, after = %s)", columns_text(rule),
      distance_text(rule$before), distance_text(rule$after)
    ),
    inside = ,
    covers = ,
    overlap = sprintf("%s(%s, ends = \"%s\"%s)", rule$kind,
      columns_text(rule), rule$ends,
      if (rule$open_ended) ", open_ended = TRUE" else ""
    ),
    relate = sprintf("relate(%s, \"%s\", %s)", text_code(rule$left), rule$op,
      text_code(rule$right)
    ),
    stop("rule_text(): unknown rule ", rule$kind)
  )
}

columns_text <- function(rule) {
  paste(text_code(c(rule$left, rule$right)), collapse = ", ")
}

# `on` as a list of records; columns are checked to be there.
as_rules <- function(on, left, right, call) {
  rules <- if (is.character(on)) name_rules(on, call) else list_rules(on, call)
  if (!length(rules)) {
    stop_ronda("key", "`on` is empty.", how_to_write_on(left, right),
      call = call
    )
  }
  for (rule in rules) {
    for (name in rule$left) {
      check_column(name, left, "left", call)
    }
    for (name in rule$right) {
      check_column(name, right, "right", call)
    }
  }
  if (is.character(on)) {
    return(rules)
  }
  crossed <- rules_of(rules, "cross")
  if (length(crossed) && length(rules) > 1L) {
    stop_argument("`cross()` must stand alone in `on`.",
      "It pairs every row with every row, so other rules would not count.",
      call = call
    )
  }
  if (length(rules_of(rules, "nearest")) > 1L) {
    stop_argument("`on` has more than one `nearest()`.",
      "Use around() or relate() for the others.",
      call = call
    )
  }
  rules
}

name_rules <- function(on, call) {
  if (anyNA(on) || !all(nzchar(on))) {
    stop_argument("`on` has a missing or empty column name.", call = call)
  }
  left <- names(on)
  right <- if (is.null(attributes(on))) on else as.vector(on)
  if (is.null(left)) left <- right
  if (!all(nzchar(left))) left[!nzchar(left)] <- right[!nzchar(left)]
  rules <- vector("list", length(on))
  for (k in seq_along(on)) {
    rules[[k]] <- list(
      kind = "same", left = left[k], right = right[k], via = NULL
    )
  }
  rules
}

list_rules <- function(on, call) {
  if (!is.list(on) || is.data.frame(on)) {
    stop_argument(
      sprintf("`on` must be column names or rules, not %s.", shown(on)),
      "Write, for example: on = \"port\", or on = c(vessel = \"code\")",
      call = call
    )
  }
  names <- names(on)
  if (is.null(names)) names <- rep("", length(on))
  rules <- lapply(seq_along(on), function(k) {
    item <- unclass(on)[[k]]
    if (inherits(item, "ronda_rule_record")) {
      return(list(unclass(item)))
    }
    if (inherits(item, "ronda_rule")) {
      return(lapply(unclass(item), unclass))
    }
    if (!is.character(item)) {
      stop_argument(
        sprintf("Item %d of `on` must be a column name or a rule, not %s.",
          k, shown(item)
        ),
        call = call
      )
    }
    if (nzchar(names[k]) && length(item) == 1L) names(item) <- names[k]
    name_rules(item, call)
  })
  unlist(rules, recursive = FALSE)
}

# (a loop, as are other small ones here: half of the time of a small join was
# the calling of functions for single items)
kinds_of <- function(rules) {
  kinds <- character(length(rules))
  for (k in seq_along(rules)) kinds[k] <- rules[[k]]$kind
  kinds
}

rules_of <- function(rules, kind) {
  found <- kinds_of(rules) == kind
  if (all(found)) rules else rules[found]
}

stop_no_on <- function(left, right, call) {
  stop_ronda("key",
    "`on` is missing: say which columns must be equal.",
    how_to_write_on(left, right),
    call = call
  )
}

how_to_write_on <- function(left, right) {
  shared <- intersect(names(left), names(right))
  if (!length(shared)) {
    return(c(
      "The frames have no column name in common.",
      sprintf("Columns of `left`: %s", ticked(names(left))),
      sprintf("Columns of `right`: %s", ticked(names(right))),
      "Write: on = c(left_column = \"right_column\")"
    ))
  }
  c(
    sprintf("Both frames have: %s", ticked(shared)),
    sprintf("Write: on = %s", as_code(shared))
  )
}
