# A join that is slow and plain to see through, to compare with: it looks at
# every left row and every right row, one at a time, and builds columns with
# R's own `[`.

# Two columns as texts that are equal exactly where their values are
oracle_words <- function(x, unit = 1) {
  if (inherits(x, "integer64")) {
    return(bit64::as.character.integer64(x))
  }
  if (is.factor(x) || is.character(x)) {
    return(enc2utf8(as.character(x)))
  }
  if (is.raw(x) || is.complex(x)) {
    return(ifelse(is.na(x), NA, as.character(x)))
  }
  if (inherits(x, "Date")) x <- floor(as.numeric(x))
  if (inherits(x, "difftime")) x <- as.numeric(x) * (oracle_seconds(x) / unit)
  x <- as.numeric(x)
  words <- ifelse(x == trunc(x), sprintf("%.0f", x), sprintf("%.17g", x))
  words[words %in% "-0"] <- "0"
  words[is.na(x)] <- NA
  words
}

# how many seconds the unit of a duration has; 1 for others
oracle_seconds <- function(x) {
  if (!inherits(x, "difftime")) {
    return(1)
  }
  c(secs = 1, mins = 60, hours = 3600, days = 86400, weeks = 604800)[[
    attr(x, "units")
  ]]
}

oracle_finest <- function(x, y) min(oracle_seconds(x), oracle_seconds(y))

# Numbers of any size as high * 2^32 + low, both of the number's own sign, so that
# (high, low) sort as the numbers do and nothing is rounded
oracle_halves <- function(x) {
  if (!inherits(x, "integer64")) {
    x <- as.numeric(x)
    high <- trunc(x / 2^32)
    return(list(high = high, low = ifelse(is.infinite(x), 0, x - high * 2^32)))
  }
  base <- bit64::as.integer64("4294967296")
  high <- x %/% base
  low <- x - high * base
  up <- !is.na(x) & x < 0L & low > 0L
  down <- !is.na(x) & x > 0L & low < 0L
  high <- as.numeric(high) + up - down
  list(high = high, low = as.numeric(low) - 2^32 * up + 2^32 * down)
}

# (`[` is called by name: not every class knows itself called otherwise)
row_of <- function(columns, i) lapply(columns, function(x) x[i])

oracle_pairs <- function(left, right, spec) {
  keys <- lapply(seq_along(spec$left), function(k) {
    x <- left[[spec$left[k]]]
    y <- right[[spec$right[k]]]
    if (!is.null(spec$via)) {
      x <- spec$via(x)
      y <- spec$via(y)
    }
    unit <- oracle_finest(x, y)
    list(left = oracle_words(x, unit), right = oracle_words(y, unit))
  })
  matching <- spec$missing_keys == "match"
  pairs <- list()
  for (i in seq_len(nrow(left))) {
    partners <- integer()
    equal <- rep(TRUE, nrow(right))
    for (key in keys) {
      a <- key$left[i]
      b <- key$right
      equal <- equal & if (is.na(a)) is.na(b) & matching else !is.na(b) & a == b
    }
    for (j in which(equal)) {
      holds <- TRUE
      for (rule in spec$ordered) {
        holds <- holds && oracle_rule(rule, row_of(left, i), row_of(right, j))
      }
      if (holds && !is.null(spec$where)) {
        holds <- isTRUE(spec$where(row_of(left, i), row_of(right, j)))
      }
      if (holds) partners <- c(partners, j)
    }
    for (rule in spec$ordered) {
      if (rule$kind == "nearest") {
        partners <- oracle_nearest(partners, left, right, i, rule)
      }
    }
    pairs[[i]] <- oracle_repeats(partners, right, spec$repeats)
  }
  data.frame(
    left = rep(seq_len(nrow(left)), lengths(pairs)),
    right = as.integer(unlist(pairs))
  )
}

