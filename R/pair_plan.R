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
  ordered <- vapply(rules, function(rule) !is.null(kind_of(rule)$plan), NA)
  if (!any(ordered) && !length(condition$comparisons)) {
    return(NULL)
  }
  rules <- rules[ordered]
  parts <- lapply(rules, plan_rule, pairing = pairing, call = call)
  skip <- function(side) {
    flags <- lapply(parts, function(part) part$skip[[side]])
    flags <- flags[!vapply(flags, is.null, NA)]
    if (length(flags)) as.raw(Reduce(`|`, flags))
  }
  chooses <- which(vapply(parts, function(part) !is.null(part$closest), NA))
  list(
    comparisons = c(
      do.call(c, lapply(parts, function(part) part$comparisons)), condition$comparisons
    ),
    skip_left = skip("left"), skip_right = skip("right"),
    closest = if (length(chooses)) parts[[chooses]]$closest,
    scale = if (length(chooses)) parts[[chooses]]$scale,
    parts = parts, rules = rules, condition = condition
  )
}

plan_rule <- function(pairing, rule, call) kind_of(rule)$plan(pairing, rule, call)

side_columns <- function(rule) {
  c(
    lapply(rule$left, function(name) list(side = "left", name = name)),
    lapply(rule$right, function(name) list(side = "right", name = name))
  )
}

comparison <- function(left, op, right, int64, end = FALSE) {
  list(left = left, op = op, right = right, int64 = int64, end = end)
}
