# inside(): left lies in the right frame's interval.

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

plan_inside <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "inside", call)
  bounds <- interval_bounds(found$values[[2L]], found$values[[3L]], rule,
    found$int64
  )
  ops <- end_ops(rule$ends)
  list(
    comparisons = list(
      comparison(found$values[[1L]], ops$from, bounds$from, found$int64, TRUE),
      comparison(found$values[[1L]], ops$to, bounds$to, found$int64, TRUE)
    ),
    skip = list(right = bounds$skip), values = found$values[1L],
    intervals = list(right = bounds[c("reversed", "empty", "missing")]),
    several = "right"
  )
}

register_rule("inside",
  text = interval_text, plan = plan_inside, closest = closest_in_range,
  option = rule_option("Left in the right interval: km=from_km..to_km",
    make = function(left, right, details) {
      inside(left, right[1L], right[2L], details$ends, details[["open-ended"]])
    },
    left = "point", right = "interval", details = interval_details()
  )
)
