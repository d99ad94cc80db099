# The rules of `on`: what must hold for two rows to pair. A rule is a record
# wrapped in a list, so that c() and list() put rules beside plain column names.

#' Rules: what must hold for two rows to pair
#'
#' `on` takes column names, rules made by these functions, or both, put together
#' by `c()` or `list()`. Every rule must hold.
#'
#' @param left,right `[character(1)]` A column of the left and of the right
#'   frame.
#' @param via `[function | list(left = , right = )]` Applied to the whole
#'   columns, for matching only: the result keeps the original values. Each must
#'   return a vector as long as its argument. One function serves both sides.
#' @return A list that holds one rule, of class `ronda_rule`.
#' @section Errors: `ronda_error_argument` when an argument is not what is
#'   described here. Columns are looked up when the rule is used.
#' @details `same()` holds when the two values are equal. `"port"` in `on` is
#'   short for `same("port")`, and `c(vessel = "code")` for
#'   `same("vessel", "code")`. `cross()` always holds: every left row pairs with
#'   every right row; it stands alone in `on`.
#' @examples
#' # codes typed with stray blanks and in the wrong case
#' join_frames(sailings, vessels,
#'   on = same("vessel", "code", via = function(x) toupper(trimws(x))),
#'   rows = "anti"
#' )
#' # every vessel with every port
#' join_frames(vessels, ports, on = cross(), rows = "inner") |> head()
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

new_rule <- function(kind, ...) {
  record <- structure(list(kind = kind, ...), class = "ronda_rule_record")
  structure(list(record), class = "ronda_rule")
}

check_rule_column <- function(column, arg, call) {
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
        sprintf("\"%s\"", rule$left)
      } else {
        sprintf("\"%s\", \"%s\"", rule$left, rule$right)
      }
      via <- if (length(rule$via)) ", via = <function>" else ""
      sprintf("same(%s%s)", columns, via)
    },
    cross = "cross()",
    stop("rule_text(): unknown rule ", rule$kind)
  )
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
  crossed <- rules_of(rules, "cross")
  if (length(crossed) && length(rules) > 1L) {
    stop_argument("`cross()` must stand alone in `on`.",
      "It pairs every row with every row, so other rules would not count.",
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
  right <- unname(on)
  left <- if (is.null(left)) right else ifelse(nzchar(left), left, right)
  lapply(seq_along(on), function(k) {
    list(kind = "same", left = left[k], right = right[k], via = NULL)
  })
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

rules_of <- function(rules, kind) {
  rules[vapply(rules, function(rule) rule$kind, "") == kind]
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