oracle_repeats <- function(partners, right, repeats) {
  if (length(partners) < 2L || identical(repeats, "all")) {
    return(partners)
  }
  if (identical(repeats, "first")) {
    return(partners[1L])
  }
  if (identical(repeats, "last")) {
    return(partners[length(partners)])
  }
  values <- right[[repeats$column]][partners]
  if (is.factor(values)) {
    values <- match(as.character(values), levels(values), incomparables = NA)
  }
  if (all(is.na(values))) {
    return(partners[1L])
  }
  best <- if (repeats$highest) max(values, na.rm = TRUE) else {
    min(values, na.rm = TRUE)
  }
  partners[which(values == best)[1L]]
}

oracle_lines <- function(left, right, spec) {
  pairs <- oracle_pairs(left, right, spec)
  alone_left <- setdiff(seq_len(nrow(left)), pairs$left)
  alone_right <- setdiff(seq_len(nrow(right)), pairs$right)
  add <- function(lines, left = 0L, right = 0L, n) {
    rbind(lines, data.frame(
      left = rep_len(as.integer(left), n), right = rep_len(as.integer(right), n)
    ))
  }
  none <- pairs[0L, ]
  lines <- if (spec$rows %in% c("semi", "anti")) {
    keep <- if (spec$rows == "semi") unique(pairs$left) else alone_left
    add(none, keep, 0L, length(keep))
  } else {
    base <- if (spec$rows == "unmatched") none else pairs
    if (spec$rows %in% c("left", "full", "unmatched")) {
      base <- add(base, alone_left, 0L, length(alone_left))
    }
    base <- base[order(base$left, base$right), ]
    if (spec$rows %in% c("right", "full", "unmatched")) {
      base <- add(base, 0L, alone_right, length(alone_right))
    }
    base
  }
  if (spec$row_order == "right") {
    late <- lines$right == 0L
    lines <- lines[order(late, lines$right, lines$left), ]
  }
  if (spec$row_order == "keys") {
    lines <- lines[oracle_key_order(left, right, lines, spec), ]
  }
  lines
}

# by what was matched: the left's, and the right's where the left is absent
oracle_key_order <- function(left, right, lines, spec) {
  ranks <- lapply(seq_along(spec$left), function(k) {
    sides <- oracle_key_sides(left, right, spec, k)
    parts <- lapply(sides, oracle_sortable, all = sides)
    lapply(seq_along(parts[[1L]]), function(part) {
      ifelse(lines$left == 0L, pick(parts[[2L]][[part]], lines$right),
        pick(parts[[1L]][[part]], lines$left)
      )
    })
  })
  do.call(order, do.call(c, ranks))
}

oracle_key_sides <- function(left, right, spec, k) {
  sides <- list(left[[spec$left[k]]], right[[spec$right[k]]])
  if (is.null(spec$via)) sides else lapply(sides, spec$via)
}

# A column as numbers that sort as its values do among those of both sides: text in
# C order, factors by level
oracle_sortable <- function(x, all) {
  if (all(vapply(all, is.factor, NA))) {
    levels <- unique(unlist(lapply(all, levels)))
    return(list(match(as.character(x), levels[!is.na(levels)])))
  }
  if (is.factor(x) || is.character(x)) {
    texts <- enc2utf8(as.character(unlist(lapply(all, as.character))))
    return(list(match(
      enc2utf8(as.character(x)), sort(unique(texts), method = "radix")
    )))
  }
  if (inherits(x, "Date")) x <- floor(as.numeric(x))
  if (inherits(x, "difftime")) {
    x <- as.numeric(x) * (oracle_seconds(x) / oracle_finest(all[[1L]], all[[2L]]))
  }
  unname(oracle_halves(x))
}

pick <- function(x, rows) {
  if (is.list(x)) {
    return(lapply(rows, function(row) if (row == 0L) NULL else x[[row]]))
  }
  rows[rows == 0L] <- NA
  if (isS4(x)) {
    x@.Data <- x@.Data[rows]
    return(x)
  }
  x[rows]
}

