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

register_rule("inside",
  text = interval_text, plan = plan_point_in_interval, closest = closest_interval,
  option = rule_option("Left in the right interval: km=from_km..to_km",
    make = function(left, right, details) {
      inside(left, right[1L], right[2L], details$ends, details[["open-ended"]])
    },
    left = "point", right = "interval", details = interval_details()
  )
)
