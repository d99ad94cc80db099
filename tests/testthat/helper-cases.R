# Generated cases: frames with keys of every type, and every option at once.

some <- function(values, n) {
  x <- values[sample.int(length(values), n, TRUE)]
  x[runif(n) < 0.1] <- NA
  x
}

# Columns over a small domain, by type
# at and beyond what doubles hold, and both ends
big_numbers <- c(
  "9007199254740992", "9007199254740993", "-9007199254740993",
  "9223372036854775807", "-9223372036854775807"
)

key_makers <- list(
  integer = function(n) some(-2:4, n),
  double = function(n) {
    some(c(-2, 0, -0, 1, 2, 2.5, 1e12, NaN, 2^53, Inf, -Inf, 2^63), n)
  },
  integer64 = function(n) {
    bit64::as.integer64(some(c("-2", "0", "1", "2", big_numbers), n))
  },
  text = function(n) some(c("a", "b", "B", "", "\u00e9", "a "), n),
  factor = function(n) factor(some(c("a", "b", "zz"), n), c("b", "a", "zz")),
  ordered = function(n) factor(some(c("a", "b"), n), c("b", "a"), ordered = TRUE),
  # as functions that read files make them: a level that is missing, one twice
  odd_factor = function(n) {
    structure(some(1:4, n), levels = c("a", NA, "b", "a"), class = "factor")
  },
  latin = function(n) {
    x <- some(c("a", "\u00e9", "b"), n)
    iconv(x, "UTF-8", "latin1")
  },
  plain = function(n) some(c("a", "b", "c"), n),
  # equal texts at different addresses
  encodings = function(n) {
    x <- c("a", "b", "\u00e9", "\u00f8")
    some(c(x, iconv(x[3:4], "UTF-8", "latin1")), n)
  },
  logical = function(n) some(c(TRUE, FALSE), n),
  date = function(n) as.Date("2031-05-01") + some(c(0, 1, 1.5, 2), n),
  date_whole = function(n) {
    structure(some(c(22400L, 22401L, 22402L), n), class = "Date")
  },
  time = function(n) {
    as.POSIXct("2031-05-01", tz = "UTC") + some(c(0, 1, 3600, 0.5), n)
  },
  time_zoned = function(n) {
    as.POSIXct("2031-05-01 00:00", tz = "Etc/GMT-2") +
      7200 + some(c(0, 1, 3600), n)
  },
  minutes = function(n) as.difftime(some(c(0, 60, 90), n), units = "mins"),
  hours = function(n) as.difftime(some(c(0, 1, 1.5), n), units = "hours"),
  weeks = function(n) as.difftime(some(c(0, 1:9 / 7), n), units = "weeks"),
  days = function(n) as.difftime(some(0:9, n), units = "days")
)

key_partners <- list(
  integer = c("integer", "double", "integer64"),
  double = c("integer", "double", "integer64"),
  integer64 = c("integer", "integer64", "double"),
  text = c("text", "factor", "latin", "encodings"),
  factor = c("factor", "ordered", "text"),
  ordered = c("ordered", "factor"),
  odd_factor = c("odd_factor", "factor", "text"), latin = "text",
  plain = c("plain", "encodings"), encodings = c("plain", "encodings", "text"),
  logical = "logical",
  date = c("date", "date_whole"), date_whole = c("date", "date_whole"),
  time = c("time", "time_zoned"), time_zoned = "time",
  minutes = c("minutes", "hours"), hours = c("hours", "minutes"),
  weeks = c("days", "weeks"), days = c("weeks", "hours")
)

one_of <- function(x) x[[sample.int(length(x), 1L)]]
maybe <- function(chance, x, otherwise = NULL) {
  if (runif(1) < chance) x else otherwise
}

make_case <- function(types = NULL, most = 14L) {
  keys <- if (is.null(types)) sample.int(3L, 1L, prob = c(5, 3, 2)) else 1L
  sizes <- pmax(0L, sample.int(most + 1L, 2L, TRUE) - 1L)
  left_types <- if (is.null(types)) {
    sample(names(key_makers), keys, TRUE)
  } else {
    types[1L]
  }
  right_types <- if (is.null(types)) {
    vapply(left_types, function(type) one_of(key_partners[[type]]), "")
  } else {
    types[2L]
  }
  left_keys <- paste0("k", seq_len(keys))
  right_keys <- ifelse(runif(keys) < 0.5, left_keys, paste0("r", seq_len(keys)))
  left <- lapply(left_types, function(type) key_makers[[type]](sizes[1L]))
  right <- lapply(right_types, function(type) key_makers[[type]](sizes[2L]))
  names(left) <- left_keys
  names(right) <- right_keys
  # half of the cases are what most joins are: plain columns, no name twice
  plain <- runif(1) < 0.5
  left <- c(left, left_columns(sizes[1L], plain))
  right <- c(right, right_columns(sizes[2L], plain))
  left <- left[sample.int(length(left))]
  right <- right[sample.int(length(right))]
  list(
    left = as_frame(left, sizes[1L]), right = as_frame(right, sizes[2L]),
    left_keys = left_keys, right_keys = right_keys, plain = plain
  )
}

left_columns <- function(n, plain) {
  columns <- list(
    v = some(1:4, n), s = factor(some(c("x", "y"), n)), only = some(letters, n)
  )
  if (plain) {
    return(columns)
  }
  c(columns, list(
    bag = lapply(some(1:3, n), seq_len_or_null),
    bytes = as.raw(sample(0:3, n, TRUE)),
    wave = some(c(1i, 2, 1 + 1i), n),
    metres = methods::new("OracleMetres", some(c(1, 2.5), n), unit = "m")
  ))
}