# Both columns in one type, by R's own conversions
oracle_common <- function(x, y) {
  if (inherits(x, "integer64") || inherits(y, "integer64")) {
    # (what overflows is refused, see oracle_overflows())
    return(suppressWarnings(
      list(bit64::as.integer64(x), bit64::as.integer64(y))
    ))
  }
  if (is.factor(x) && is.factor(y) && identical(levels(x), levels(y)) &&
    is.ordered(x) == is.ordered(y)) {
    return(list(x, y))
  }
  if (is.factor(x) && is.factor(y)) {
    ordered <- is.ordered(x) && is.ordered(y) &&
      identical(levels(x), levels(y))
    all <- union(levels(x), levels(y))
    return(list(
      factor(as.character(x), all, ordered = ordered),
      factor(as.character(y), all, ordered = ordered)
    ))
  }
  if (is.factor(x) || is.factor(y)) {
    return(list(as.character(x), as.character(y)))
  }
  if (inherits(x, "POSIXct")) {
    return(list(x, as.POSIXct(as.numeric(y), origin = "1970-01-01",
      tz = attr(x, "tzone")
    )))
  }
  if (inherits(x, "difftime")) {
    y <- as.difftime(as.numeric(y) * (oracle_seconds(y) / oracle_seconds(x)),
      units = attr(x, "units")
    )
  }
  if (is.double(y) && is.integer(x)) storage.mode(x) <- "double"
  if (is.double(x) && is.integer(y)) storage.mode(y) <- "double"
  list(x, y)
}

# the left's values, and the right's in `instead`
oracle_merge <- function(x, y, lines, instead) {
  common <- oracle_common(x, y)
  value <- pick(common[[1L]], lines$left)
  other <- pick(common[[2L]], lines$right)
  value[instead] <- other[instead]
  value
}

is_blank <- function(x) {
  if (is.list(x)) {
    return(vapply(x, is.null, NA))
  }
  is.na(if (is.factor(x)) as.character(x) else x)
}

# whether some number that a key column takes is no 64-bit integer
oracle_overflows <- function(x, y, lines) {
  if (!inherits(x, "integer64") && !inherits(y, "integer64")) {
    return(FALSE)
  }
  used <- list(pick(x, lines$left), pick(y, lines$right)[lines$left == 0L])
  any(vapply(used, function(x) {
    if (!is.double(x) || inherits(x, "integer64")) {
      return(FALSE)
    }
    x <- x[!is.na(x)]
    any(x != trunc(x) | abs(x) >= 2^63)
  }, NA))
}

