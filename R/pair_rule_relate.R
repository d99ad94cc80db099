# relate(): left op right.

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
  found <- ordered_values(pairing, side_columns(rule), "relate", call)
  list(
    comparisons = list(comparison(found$values[[1L]], rule$op,
      found$values[[2L]], found$int64
    )),
    values = found$values
  )
}

# `!=` takes what same() takes; unequal is unequal in some part.
plan_unequal <- function(pairing, rule, call) {
  x <- .subset2(pairing$left, rule$left)
  y <- .subset2(pairing$right, rule$right)
  check_key_types(pairing$left, pairing$right, list(rule), call)
  family <- family_group(key_family(x))
  pairs <- align_keys(x, y, rule, call)
  if (family == "text" || length(pairs) > 1L) {
    ranks <- if (family == "text") {
      rank_values(list(x, y))$values
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

# 64-bit integers beside fractions: numbers of their own for what is equal
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
