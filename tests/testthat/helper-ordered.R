# Ordered rules, one pair of rows at a time.

# Two values as they are compared: numbers in one unit, 64-bit integers where one is
oracle_values <- function(a, b) {
  plain <- function(x) {
    if (inherits(x, "Date")) {
      floor(as.numeric(x))
    } else if (inherits(x, "difftime")) {
      as.numeric(x) * (oracle_seconds(x) / oracle_finest(a, b))
    } else if (inherits(x, "integer64") || is.character(x)) {
      x
    } else if (inherits(a, "integer64") || inherits(b, "integer64")) {
      bit64::as.integer64(x)
    } else if (is.factor(x)) {
      as.integer(x)
    } else {
      as.numeric(x)
    }
  }
  list(plain(a), plain(b))
}

# -1, 0 or 1 as a is below, at or above b; NA when one is missing
oracle_compare <- function(a, b) {
  if (is.na(a) || is.na(b)) {
    return(NA_real_)
  }
  x <- oracle_values(a, b)
  if (is.character(a)) {
    if (a == b) {
      return(0)
    }
    return(if (sort(c(a, b), method = "radix")[1L] == a) -1 else 1)
  }
  halves <- lapply(x, oracle_halves)
  high <- sign_of(halves[[1L]]$high, halves[[2L]]$high)
  if (high != 0) high else sign_of(halves[[1L]]$low, halves[[2L]]$low)
}

sign_of <- function(x, y) (x > y) - (x < y)

# How far apart two values are: c(high, low), as in oracle_halves() for 64-bit
# integers, c(distance, 0) for others
oracle_apart <- function(a, b) {
  x <- oracle_values(a, b)
  if (!inherits(x[[1L]], "integer64")) {
    apart <- if (x[[1L]] == x[[2L]]) 0 else abs(x[[1L]] - x[[2L]])
    return(c(apart, 0))
  }
  if (oracle_compare(a, b) < 0) x <- rev(x)
  upper <- oracle_halves(x[[1L]])
  lower <- oracle_halves(x[[2L]])
  high <- upper$high - lower$high
  low <- upper$low - lower$low
  c(high + low %/% 2^32, low %% 2^32)
}

# a distance that was given, in the form of oracle_apart()
oracle_limit <- function(limit, a, b) {
  if (inherits(a, "integer64") || inherits(b, "integer64")) {
    return(if (is.infinite(limit)) c(Inf, 0) else {
      c(limit %/% 2^32, floor(limit %% 2^32))
    })
  }
  c(limit * (oracle_seconds(a) / oracle_finest(a, b)), 0)
}

not_farther <- function(x, y) x[1L] < y[1L] || (x[1L] == y[1L] && x[2L] <= y[2L])

# Whether x lies in the interval; a missing bound that counts is no bound
oracle_in <- function(x, from, to, rule) {
  if (is.na(x) || (!rule$open_ended && (is.na(from) || is.na(to)))) {
    return(FALSE)
  }
  after <- if (is.na(from)) 1 else oracle_compare(x, from)
  before <- if (is.na(to)) -1 else oracle_compare(x, to)
  isTRUE((if (startsWith(rule$ends, "[")) after >= 0 else after > 0) &&
    (if (endsWith(rule$ends, "]")) before <= 0 else before < 0))
}

oracle_empty <- function(from, to, rule) {
  if (is.na(from) || is.na(to)) {
    return(!rule$open_ended)
  }
  size <- oracle_compare(to, from)
  size < 0 || (size == 0 && rule$ends != "[]")
}

oracle_rule <- function(rule, l, r) {
  switch(rule$kind,
    nearest = TRUE,
    around = !is.na(l$p) && !is.na(r$q) && not_farther(
      oracle_apart(l$p, r$q),
      oracle_limit(if (oracle_compare(r$q, l$p) < 0) rule$before else rule$after,
        l$p, r$q
      )
    ),
    inside = !oracle_empty(r$g, r$u, rule) && oracle_in(l$p, r$g, r$u, rule),
    covers = !oracle_empty(l$f, l$t, rule) && oracle_in(r$q, l$f, l$t, rule),
    overlap = {
      holds <- !oracle_empty(l$f, l$t, rule) && !oracle_empty(r$g, r$u, rule)
      sides <- c(
        if (is.na(l$f) || is.na(r$u)) -1 else oracle_compare(l$f, r$u),
        if (is.na(r$g) || is.na(l$t)) -1 else oracle_compare(r$g, l$t)
      )
      holds && all(if (rule$ends == "[]") sides <= 0 else sides < 0)
    },
    relate = isTRUE(do.call(rule$op, list(oracle_compare(l$p, r$q), 0)))
  )
}