oracle_join <- function(left, right, spec) {
  lines <- oracle_lines(left, right, spec)
  out <- list()
  put <- function(name, value) {
    if (name %in% names(out)) stop("taken: ", name)
    out[[name]] <<- list(value)
  }
  name_of <- function(column, side) {
    side <- spec$sides[match(side, c("left", "right"))]
    gsub("{side}", side, gsub("{column}", column, spec$name_pattern,
      fixed = TRUE
    ), fixed = TRUE)
  }
  one <- spec$keys == "one"
  one_sided <- spec$rows %in% c("semi", "anti")
  right_columns <- if (one) setdiff(names(right), spec$right) else names(right)
  if (!is.null(spec$take)) {
    first <- if (one) character() else setdiff(spec$right, spec$take)
    right_columns <- c(names(right)[names(right) %in% first], spec$take)
  }
  if (!is.null(spec$omit)) {
    right_columns <- setdiff(right_columns,
      setdiff(spec$omit, if (!one) spec$right)
    )
  }
  both_there <- lines$left > 0L & lines$right > 0L
  merged <- character()
  wrong <- FALSE
  for (name in names(left)) {
    x <- left[[name]]
    k <- match(name, spec$left)
    how <- spec$collisions
    if (one_sided) {
      put(name, pick(x, lines$left))
    } else if (!is.na(k)) {
      y <- right[[spec$right[k]]]
      wrong <- c(wrong, one && oracle_overflows(x, y, lines))
      put(name, if (one) {
        oracle_merge(x, y, lines, lines$left == 0L)
      } else {
        pick(x, lines$left)
      })
    } else if (!name %in% right_columns ||
      (!one && name %in% spec$right)) {
      put(name, pick(x, lines$left))
    } else if (is.function(how)) {
      merged <- c(merged, name)
      put(name, how(pick(x, lines$left), pick(right[[name]], lines$right)))
    } else if (how %in% c("fill", "agree")) {
      merged <- c(merged, name)
      filled <- pick(oracle_common(x, right[[name]])[[1L]], lines$left)
      if (how == "agree") {
        a <- oracle_words(pick(x, lines$left))
        b <- oracle_words(pick(right[[name]], lines$right))
        if (any(both_there & !is.na(a) & !is.na(b) & a != b, na.rm = TRUE)) {
          return("ronda_error_collision")
        }
      }
      put(name, oracle_merge(x, right[[name]], lines,
        is_blank(filled) | lines$left == 0L
      ))
    } else if (how == "stop") {
      return("ronda_error_collision")
    } else if (how == "left") {
      merged <- c(merged, name)
      put(name, pick(x, lines$left))
    } else if (how == "right") {
      merged <- c(merged, name)
      put(name, pick(right[[name]], lines$right))
    } else if (how == "rename_right") {
      put(name, pick(x, lines$left))
    } else {
      put(name_of(name, "left"), pick(x, lines$left))
    }
  }
  if (any(wrong)) {
    return("ronda_error_type")
  }
  for (name in if (!one_sided) setdiff(right_columns, merged)) {
    value <- pick(right[[name]], lines$right)
    meets <- name %in% names(left)
    keep <- !meets || (identical(spec$collisions, "rename_left") &&
      !name %in% spec$left && (one || !name %in% spec$right))
    put(if (keep) name else name_of(name, "right"), value)
  }
  if (!is.null(spec$gap) && !one_sided) {
    ends <- list(pick(left$p, lines$left), pick(right$q, lines$right))
    gap <- oracle_gap(ends[[1L]], ends[[2L]])
    # farther apart than a 64-bit integer counts
    if (any(is.na(gap) & !is.na(ends[[1L]]) & !is.na(ends[[2L]]) & !is.nan(gap))) {
      return("ronda_error_type")
    }
    put(spec$gap, gap)
  }
  if (!is.null(spec$partners)) {
    counts <- tabulate(oracle_pairs(left, right, spec)$left, nrow(left))
    put(spec$partners, pick(counts, lines$left))
  }
  if (!is.null(spec$origin)) {
    put(spec$origin, factor(
      ifelse(lines$left == 0L, spec$sides[2L],
        ifelse(lines$right == 0L, spec$sides[1L], "paired")
      ),
      c(spec$sides, "paired")
    ))
  }
  for (name in names(spec$if_absent)) {
    side <- if (name %in% names(left)) "left" else "right"
    value <- out[[name]][[1L]]
    value[lines[[side]] == 0L] <- spec$if_absent[[name]]
    out[[name]] <- list(value)
  }
  columns <- lapply(out, `[[`, 1L)
  structure(columns,
    names = names(out), row.names = .set_row_names(nrow(lines)),
    class = "data.frame"
  )
}

# Generated cases ---------------------------------------------------------

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
      highest("grade"), lowest("grade")
    )),
    sides = maybe(0.3, c("one", "two"), c("left", "right")),
    take = if (!one_sided) take,
    omit = if (!one_sided && is.null(take)) {
      maybe(0.3, sample(names(case$right), 2L))
    },
    keys = one_of(c("one", "one", "both")),
    collisions = one_of(list(
      "rename", "rename_left", "rename_right", "left", "right", "fill", "agree",
      "stop", function(left, right) paste(left, right)
    )),
    name_pattern = maybe(0.3, "{side}.{column}", "{column}_{side}"),
    origin = if (!one_sided) maybe(0.3, "from"),
    partners = maybe(0.3, "n"),
    if_absent = if (!one_sided) maybe(0.3, list(only = "?")),
    row_order = if (one_sided) "left" else one_of(c("left", "right", "keys"))
  )
  if (default) {
    spec$rows <- one_of(c("left", "inner"))
    spec[c("take", "omit", "origin", "partners", "if_absent")] <- NULL
    spec$keys <- "one"
    spec$row_order <- "left"
    spec$collisions <- "rename"
  }
  spec$condition <- condition[[1L]]
  spec
}

