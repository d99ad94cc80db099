# Ordered rules turned into what the engine takes: comparisons of numbers that must all
# hold, rows that pair with nothing, and the one rule that chooses. What one rule gives
# is a part, a list of some of
#   comparisons  made by comparison()
#   closest      the columns and words of nearest(), as the engine takes them; by the
#                calendar with `least` and `most`, bounds of each left row, and
#                `calendar`, how they were said
#   skip         list(left, right): flags of rows that pair with nothing
#   values       its columns as numbers, list(left, right) or the point's alone
#   scale        what a number counts (type_order.R)
#   notes        what is worth a second look
#   intervals    list(left, right): how many are reversed, empty, without a bound
#   several      the side whose intervals may overlap each other

# `condition`: what where_plan() made of `where`. NULL when `on` has no ordered rule and
# the engine takes nothing of the condition.
ordered_plan <- function(pairing, condition, call) {
  rules <- pairing$rules
  ordered <- logical(length(rules))
  for (k in seq_along(rules)) ordered[k] <- !is.null(kind_of(rules[[k]])$plan)
  if (!any(ordered) && !length(condition$comparisons)) {
    return(NULL)
  }
  rules <- rules[ordered]
  parts <- lapply(rules, plan_rule, pairing = pairing, call = call)
  skip <- function(side) {
    flags <- NULL
    for (part in parts) {
      own <- part$skip[[side]]
      if (!is.null(own)) flags <- if (is.null(flags)) own else flags | own
    }
    if (!is.null(flags)) as.raw(flags)
  }
  comparisons <- chooser <- NULL
  for (part in parts) {
    comparisons <- c(comparisons, part$comparisons)
    if (!is.null(part$closest)) chooser <- part
  }
  list(
    comparisons = c(comparisons, condition$comparisons),
    skip_left = skip("left"), skip_right = skip("right"),
    closest = chooser$closest, scale = chooser$scale,
    by_rule = parts, rules = rules, condition = condition
  )
}

plan_rule <- function(pairing, rule, call) kind_of(rule)$plan(pairing, rule, call)

comparison <- function(left, op, right, int64, end = FALSE) {
  list(left = left, op = op, right = right, int64 = int64, end = end)
}

flip_op <- function(op) {
  switch(op, "<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=")
}

# How far a rule that chooses looks: `closest$within`, or by the calendar bounds of each
# left row.

without_limit <- function(closest) {
  closest$within <- Inf
  closest[setdiff(names(closest), c("least", "most", "calendar"))]
}

# how far some left rows look to the side where a right row lies, as numbers
reach_numbers <- function(closest, left, sign) {
  if (is.null(closest$calendar)) {
    return(rep.int(closest$within, length(left)))
  }
  x <- strip_class(closest$left)[left]
  ifelse(sign < 0, closest$most[left] - x, x - closest$least[left])
}

# the limit in words: "15 mins", "1 month"
limit_words <- function(closest, scale) {
  if (is.null(closest$calendar)) distance_words(closest$within, scale) else closest$calendar
}

# Notes ------------------------------------------------------------------------------

# A note: what is worth a second look, as numbers. Its words are made at the end, where
# the count is not 0.

new_note <- function(kind, count, ...) list(kind = kind, count = count, ...)

add_counts <- function(one, other) {
  one$count <- one$count + other$count
  one
}