right_columns <- function(n, plain) {
  columns <- list(
    day = as.Date("2031-05-01") + some(0:9, n), score = some(c(1, 1, 2, 3), n),
    grade = structure(some(1:3, n), levels = c("low", NA, "high"),
      class = "factor"
    )
  )
  if (plain) {
    return(columns)
  }
  c(columns, list(
    v = some(c(1, 2, 3.5), n), s = factor(some(c("y", "z"), n), c("z", "y")),
    bytes = as.raw(sample(0:3, n, TRUE)), wave = some(c(1i, 2), n),
    feet = methods::new("OracleMetres", some(c(1, 2.5), n), unit = "ft")
  ))
}

# an S4 class that has no `[` of its own
methods::setClass("OracleMetres", contains = "numeric",
  slots = c(unit = "character"), where = globalenv()
)

seq_len_or_null <- function(n) if (is.na(n)) NULL else seq_len(n)

as_frame <- function(columns, n) {
  structure(columns, class = "data.frame", row.names = .set_row_names(n))
}

conditions <- list(
  list(~ left$v <= right$v, function(l, r) l$v <= r$v),
  list(~ left$v > 1 & right$score < 3, function(l, r) l$v > 1 & r$score < 3),
  list(
    ~ right$score != 2 & (left$v != right$v),
    function(l, r) r$score != 2 & l$v != r$v
  ),
  list(
    function(left, right) left[["v"]] + right$score > 3,
    function(l, r) l$v + r$score > 3
  ),
  list(~FALSE, function(l, r) FALSE)
)

plain_conditions <- list(
  list(~ left$v > 1 & right$score < 3, function(l, r) l$v > 1 & r$score < 3),
  list(
    function(left, right) rowSums(left["v"]) <= right[, "score"],
    function(l, r) l$v <= r$score
  )
)

make_spec <- function(case) {
  rows <- one_of(c(
    "inner", "left", "right", "full", "semi", "anti", "unmatched"
  ))
  one_sided <- rows %in% c("semi", "anti")
  condition <- maybe(0.3, one_of(if (case$plain) plain_conditions else conditions))
  default <- case$plain && runif(1) < 0.5
  candidates <- setdiff(names(case$right), case$right_keys)
  take <- maybe(0.3, sample(candidates, sample.int(length(candidates), 1L)))
  spec <- list(
    left = case$left_keys, right = case$right_keys, rows = rows,
    where = condition[[2L]],
    missing_keys = one_of(c("unmatched", "match")),
    repeats = one_of(list(
      "all", "all", "first", "last", highest("score"), lowest("day"),
      highest("grade"), lowest("grade"), "once", "once",
      highest(~ left$v + right$score), lowest(~ abs(left$v - right$score)),
      lowest("grade", ~ abs(left$v - right$score)), highest("day", "score", ~ left$v),
      lowest("score", once = TRUE), highest(~ left$v + right$score, "day", once = TRUE)
    )),
    sides = maybe(0.3, c("one", "two"), c("left", "right")),
    take = if (!one_sided) {
      if (length(take) && runif(1) < 0.3) c(take, .rest = TRUE) else take
    },
    omit = if (!one_sided && is.null(take)) {
      maybe(0.3, sample(names(case$right), 2L))
    },
    keys = one_of(c("one", "one", "both")),
    collisions = one_of(list(
      "rename", "rename_left", "rename_right", "left", "right", "fill", "agree", "update",
      "replace", "stop", function(left, right) paste(left, right)
    )),
    name_pattern = maybe(0.3, "{column}_{side}", "{side}.{column}"),
    origin = if (!one_sided) maybe(0.3, "from"),
    partners = maybe(0.3, "n"),
    row_numbers = maybe(0.2, c("left_row", "right_row")),
    if_absent = if (!one_sided) maybe(0.3, list(only = "?")),
    row_order = if (one_sided) "left" else one_of(c("left", "right", "keys"))
  )
  if (default) {
    spec$rows <- one_of(c("left", "inner"))
    spec[c("take", "omit", "origin", "partners", "row_numbers", "if_absent")] <- NULL
    spec$keys <- "one"
    spec$row_order <- "left"
    spec$collisions <- "rename_right"
  }
  spec$condition <- condition[[1L]]
  if (length(spec$left) > 1L && runif(1) < 0.4) spec <- with_turns(spec)
  # what makes most pairs
  if (!oracle_is_once(spec$repeats) && runif(1) < 0.4) {
    spec <- without_condition(spec)
    spec$repeats <- "all"
  }
  spec
}

without_condition <- function(spec) {
  spec["where"] <- spec["condition"] <- list(NULL)
  spec
}

# the keys tried one after the other instead of together
with_turns <- function(spec) {
  n <- length(spec$left)
  turns <- one_of(list(as.list(seq_len(n)), rev(as.list(seq_len(n))), list(seq_len(n), n, 1L)))
  spec$turns <- lapply(turns, function(at) {
    list(left = spec$left[at], right = spec$right[at])
  })
  spec$keys <- "both"
  if (spec$row_order == "keys") spec$row_order <- "right"
  if (spec$rows %in% c("semi", "anti")) spec$row_order <- "left"
  spec
}
