# Comparisons of two values: relate(), left op right, and around(), a window around the left
# value.

#' @rdname rules
#' @export
relate <- function(left, op, right = left) {
  call <- quote(relate())
  check_rule_column(left, "left", call)
  check_choice(op, c("<", "<=", ">", ">=", "!="), "op", call)
  check_rule_column(right, "right", call)
  new_rule("relate", left = left, op = op, right = right)
}

plan_relate <- function(pairing, rule, call) {
  if (rule$op == "!=") {
    return(plan_unequal(pairing, rule, call))
  }
  found <- ordered_values(pairing, rule, call)
  list(
    comparisons = list(comparison(found$values[[1L]], rule$op,
      found$values[[2L]], found$int64
    )),
    values = found$values
  )
}

relate_span <- function(x, rule, distance) {
  list(
    low = if (startsWith(rule$op, ">")) ifelse(is.na(x), NA, -Inf) else x,
    high = if (startsWith(rule$op, "<")) ifelse(is.na(x), NA, Inf) else x
  )
}

# `!=` takes what same() takes; unequal is unequal in some part.
plan_unequal <- function(pairing, rule, call) {
  x <- .subset2(pairing$left, rule$left)
  y <- .subset2(pairing$right, rule$right)
  check_key_types(pairing$left, pairing$right, list(rule), call)
  is_text <- type_group(x) == "text"
  pairs <- align_keys(x, y, rule, call)
  if (is_text || length(pairs) > 1L) {
    ranks <- if (is_text) {
      rank_values(list(x, y))
    } else {
      unequal_ranks(pairs)
    }
    return(list(comparisons = list(
      comparison(ranks[[1L]], "!=", ranks[[2L]], FALSE)
    )))
  }
  pair <- pairs[[1L]]
  int64 <- pair$kind == engine_kinds[["int64"]]
  day <- pair$kind == engine_kinds[["day"]]
  plain <- function(x) {
    x <- if (int64) strip_class(x) else as.double(strip_class(x))
    if (day) floor(x) else x
  }
  list(comparisons = list(
    comparison(plain(pair$left), "!=", plain(pair$right), int64)
  ))
}

# 64-bit integers beside fractions: one number for each value
unequal_ranks <- function(pairs) {
  stacked <- lapply(pairs, function(pair) {
    c(strip_class(pair$left), strip_class(pair$right))
  })
  kinds <- vapply(pairs, function(pair) pair$kind, 1L)
  first <- group_rows_(stacked, kinds, FALSE)
  if (is.null(first)) first <- seq_along(stacked[[1L]])
  first[first == 0L] <- NA
  n <- length(pairs[[1L]]$left)
  list(as.double(first[seq_len(n)]), as.double(first[-seq_len(n)]))
}

register_rule("relate",
  text = function(rule) {
    sprintf("relate(%s, \"%s\", %s)", text_code(rule$left), rule$op,
      text_code(rule$right)
    )
  },
  plan = plan_relate,
  spans = rule_spans(relate_span, function(rule) if (rule$op != "!=") "open"),
  option = rule_option("A comparison: \"km<=max_km\" (< <= > >= !=)",
    make = function(left, op, right) relate(left, op, right),
    read = function(text) {
      found <- regmatches(text, regexec("^(.+?)(<=|>=|!=|<|>)(.+)$", text))[[1L]]
      if (length(found) == 4L) {
        list(trimws(found[2L]), found[3L], trimws(found[4L]))
      }
    },
    example = "a comparison such as km<=max_km"
  )
)

# around() ---------------------------------------------------------------------------

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
  found <- ordered_values(pairing, rule, call)
  right <- found$values[[2L]]
  like <- .subset2(pairing$left, rule$left)
  shift <- function(what, back) shifted_by(found, like, rule[[what]], back, what, call)
  list(
    comparisons = list(
      comparison(shift("before", TRUE), "<=", right, found$int64),
      comparison(shift("after", FALSE), ">=", right, found$int64)
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
  measures = TRUE, plan = plan_around, closest = closest_in_range,
  spans = rule_spans(function(x, rule, distance) {
    list(low = x - distance("before"), high = x + distance("after"))
  }),
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
