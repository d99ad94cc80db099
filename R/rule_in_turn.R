# in_turn(): keys tried one after the other.

#' Keys tried in turn
#'
#' Several ways to pair rows, each tried for the left rows that are still unmatched: the card
#' first, the name where the card is missing or unknown.
#'
#' @param ... Two or more of what `on` of [join_frames()] takes, each by itself: column
#'   names, rules, or a list of both.
#' @param step `[character(1)]` Name of an integer column to add: which of them paired
#'   the row (1, 2, ...; missing in rows without partner).
#' @return A list that holds one rule, of class `ronda_rule`; it can't be combined with other rules.
#' @details A left row that has partners by one of them is not tried by the next. `where`
#'   and `missing_keys` hold for each, `repeats` chooses among what is found (`"once"`:
#'   what an earlier one pairs goes first). Key columns
#'   come as under `keys = "both"`: each in its own frame's place, with its own values.
#' @section Errors: `ronda_error_argument` when there are fewer than two, when one of
#'   them is `in_turn()` itself, or when `step` isn't one name. Columns are looked up when
#'   the rule is used.
#' @seealso [rules]; `vignette("beyond-pairs")`.
#' @examples
#' join_frames(boardings, card_holders, on = in_turn("card", "name", step = "by")) |>
#'   head(4)
#' @export
in_turn <- function(..., step = NULL) {
  call <- quote(in_turn())
  ons <- unname(list(...))
  if (length(ons) < 2L) {
    stop_argument(said("in_turn() takes two keys or more, to be tried one after the other."),
      "Write, for example: in_turn(\"card\", \"name\")",
      call = call
    )
  }
  if (!is.null(step)) check_name(step, "step", call)
  rules <- lapply(ons, function(on) {
    if (is.character(on)) name_rules(on, call) else list_rules(on, call)
  })
  for (rule in do.call(c, rules)) {
    if (kind_of(rule)$in_steps) {
      stop_argument(said("in_turn() can't hold another in_turn()."), call = call)
    }
    added <- columns_added(list(rule))
    if (length(added)) {
      stop_argument(
        said("%s of %s() has no meaning inside in_turn().", argument_said(added[[1L]]$from),
          rule$kind
        ),
        "Leave it out: rows paired by another step have no such column.",
        call = call
      )
    }
  }
  columns <- function(side) unique(unlist(lapply(do.call(c, rules), `[[`, side)))
  new_rule("in_turn",
    left = columns("left"), right = columns("right"), ons = ons, rules = rules, step = step
  )
}

in_turn_text <- function(rule, each = rule_text) {
  steps <- vapply(rule$rules, function(rules) {
    text <- vapply(rules, each, "")
    if (length(text) == 1L) text else sprintf("list(%s)", paste(text, collapse = ", "))
  }, "")
  sprintf("in_turn(%s%s)", paste(steps, collapse = ", "),
    if (is.null(rule$step)) "" else sprintf(", step = %s", text_code(rule$step))
  )
}

in_turn_in_options <- function(rule) {
  steps <- vapply(rule$rules, function(rules) {
    paste("--in-turn", value_option(unlist(lapply(rules, named_key))))
  }, "")
  paste(c(steps, if (!is.null(rule$step)) setting("step", rule$step)), collapse = " ")
}

# A step by nearest() has distances, the other steps have none to compare them with.
check_steps_once <- function(rule, repeats, call) {
  if (!is.null(chooser_of(unlist(rule$rules, recursive = FALSE)))) {
    stop_argument(
      said("%s can't choose among what nearest() finds inside in_turn().",
        setting("repeats", "once")
      ),
      said("Join by nearest() alone, or leave out `repeats`."),
      call = call
    )
  }
}

register_rule("in_turn",
  text = in_turn_text, in_options = in_turn_in_options,
  code = function(rule) in_turn_text(rule, rule_code),
  in_steps = TRUE, one_frame = "", check_once = check_steps_once,
  alone = "Put all that must hold into each of its arguments: in_turn(list(...), list(...)).",
  adds = function(rule) {
    if (!is.null(rule$step)) list(list(name = rule$step, from = "step"))
  }
)

# how many left rows each step paired, in words
turn_words <- function(pairing) {
  rule <- turns_of(pairing$rules)
  if (is.null(rule)) {
    return(NULL)
  }
  steps <- tabulate(pairing$turn$step[is_matched(pairing$matches, "left")], length(rule$rules))
  by <- vapply(rule$rules, function(rules) {
    paste(vapply(rules, rule_text, ""), collapse = " and ")
  }, "")
  sprintf("Of %s paired: %s.", pairing$labels[1L],
    listed(sprintf("%s by %s", with_commas_each(steps), by), "and")
  )
}