# Of some candidates, those that nearest() keeps: the nearest point, then the nearest
# of what is left, until there are as many as are wanted
oracle_nearest <- function(partners, left, right, i, rule) {
  if (rule$look == "both") {
    return(sort(unique(unlist(lapply(c("back", "ahead"), function(look) {
      rule$look <- look
      oracle_nearest(partners, left, right, i, rule)
    })))))
  }
  kept <- integer()
  n <- if (is.null(rule$n)) 1 else rule$n
  while (length(kept) < n) {
    point <- oracle_point(partners, left, right, i, rule)
    if (!length(point)) break
    some <- utils::head(seq_along(point), n - length(kept))
    kept <- c(kept, switch(rule$ties,
      last = rev(point)[some], first = point[some], all = point,
      stop = if (length(point) > n - length(kept)) stop("tied") else point
    ))
    partners <- setdiff(partners, point)
  }
  sort(kept)
}

# The candidates that nearest() can reach: list(partners, side, apart)
oracle_reach <- function(partners, left, right, i, rule) {
  x <- left$p[i]
  side <- vapply(partners, function(j) oracle_compare(x, right$q[j]), 0)
  ok <- !is.na(side) &
    switch(rule$look, back = side >= 0, ahead = side <= 0, TRUE)
  if (!rule$equal) ok <- ok & side != 0
  partners <- partners[ok]
  side <- side[ok]
  apart <- lapply(partners, function(j) oracle_apart(x, right$q[j]))
  near <- vapply(seq_along(partners), function(k) {
    not_farther(apart[[k]], oracle_limit(rule$within, x, right$q[partners[k]]))
  }, NA)
  list(partners = partners[near], side = side[near], apart = apart[near])
}

# all of them at the nearest point
oracle_point <- function(partners, left, right, i, rule) {
  reach <- oracle_reach(partners, left, right, i, rule)
  partners <- reach$partners
  side <- reach$side
  apart <- reach$apart
  if (!length(partners)) {
    return(partners)
  }
  # the nearest point on either side, by order (from infinity all are as far)
  last_of <- function(places, op) {
    Reduce(function(a, b) {
      if (op(oracle_compare(right$q[partners[b]], right$q[partners[a]]))) b else a
    }, places)
  }
  behind <- last_of(which(side >= 0), function(sign) sign > 0)
  before <- last_of(which(side <= 0), function(sign) sign < 0)
  # of two points at equal distance the earlier
  best <- if (is.null(before) || (!is.null(behind) &&
    not_farther(apart[[behind]], apart[[before]]))) behind else before
  point <- right$q[partners[best]]
  partners[vapply(partners, function(j) {
    oracle_compare(right$q[j], point) == 0
  }, NA)]
}

oracle_gap <- function(x, y) {
  if (inherits(x, "integer64") || inherits(y, "integer64")) {
    return(suppressWarnings(bit64::as.integer64(x) - bit64::as.integer64(y)))
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
    y <- as.numeric(y) * (oracle_seconds(y) / oracle_seconds(x))
    return(as.difftime(as.numeric(x) - y, units = attr(x, "units")))
  }
  as.numeric(x) - as.numeric(y)
}

# The stretch that two intervals share, pair by pair: its ends and its length
oracle_stretch <- function(left, right, lines, rule) {
  own <- if (rule$kind == "inside") c("p", "p") else c("f", "t")
  other <- if (rule$kind == "covers") c("q", "q") else c("g", "u")
  ends <- lapply(1:2, function(end) {
    common <- oracle_common(left[[own[end]]], right[[other[end]]])
    takes <- vapply(seq_len(nrow(lines)), function(k) {
      if (lines$left[k] == 0L || lines$right[k] == 0L) {
        return("none")
      }
      x <- left[[own[end]]][lines$left[k]]
      y <- right[[other[end]]][lines$right[k]]
      if (is.na(x)) {
        return("right")
      }
      side <- if (is.na(y)) 0 else oracle_compare(x, y)
      if (if (end == 1) side < 0 else side > 0) "right" else "left"
    }, "")
    value <- pick(common[[1L]], ifelse(takes == "left", lines$left, 0L))
    value[takes == "right"] <- pick(common[[2L]], lines$right)[takes == "right"]
    value
  })
  if (length(rule$shared) == 3L) {
    ends[[3L]] <- oracle_gap(ends[[2L]], ends[[1L]])
    lost <- is.na(ends[[3L]]) & !is.na(ends[[1L]]) & !is.na(ends[[2L]]) & !is.nan(ends[[3L]])
    if (any(lost)) {
      return("ronda_error_type")
    }
  }
  ends
}

