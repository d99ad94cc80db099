# overlap(): two intervals share a point.

#' @rdname rules
#' @export
overlap <- function(left_from, left_to, right_from = left_from, right_to = left_to, ends = "[)",
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

plan_overlap <- function(pairing, rule, call) {
  found <- interval_values(pairing, rule, "overlap", call)
  left <- interval_bounds(found$values[[1L]], found$values[[2L]], rule,
    found$int64
  )
  right <- interval_bounds(found$values[[3L]], found$values[[4L]], rule,
    found$int64
  )
  closed <- rule$ends == "[]"
  list(
    comparisons = c(
      list(
        comparison(left$from, if (closed) "<=" else "<", right$to, found$int64, TRUE),
        comparison(left$to, if (closed) ">=" else ">", right$from, found$int64, TRUE)
      ),
      if (left$empty + right$empty > 0) never_empty(left, right, found$int64)
    ),
    skip = list(left = left$skip, right = right$skip),
    intervals = list(
      left = left[c("reversed", "empty", "missing")],
      right = right[c("reversed", "empty", "missing")]
    )
  )
}

# An empty interval shares no point, even within another: its 0 is not more than 0. (Both
# would be equal, and so the pair counts as one that an excluded end keeps apart.)
never_empty <- function(left, right, int64) {
  has_width <- function(x) {
    compared <- compare_bounds(x, int64)
    as.double(is.na(compared) | compared != 0)
  }
  none <- function(x) numeric(length(x$from))
  list(
    comparison(has_width(left), ">", none(right), FALSE, TRUE),
    comparison(none(left), "<", has_width(right), FALSE, TRUE)
  )
}

register_rule("overlap",
  text = interval_text, plan = plan_overlap, closest = closest_interval,
  option = rule_option(paste(
    "Intervals that share a point:",
    "booked_from..booked_to=closed_from..closed_to"
  ),
    make = function(left, right, details) {
      overlap(left[1L], left[2L], right[1L], right[2L], details$ends,
        details[["open-ended"]]
      )
    },
    left = "interval", right = "interval", details = interval_details()
  )
)
