# Ordered rules, one pair of rows at a time.

# a - b as a number, or -1, 0, 1 for text and levels; NA when one is missing
oracle_minus <- function(a, b) {
  if (is.na(a) || is.na(b)) {
    return(NA_real_)
  }
  if (inherits(a, "integer64") && inherits(b, "integer64")) {
    return(as.numeric(a - b))
  }
  if (is.character(a)) {
    if (a == b) {
      return(0)
    }
    return(if (sort(c(a, b), method = "radix")[1L] == a) -1 else 1)
  }
  if (inherits(a, "Date")) {
    return(floor(as.numeric(a)) - floor(as.numeric(b)))
  }
  if (inherits(a, "difftime")) {
    return(as.numeric(a, units = "secs") - as.numeric(b, units = "secs"))
  }
  if (is.factor(a)) {
    return(as.integer(a) - as.integer(b))
  }
  if (inherits(a, "integer64")) a <- bit64::as.double.integer64(a)
  if (inherits(b, "integer64")) b <- bit64::as.double.integer64(b)
  as.numeric(a) - as.numeric(b)
}

# Whether x lies in the interval
oracle_in <- function(x, from, to, rule) {
  if (is.na(x) || (!rule$open_ended && (is.na(from) || is.na(to)))) {
    return(FALSE)
  }
  after <- if (is.na(from)) Inf else oracle_minus(x, from)
  before <- if (is.na(to)) -Inf else oracle_minus(x, to)
  isTRUE((if (startsWith(rule$ends, "[")) after >= 0 else after > 0) &&
    (if (endsWith(rule$ends, "]")) before <= 0 else before < 0))
}

oracle_empty <- function(from, to, rule) {
  if (is.na(from) || is.na(to)) {
    return(!rule$open_ended)
  }
  size <- oracle_minus(to, from)
  size < 0 || (size == 0 && rule$ends != "[]")
}

oracle_rule <- function(rule, l, r) {
  minus <- oracle_minus
  switch(rule$kind,
    nearest = TRUE,
    around = isTRUE(minus(l$p, r$q) <= rule$before &&
      minus(r$q, l$p) <= rule$after),
    inside = !oracle_empty(r$g, r$u, rule) && oracle_in(l$p, r$g, r$u, rule),
    covers = !oracle_empty(l$f, l$t, rule) && oracle_in(r$q, l$f, l$t, rule),
    overlap = {
      holds <- !oracle_empty(l$f, l$t, rule) && !oracle_empty(r$g, r$u, rule)
      gaps <- c(
        if (is.na(l$f) || is.na(r$u)) -Inf else minus(l$f, r$u),
        if (is.na(r$g) || is.na(l$t)) -Inf else minus(r$g, l$t)
      )
      holds && all(if (rule$ends == "[]") gaps <= 0 else gaps < 0)
    },
    relate = isTRUE(do.call(rule$op, list(minus(l$p, r$q), 0)))
  )
}

# Of some candidates, those that nearest() keeps
oracle_nearest <- function(partners, left, right, i, rule) {
  minus <- vapply(partners, function(j) {
    oracle_minus(left$p[i], right$q[j])
  }, 0)
  ok <- !is.na(minus) & abs(minus) <= rule$within &
    switch(rule$look, back = minus >= 0, ahead = minus <= 0, either = TRUE)
  if (!rule$equal) ok <- ok & minus != 0
  partners <- partners[ok]
  minus <- minus[ok]
  if (!length(partners)) {
    return(partners)
  }
  near <- abs(minus) == min(abs(minus))
  # of two points at equal distance the earlier, so the larger difference
  partners <- partners[near & minus == max(minus[near])]
  switch(rule$ties,
    last = max(partners), first = min(partners), all = partners,
    stop = if (length(partners) > 1L) stop("tied") else partners
  )
}

oracle_gap <- function(x, y) {
  if (inherits(x, "integer64") || inherits(y, "integer64")) {
    return(bit64::as.integer64(x) - bit64::as.integer64(y))
  }
  if (inherits(x, "Date")) {
    return(as.difftime(floor(as.numeric(x)) - floor(as.numeric(y)),
      units = "days"
    ))
  }
  if (inherits(x, "POSIXct")) {
    return(as.difftime(as.numeric(x) - as.numeric(y), units = "secs"))
  }
  if (inherits(x, "difftime")) {
    units <- attr(x, "units")
    return(as.difftime(as.numeric(x) - as.numeric(y, units = units),
      units = units
    ))
  }
  as.numeric(x) - as.numeric(y)
}