ordered_makers <- list(
  integer = function(n) some(0:9, n),
  double = function(n) some(c(0, 0.5, 1, 2, 2.25, 7, 1e6, NaN, Inf, -Inf), n),
  integer64 = function(n) {
    bit64::as.integer64(some(c("-3", "0", "1", "4", "4503599627370497",
      "4503599627370496", "9007199254740999", big_numbers
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
  weeks = function(n) as.difftime(some(1:9 / 7, n), units = "weeks"),
  days = function(n) as.difftime(some(c(1:9, 2.5), n), units = "days"),
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
  c("minutes", "hours"), c("weeks", "days"), c("text", "text"),
  c("ordered", "ordered")
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
  case$keyed <- runif(1) < 0.6
  if (distances && runif(1) < 0.35) case <- in_order(case)
  case
}

# Both frames in order of one key and the time, nothing missing: as most data that
# has times comes
in_order <- function(case) {
  sorted <- function(frame, key, time) {
    frame$k1 <- frame$r1 <- NULL
    frame[[key]] <- sample.int(3L, nrow(frame), TRUE)
    frame <- frame[!is.na(frame[[time]]), , drop = FALSE]
    order <- do.call(order, c(list(frame[[key]]), oracle_halves(frame[[time]])))
    frame <- frame[order, , drop = FALSE]
    row.names(frame) <- NULL
    frame
  }
  key <- list(left = "k1", right = case$right_keys)
  case$left <- sorted(case$left, key$left, "p")
  case$right <- sorted(case$right, key$right, "q")
  case$sorted <- TRUE
  case
}

make_ordered_rule <- function(case, number) {
  kinds <- c("inside", "covers", "overlap", "relate",
    if (case$distances) "around"
  )
  kind <- one_of(kinds)
  rule <- list(
    kind = kind, ends = one_of(c("[)", "[]", "(]", "()")),
    open_ended = runif(1) < 0.5, op = one_of(c("<", "<=", ">", ">=", "!=")),
    before = one_of(c(0, 1, 60)), after = one_of(c(0, 0.5, 2, 1e9))
  )
  if (kind %in% c("inside", "covers", "overlap") && runif(1) < 0.4) {
    rule$shared <- paste0(c("begin", "end", if (case$distances) "span"), number)
  }
  call <- switch(kind,
    inside = inside("p", "g", "u", rule$ends, rule$open_ended, rule$shared),
    covers = covers("f", "t", "q", rule$ends, rule$open_ended, rule$shared),
    overlap = overlap("f", "t", "g", "u", rule$ends, rule$open_ended, rule$shared),
    relate = relate("p", rule$op, "q"),
    around = around("p", "q", before = rule$before, after = rule$after)
  )
  list(rule = rule, call = call)
}

make_nearest_rule <- function(case, once) {
  rule <- list(
    kind = "nearest", look = one_of(c("back", "ahead", "either", if (!once) "both")),
    within = one_of(c(Inf, Inf, 0, 1, 60, 2^53)), equal = runif(1) < 0.7,
    ties = one_of(c("last", "first", "all")), n = one_of(c(1, 1, 2, 3, Inf))
  )
  if (once) rule[c("ties", "n")] <- list("last", 1)
  if (isTRUE(case$sorted)) {
    rule[c("look", "equal", "ties")] <- list("back", TRUE, "last")
  }
  call <- nearest("p", "q", look = rule$look, within = rule$within,
    equal = rule$equal, ties = rule$ties, n = rule$n,
    gap = if (runif(1) < 0.5) "apart"
  )
  list(rule = rule, call = call)
}

make_ordered_spec <- function(case) {
  spec <- make_spec(case)
  once <- identical(spec$repeats, "once")
  by_value <- !once && oracle_is_once(spec$repeats)
  rules <- list()
  if (case$distances && !by_value && runif(1) < 0.5) rules <- list(make_nearest_rule(case, once))
  if (isTRUE(case$sorted) && !by_value && runif(1) < 0.7) {
    spec <- without_condition(spec)
    rules <- list(make_nearest_rule(case, once))
  }
  more <- if (!length(rules)) {
    sample(1:3, 1L)
  } else if (isTRUE(case$sorted)) {
    0
  } else {
    sample(0:1, 1L, prob = c(3, 1))
  }
  for (k in seq_len(more)) rules <- c(rules, list(make_ordered_rule(case, k)))
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
  few <- isTRUE(case$sorted) || oracle_is_once(spec$repeats)
  if (!few && runif(1) < 0.6) spec <- with_many_pairs(spec)
  spec
}

# one rule alone, most often without a condition, every partner kept: few rows pair where
# several rules have to hold
with_many_pairs <- function(spec) {
  spec[c("ordered", "calls")] <- list(spec$ordered[1L], spec$calls[1L])
  spec$left <- spec$right <- character()
  if (spec$row_order == "keys") spec$row_order <- "left"
  if (runif(1) < 0.7) spec <- without_condition(spec)
  spec$repeats <- "all"
  spec
}
