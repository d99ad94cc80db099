# covers(): the left frame's interval holds right.

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

plan_covers <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "covers", call)
  bounds <- interval_bounds(found$values[[1L]], found$values[[2L]], rule,
    found$int64
  )
  ops <- lapply(end_ops(rule$ends), flip_op)
  list(
    comparisons = list(
      comparison(bounds$from, ops$from, found$values[[3L]], found$int64, TRUE),
      comparison(bounds$to, ops$to, found$values[[3L]], found$int64, TRUE)
    ),
    skip = list(left = bounds$skip), values = found$values[3L],
    intervals = list(left = bounds[c("reversed", "empty", "missing")]),
    several = "left"
  )
}

register_rule("covers",
  text = interval_text, plan = plan_covers, closest = closest_in_range,
  option = rule_option("Right in the left interval: starts..ends=departs",
    make = function(left, right, details) {
      covers(left[1L], left[2L], right, details$ends, details[["open-ended"]])
    },
    left = "interval", right = "point", details = interval_details()
  )
)