ordered_makers <- list(
  integer = function(n) some(0:9, n),
  double = function(n) some(c(0, 0.5, 1, 2, 2.25, 7, 1e6, NaN), n),
  integer64 = function(n) {
    bit64::as.integer64(some(c("-3", "0", "1", "4", "4503599627370497",
      "4503599627370496"
    ), n))
  },
  date = function(n) as.Date("2031-05-01") + some(c(0:5, 1.5), n),
  time = function(n) {
    as.POSIXct("2031-05-01", tz = "UTC") + some(c(0, 60, 61, 120, 600), n)
  },
  time_zoned = function(n) {
    as.POSIXct("2031-05-01 02:00", tz = "Etc/GMT-2") + some(c(0, 60, 90), n)
  },
  minutes = function(n) as.difftime(some(c(0, 1, 2, 10), n), units = "mins"),
  hours = function(n) as.difftime(some(c(0, 1, 0.5), n), units = "hours"),
  text = function(n) some(c("a", "B", "b", "ab", "Z"), n),
  ordered = function(n) {
    factor(some(c("low", "mid", "high"), n), c("low", "mid", "high"),
      ordered = TRUE
    )
  }
)

ordered_pairs <- list(
  c("integer", "integer"), c("integer", "double"), c("double", "double"),
  c("integer64", "integer64"), c("integer64", "integer"), c("date", "date"),
  c("time", "time"), c("time", "time_zoned"), c("minutes", "minutes"),
  c("minutes", "hours"), c("text", "text"), c("ordered", "ordered")
)

make_ordered_case <- function(most = 14L) {
  types <- one_of(ordered_pairs)
  distances <- !types[1L] %in% c("text", "ordered")
  case <- make_case(
    one_of(list(c("integer", "double"), c("text", "factor"))), most
  )
  add <- function(frame, names, type) {
    for (name in names) frame[[name]] <- ordered_makers[[type]](nrow(frame))
    frame
  }
  case$left <- add(case$left, c("p", "f", "t"), types[1L])
  case$right <- add(case$right, c("q", "g", "u"), types[2L])
  if (runif(1) < 0.3) {
    case$left <- case$left[order(case$left$p), ]
    case$right <- case$right[order(case$right$q), ]
    row.names(case$left) <- row.names(case$right) <- NULL
  }
  case$distances <- distances
  case$seconds <- if (types[1L] == "minutes") 60 else 1
  case$keyed <- runif(1) < 0.6
  case
}

make_ordered_rule <- function(case) {
  kinds <- c("inside", "covers", "overlap", "relate",
    if (case$distances) "around"
  )
  kind <- one_of(kinds)
  rule <- list(
    kind = kind, ends = one_of(c("[)", "[]", "(]", "()")),
    open_ended = runif(1) < 0.5, op = one_of(c("<", "<=", ">", ">=", "!=")),
    before = one_of(c(0, 1, 60)), after = one_of(c(0, 0.5, 2, 1e9))
  )
  call <- switch(kind,
    inside = inside("p", "g", "u", rule$ends, rule$open_ended),
    covers = covers("f", "t", "q", rule$ends, rule$open_ended),
    overlap = overlap("f", "t", "g", "u", rule$ends, rule$open_ended),
    relate = relate("p", rule$op, "q"),
    around = around("p", "q", before = rule$before, after = rule$after)
  )
  rule$before <- rule$before * case$seconds
  rule$after <- rule$after * case$seconds
  list(rule = rule, call = call)
}

make_nearest_rule <- function(case) {
  rule <- list(
    kind = "nearest", look = one_of(c("back", "ahead", "either")),
    within = one_of(c(Inf, Inf, 0, 1, 60)), equal = runif(1) < 0.7,
    ties = one_of(c("last", "first", "all"))
  )
  call <- nearest("p", "q", look = rule$look, within = rule$within,
    equal = rule$equal, ties = rule$ties,
    gap = if (runif(1) < 0.5) "apart"
  )
  rule$within <- rule$within * case$seconds
  list(rule = rule, call = call)
}

make_ordered_spec <- function(case) {
  spec <- make_spec(case)
  rules <- list()
  if (case$distances && runif(1) < 0.5) rules <- list(make_nearest_rule(case))
  more <- if (length(rules)) sample(0:1, 1L, prob = c(3, 1)) else sample(1:3, 1L)
  for (k in seq_len(more)) rules <- c(rules, list(make_ordered_rule(case)))
  spec$ordered <- lapply(rules, `[[`, "rule")
  spec$calls <- lapply(rules, `[[`, "call")
  spec$gap <- unclass(spec$calls[[1L]])[[1L]]$gap
  if (!case$keyed) {
    spec$left <- spec$right <- character()
    if (spec$row_order == "keys") spec$row_order <- "left"
  }
  # columns of ordered rules are not renamed; keep the oracle plain
  spec$take <- spec$omit <- NULL
  spec$collisions <- "rename"
  spec$keys <- "one"
  spec
}
