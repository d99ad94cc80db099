# around(): a window around the left value.

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

plan_around <- function(pairing, rule, call) {
  found <- ordered_values(pairing, side_columns(rule), "around", call)
  left <- found$values[[1L]]
  right <- found$values[[2L]]
  before <- distance_number(rule$before, found$scale, "before", call)
  after <- distance_number(rule$after, found$scale, "after", call)
  int64 <- found$int64
  shift <- function(by) shifted_values(left, by, int64)
  list(
    comparisons = list(
      comparison(shift(-before), "<=", right, int64),
      comparison(shift(after), ">=", right, int64)
    ),
    values = found$values, scale = found$scale,
    notes = c(
      distance_notes(rule$before, found$scale, "before"),
      distance_notes(rule$after, found$scale, "after")
    )
  )
}

register_rule("around",
  text = function(rule) {
    sprintf("around(%s, before = %s, after = %s)", columns_text(rule),
      distance_text(rule$before), distance_text(rule$after)
    )
  },
  plan = plan_around, closest = closest_in_range,
  option = rule_option("Windows: departs=read_at, with --before and --after",
    make = function(left, right, details) {
      around(left, right, before = details$before, after = details$after)
    },
    details = list(
      before = rule_detail("right may lie this much before left", "DISTANCE", 0),
      after = rule_detail("right may lie this much after left", "DISTANCE", 0)
    )
  )
)
