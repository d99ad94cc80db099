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
  if (!is.null(spec$turns)) {
    return(oracle_turns(left, right, spec)$pairs)
  }
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
        partners <- if (oracle_is_once(spec$repeats)) {
          oracle_reach(partners, left, right, i, rule)$partners
        } else {
          oracle_nearest(partners, left, right, i, rule)
        }
      }
    }
    pairs[[i]] <- oracle_repeats(partners, left, right, i, spec$repeats)
  }
  pairs <- data.frame(
    left = rep(seq_len(nrow(left)), lengths(pairs)),
    right = as.integer(unlist(pairs))
  )
  if (oracle_is_once(spec$repeats)) oracle_once(pairs, left, right, spec) else pairs
}

# Keys tried in turn, each for the rows that those before left alone: list(pairs, steps)
oracle_turns <- function(left, right, spec) {
  partners <- rep(list(integer()), nrow(left))
  steps <- integer(nrow(left))
  for (k in seq_along(spec$turns)) {
    one <- spec
    one$turns <- NULL
    one$repeats <- "all"
    one[c("left", "right")] <- spec$turns[[k]]
    pairs <- oracle_pairs(left, right, one)
    for (i in which(steps == 0L)) {
      partners[[i]] <- pairs$right[pairs$left == i]
      if (length(partners[[i]])) steps[i] <- k
    }
  }
  partners <- lapply(seq_along(partners), function(i) {
    oracle_repeats(partners[[i]], left, right, i, spec$repeats)
  })
  pairs <- data.frame(
    left = rep(seq_len(nrow(left)), lengths(partners)),
    right = as.integer(unlist(partners))
  )
  if (oracle_is_once(spec$repeats)) {
    in_turn <- order(steps[pairs$left], pairs$left, pairs$right)
    pairs <- if (is.list(spec$repeats)) oracle_once(pairs, left, right, spec, steps) else {
      oracle_once(pairs[in_turn, ], left, right, spec)
    }
  }
  steps[setdiff(seq_along(steps), pairs$left)] <- NA
  list(pairs = pairs, steps = steps)
}

# Pairs in turn, those whose two rows are in none yet: the closest first with nearest(),
# else in order
oracle_once <- function(pairs, left, right, spec, steps = integer(nrow(left))) {
  if (is.list(spec$repeats) && nrow(pairs)) {
    ranks <- oracle_choosing(pairs$left, pairs$right, left, right, spec$repeats)
    order <- do.call(order, c(list(steps[pairs$left]), ranks, pairs[c("left", "right")]))
    pairs <- pairs[order, ]
  }
  nearest <- any(vapply(spec$ordered, function(rule) rule$kind == "nearest", NA))
  if (nearest && nrow(pairs)) {
    apart <- lapply(seq_len(nrow(pairs)), function(k) {
      oracle_apart(left$p[pairs$left[k]], right$q[pairs$right[k]])
    })
    pairs <- pairs[order(vapply(apart, `[`, 0, 1L), vapply(apart, `[`, 0, 2L), pairs$left,
      pairs$right
    ), ]
  }
  kept <- pairs[0L, ]
  for (k in seq_len(nrow(pairs))) {
    free <- !pairs$left[k] %in% kept$left && !pairs$right[k] %in% kept$right
    if (free) kept <- rbind(kept, pairs[k, ])
  }
  kept[order(kept$left), ]
}

oracle_is_once <- function(repeats) {
  identical(repeats, "once") || is.list(repeats) && repeats$once
}

oracle_repeats <- function(partners, left, right, i, repeats) {
  if (length(partners) < 2L || identical(repeats, "all") || oracle_is_once(repeats)) {
    return(partners)
  }
  if (identical(repeats, "first")) {
    return(partners[1L])
  }
  if (identical(repeats, "last")) {
    return(partners[length(partners)])
  }
  ranks <- oracle_choosing(rep(i, length(partners)), partners, left, right, repeats)
  partners[do.call(order, c(ranks, list(partners)))[1L]]
}

# What decides among pairs, by number: the lowest is the best, missing ones are last
oracle_choosing <- function(rows, others, left, right, repeats) {
  lapply(repeats$by, function(by) {
    values <- if (is.character(by)) right[[by]][others] else {
      vapply(seq_along(rows), function(k) {
        as.numeric(eval(by[[2L]],
          list(left = row_of(left, rows[k]), right = row_of(right, others[k]))
        ))
      }, 0)
    }
    if (is.factor(values)) {
      values <- match(as.character(values), levels(values), incomparables = NA)
    }
    rank <- match(values, sort(unique(values), method = "radix"), incomparables = NA)
    if (repeats$highest) rank <- -rank
    rank[is.na(values)] <- Inf
    rank
  })
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
  if (".rest" %in% names(spec$take)) {
    taken <- unname(spec$take[names(spec$take) != ".rest"])
    spec$take <- c(taken, setdiff(right_columns, taken))
  }
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
      # where no right row stands alone the key is the left's own
      shared <- one && spec$rows %in% c("right", "full", "unmatched")
      wrong <- c(wrong, shared && oracle_overflows(x, y, lines))
      put(name, if (shared) {
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
    } else if (how %in% c("update", "replace")) {
      if (anyDuplicated(lines$left[both_there])) {
        return("ronda_error_collision")
      }
      merged <- c(merged, name)
      common <- oracle_common(x, right[[name]])
      given <- lines$right > 0L &
        (how == "replace" | !is_blank(pick(common[[2L]], lines$right)))
      put(name, oracle_merge(x, right[[name]], lines, given))
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
    # a distance: only "either" tells the two sides apart
    ahead <- spec$ordered[[1L]]$look == "ahead"
    gap <- if (!ahead) {
      oracle_gap(ends[[1L]], ends[[2L]])
    } else if (inherits(ends[[1L]], "difftime")) {
      -oracle_gap(ends[[1L]], ends[[2L]])
    } else {
      oracle_gap(ends[[2L]], ends[[1L]])
    }
    # farther apart than a 64-bit integer counts
    if (any(is.na(gap) & !is.na(ends[[1L]]) & !is.na(ends[[2L]]) & !is.nan(gap))) {
      return("ronda_error_type")
    }
    put(spec$gap, gap)
  }
  for (rule in if (!one_sided) spec$ordered) {
    stretch <- if (!is.null(rule$shared)) oracle_stretch(left, right, lines, rule)
    if (is.character(stretch)) {
      return(stretch)
    }
    for (k in seq_along(rule$shared)) put(rule$shared[k], stretch[[k]])
  }
  if (!is.null(spec$turns) && !one_sided) {
    put("by", pick(oracle_turns(left, right, spec)$steps, lines$left))
  }
  if (!is.null(spec$partners)) {
    candidates <- spec
    candidates$repeats <- "all"
    for (k in seq_along(candidates$ordered)) {
      if (oracle_is_once(spec$repeats)) candidates$ordered[[k]]$ties <- "last"
    }
    counts <- tabulate(oracle_pairs(left, right, candidates)$left, nrow(left))
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
  if (!is.null(spec$row_numbers)) {
    for (side in if (one_sided) "left" else c("left", "right")) {
      row <- lines[[side]]
      row[row == 0L] <- NA
      put(spec$row_numbers[match(side, c("left", "right"))], row)
    }
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