spec_rules <- function(spec) {
  on <- spec$right
  names(on) <- spec$left
  if (!is.null(spec$via)) {
    on <- Map(function(l, r) same(l, r, via = spec$via), spec$left, spec$right)
    on <- unname(on)
  }
  if (length(spec$calls)) c(as.list(on), spec$calls) else on
}

pair_spec <- function(case, spec) {
  pair_rows(case$left, case$right,
    on = spec_rules(spec), where = spec$condition,
    missing_keys = spec$missing_keys, repeats = spec$repeats,
    expect = "rows-multiply", sides = spec$sides
  )
}

run_spec <- function(case, spec) {
  tryCatch(
    join_frames(case$left, case$right,
      on = spec_rules(spec), rows = spec$rows, where = spec$condition,
      missing_keys = spec$missing_keys, repeats = spec$repeats,
      expect = "rows-multiply", sides = spec$sides, take = spec$take,
      omit = spec$omit, keys = spec$keys, collisions = spec$collisions,
      name_pattern = spec$name_pattern, origin = spec$origin,
      partners = spec$partners, if_absent = spec$if_absent, row_order = spec$row_order
    ),
    ronda_error = function(e) class(e)[1L]
  )
}

# The seeds of the cases in which the join and the oracle differ, or an input
# isn't what it was, byte by byte
differing_seeds <- function(seeds, types = NULL, change = identity,
                            ordered = FALSE, explained = FALSE, most = 14L) {
  differs <- vapply(seeds, function(seed) {
    case <- seeded_case(seed, ordered, types, most)
    case_differs(case, change(case$spec), explained)
  }, NA)
  seeds[differs]
}

seeded_case <- function(seed, ordered, types = NULL, most = 14L) {
  set.seed(seed)
  case <- if (ordered) make_ordered_case(most) else make_case(types, most)
  case$spec <- if (ordered) make_ordered_spec(case) else make_spec(case)
  case
}

case_differs <- function(case, spec, explained = FALSE) {
  before <- serialize(case[c("left", "right")], NULL)
  found <- run_spec(case, spec)
  !identical(serialize(case[c("left", "right")], NULL), before) ||
    !same_frame(found, oracle_join(case$left, case$right, spec)) ||
    (explained && !explained_alike(case, spec))
}

# Whether explain_row() names the oracle's partners, for every row of both frames
explained_alike <- function(case, spec) {
  pairing <- pair_spec(case, spec)
  pairs <- oracle_pairs(case$left, case$right, spec)
  every <- function(n, explain, expected) {
    all(vapply(seq_len(n), function(row) {
      found <- explain(row)
      identical(found$partners, as.integer(expected(row))) &&
        all(found$partners %in% found$candidates) &&
        !any(grepl("NaN|-Inf away|by -", found$lines))
    }, NA))
  }
  every(nrow(case$left), function(row) explain_row(pairing, left = row),
    function(row) pairs$right[pairs$left == row]
  ) && every(nrow(case$right), function(row) explain_row(pairing, right = row),
    function(row) pairs$left[pairs$right == row]
  )
}

# (a level that is missing and a missing code are both "missing")
settled_columns <- function(frame) {
  columns <- lapply(unclass(frame), function(x) {
    if (!is.factor(x)) {
      return(x)
    }
    list(as.character(x), setdiff(levels(x), NA), class(x))
  })
  list(columns = columns, n = nrow(frame))
}

# identical(), but NaN and NA are both "missing" and row names need not be
# stored alike
same_frame <- function(x, y) {
  if (is.character(x) || is.character(y)) {
    return(identical(x, y))
  }
  x <- settled_columns(x)
  y <- settled_columns(y)
  identical(names(x$columns), names(y$columns)) && x$n == y$n &&
    all(mapply(identical, x$columns, y$columns, MoreArgs = list(single.NA = TRUE)))
}
