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

register_rule("covers",
  text = interval_text, plan = plan_point_in_interval, closest = closest_interval,
  option = rule_option("Right in the left interval: starts..ends=departs",
    make = function(left, right, details) {
      covers(left[1L], left[2L], right, details$ends, details[["open-ended"]])
    },
    left = "interval", right = "point", details = interval_details()
  )
)
