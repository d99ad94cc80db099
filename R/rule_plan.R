# Ordered rules turned into what the engine takes: comparisons of numbers that must all
# hold, rows that pair with nothing, and the one rule that chooses. What one rule gives
# is a part, a list of some of
#   comparisons  made by comparison()
#   closest      the columns and words of nearest(), as the engine takes them
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

# Notes ------------------------------------------------------------------------------

# A note: what is worth a second look, as numbers. Its words are made at the end, where
# the count is not 0.

new_note <- function(kind, count, ...) list(kind = kind, count = count, ...)

add_counts <- function(one, other) {
  one$count <- one$count + other$count
  one
}
