# Every pair of tiny frames there is, beside definitions of a few lines each.
#
# The frames of all cases stand below each other, told apart by a column `case`: one call joins
# them all, and one definition says for every left and every right row of a case whether they
# pair. `tools/exhaust.R` runs all of it, test-tiny.R a part; both also join some cases alone.

# all frames of up to `most` rows whose rows are of `values` (vectors of one length, by column)
tiny_frames <- function(most, ...) {
  rows <- expand.grid(..., KEEP.OUT.ATTRS = FALSE)
  numbers <- lapply(0:most, function(n) {
    if (n) asplit(as.matrix(expand.grid(rep(list(seq_len(nrow(rows))), n))), 1L) else {
      list(integer())
    }
  })
  lapply(unlist(numbers, recursive = FALSE), function(at) rows[at, , drop = FALSE])
}

# the frames of all cases below each other: list(left, right), with the row's number in `x` or `y`
tiny_stack <- function(lefts, rights) {
  cases <- expand.grid(left = seq_along(lefts), right = seq_along(rights))
  stacked <- function(frames, at, number) {
    all <- do.call(rbind, frames)
    sizes <- vapply(frames, nrow, 0L)
    first <- cumsum(c(0L, sizes))[seq_along(frames)]
    rows <- sequence(sizes[at], first[at] + 1L)
    out <- cbind(case = rep(seq_along(at), sizes[at]), all[rows, , drop = FALSE])
    out[[number]] <- seq_len(nrow(out))
    rownames(out) <- NULL
    out
  }
  list(left = stacked(lefts, cases$left, "x"), right = stacked(rights, cases$right, "y"))
}

# each left row beside each right row of its case, in the order of left and then right rows: a
# frame of x, y and both sides' columns (`left.` and `right.` before their names)
tiny_combinations <- function(stack) {
  of_case <- split(stack$right$y, factor(stack$right$case, seq_len(max(0, stack$left$case))))
  partners <- of_case[stack$left$case]
  x <- rep(stack$left$x, lengths(partners))
  y <- as.integer(unlist(partners))
  sides <- list(left = stack$left[x, ], right = stack$right[y, ])
  names <- unlist(lapply(names(sides), function(side) paste0(side, ".", names(sides[[side]]))))
  found <- structure(as.list(unlist(lapply(sides, as.list), recursive = FALSE)), names = names)
  data.frame(x = x, y = y, found)
}

# Which combinations are candidates ----------------------------------------------------

tiny_equal <- function(a, b, missing_keys) {
  (a == b) %in% TRUE | missing_keys == "match" & is.na(a) & is.na(b)
}

# a point in an interval; a missing bound is none where `open_ended`
tiny_inside <- function(point, from, to, ends, open_ended) {
  starts <- if (substr(ends, 1, 1) == "[") from <= point else from < point
  stops <- if (substr(ends, 2, 2) == "]") point <= to else point < to
  if (open_ended) {
    starts <- starts | is.na(from)
    stops <- stops | is.na(to)
  }
  !is.na(point) & starts %in% TRUE & stops %in% TRUE
}

# two intervals share a point: of halves and whole numbers one of these does, as bounds are whole
tiny_overlap <- function(from, to, other_from, other_to, ends, open_ended) {
  Reduce(`|`, lapply(seq(-1, 6, by = 0.5), function(point) {
    tiny_inside(point, from, to, ends, open_ended) &
      tiny_inside(point, other_from, other_to, ends, open_ended)
  }))
}

# how far a right value is, missing where it is on the side that isn't looked at
tiny_distance <- function(left, right, look, equal, within) {
  gap <- left - right
  sees <- switch(look, back = gap >= 0, ahead = gap <= 0, either = TRUE)
  distance <- ifelse(sees & (equal | gap != 0) & abs(gap) <= within, abs(gap), NA)
  distance
}

# Of each left row's candidates the `n` closest; of several at one point those that `ties` says
tiny_nearest <- function(all, look, equal, within, n, ties) {
  if (look == "both") {
    sides <- lapply(c("back", "ahead"), tiny_nearest,
      all = all, equal = equal, within = within, n = n, ties = ties
    )
    both <- unique(do.call(rbind, sides))
    return(both[order(both$x, both$y), ])
  }
  all$distance <- tiny_distance(all$left.k, all$right.k, look, equal, within)
  all <- all[!is.na(all$distance), ]
  # of two at equal distance the earlier
  all <- all[order(all$x, all$distance, all$right.k, if (ties == "last") -all$y else all$y), ]
  place <- sequence(rle(all$x)$lengths)
  # of rows at one point the place of the first
  first <- !duplicated(all[c("x", "right.k")])
  point <- place[first][cumsum(first)]
  kept <- all[(if (ties == "all") point else place) <= n, c("x", "y")]
  kept[order(kept$x, kept$y), ]
}

# Pairs in turn, those whose rows are both free; `order` says in which
tiny_once <- function(pairs, order) {
  used_left <- logical(max(0, pairs$x))
  used_right <- logical(max(0, pairs$y))
  kept <- logical(nrow(pairs))
  for (k in order) {
    x <- pairs$x[k]
    y <- pairs$y[k]
    if (used_left[x] || used_right[y]) next
    kept[k] <- used_left[x] <- used_right[y] <- TRUE
  }
  pairs[kept, ]
}

tiny_repeats <- function(pairs, repeats) {
  switch(repeats,
    all = pairs, first = pairs[!duplicated(pairs$x), ],
    last = pairs[!duplicated(pairs$x, fromLast = TRUE), ],
    once = tiny_once(pairs, seq_len(nrow(pairs)))
  )
}

# The rows of the result -----------------------------------------------------------------

# list(x, y) of the result's rows, missing where a side is absent
tiny_rows <- function(pairs, stack, rows) {
  left <- setdiff(stack$left$x, pairs$x)
  right <- setdiff(stack$right$y, pairs$y)
  no <- function(values) rep(NA_integer_, length(values))
  below <- function(x, y, sort = FALSE) {
    found <- data.frame(x = x, y = y)
    if (sort) found <- found[order(found$x, found$y), ]
    found
  }
  switch(rows,
    inner = pairs[c("x", "y")],
    left = below(c(pairs$x, left), c(pairs$y, no(left)), TRUE),
    right = below(c(pairs$x, no(right)), c(pairs$y, right)),
    full = rbind(below(c(pairs$x, left), c(pairs$y, no(left)), TRUE), below(no(right), right)),
    semi = data.frame(x = unique(pairs$x)), anti = data.frame(x = left),
    unmatched = below(c(left, no(right)), c(no(left), right))
  )
}

tiny_row_types <- c("inner", "left", "right", "full", "semi", "anti", "unmatched")

# whether a frame has other values than a list of columns says
tiny_differ <- function(expected, found) {
  !identical(lapply(expected, as.integer), lapply(as.list(found)[names(expected)], as.integer))
}

tiny_quietly <- function(code) {
  withCallingHandlers(code, ronda_warning = function(w) invokeRestart("muffleWarning"))
}

# How many cases differ. `stack`: of tiny_stack(); `expected`: columns of the result, `x` or `y`
# among them; `on`: the rules without that of `case`; `alone`: cases to join alone, too
tiny_differences <- function(stack, expected, on, rows, ..., alone = integer()) {
  differ <- function(expected, left, right, on) {
    tiny_differ(expected, tiny_quietly(join_frames(left, right, on = on, rows = rows, ...)))
  }
  keyed <- if (is.null(stack$turns)) c(list("case"), on) else {
    do.call(in_turn, lapply(on, function(step) list("case", step)))
  }
  wrong <- as.integer(differ(expected, stack$left, stack$right, keyed))
  bare <- if (is.null(stack$turns)) on else do.call(in_turn, on)
  of_left <- split(stack$left$x, stack$left$case)
  of_right <- split(stack$right$y, stack$right$case)
  cases <- stack$left$case[expected$x]
  if (anyNA(cases)) cases[is.na(cases)] <- stack$right$case[expected$y[is.na(cases)]]
  at <- split(seq_along(cases), cases)
  for (case in as.character(alone)) {
    one <- lapply(expected, function(rows) rows[at[[case]]])
    left <- stack$left[of_left[[case]], -1L, drop = FALSE]
    right <- stack$right[of_right[[case]], -1L, drop = FALSE]
    wrong <- wrong + differ(one, left, right, bare)
  }
  wrong
}

# The suite of an interval rule: `holds` says which combinations pair, `rule` makes the rule
tiny_intervals <- function(lefts, rights, holds, rule, repeats = "all") {
  list(stack = tiny_stack(lefts, rights), each = function(all, run) {
    for (ends in c("[)", "[]", "(]", "()")) for (open_ended in c(FALSE, TRUE)) {
      held <- all[holds(all, ends, open_ended), c("x", "y")]
      for (rows in tiny_row_types) for (how in repeats) {
        run(tiny_repeats(held, how), list(rule(ends = ends, open_ended = open_ended)), rows,
          repeats = how
        )
      }
    }
  })
}

tiny_points <- function(most) tiny_frames(most, k = c(1:3, NA))

tiny_spans <- function(most) tiny_frames(most, from = c(1:3, NA), to = c(1:3, NA))

# All of it ------------------------------------------------------------------------------

# Each of these takes a function run(pairs, on, rows, ...) and calls it for every option there
# is: list(stack, each). `most`: how many rows frames have at most
tiny_suites <- list(
  equal = function(most = 3) {
    frames <- tiny_points(most)
    list(stack = tiny_stack(frames, frames), each = function(all, run) {
      for (missing_keys in c("unmatched", "match")) {
        held <- all[tiny_equal(all$left.k, all$right.k, missing_keys), c("x", "y")]
        for (repeats in c("all", "first", "last", "once")) for (rows in tiny_row_types) {
          run(tiny_repeats(held, repeats), list("k"), rows,
            missing_keys = missing_keys, repeats = repeats
          )
        }
      }
    })
  },
  nearest = function(most = 3) {
    frames <- tiny_points(most)
    list(stack = tiny_stack(frames, frames), each = function(all, run) {
      options <- expand.grid(
        look = c("back", "ahead", "either", "both"), equal = c(TRUE, FALSE),
        within = c(Inf, 1, 0), n = c(1, 2, Inf), ties = c("last", "first", "all"),
        repeats = c("all", "first", "last", "once"), stringsAsFactors = FALSE
      )
      # refused: what `once` leaves no meaning, and on both sides at once
      plain <- options$n == 1 & options$ties == "last" & options$look != "both"
      options <- options[options$repeats != "once" | plain, ]
      # One row type for each; over all of them each type meets each option.
      rows <- rep_len(tiny_row_types, nrow(options))
      for (k in seq_len(nrow(options))) {
        o <- options[k, ]
        pairs <- if (o$repeats == "once") {
          # The closest go first, among all that are in reach.
          distance <- tiny_distance(all$left.k, all$right.k, o$look, o$equal, o$within)
          held <- all[!is.na(distance), c("x", "y")]
          near <- distance[!is.na(distance)]
          tiny_once(held, order(near, held$x, held$y))
        } else {
          tiny_repeats(tiny_nearest(all, o$look, o$equal, o$within, o$n, o$ties), o$repeats)
        }
        on <- list(nearest("k",
          look = o$look, equal = o$equal, within = o$within, n = o$n, ties = o$ties
        ))
        run(pairs, on, rows[k], repeats = o$repeats)
      }
    })
  },
  around = function(most = 3) {
    frames <- tiny_points(most)
    list(stack = tiny_stack(frames, frames), each = function(all, run) {
      for (before in c(0, 1, Inf)) for (after in c(0, 1, Inf)) for (rows in tiny_row_types) {
        gap <- all$right.k - all$left.k
        held <- all[(-before <= gap & gap <= after) %in% TRUE, c("x", "y")]
        run(held, list(around("k", before = before, after = after)), rows)
      }
      for (op in c("<", "<=", ">", ">=", "!=")) for (rows in tiny_row_types) {
        held <- all[match.fun(op)(all$left.k, all$right.k) %in% TRUE, c("x", "y")]
        run(held, list(relate("k", op)), rows)
      }
    })
  },
  inside = function(most = 2) {
    tiny_intervals(tiny_points(most), tiny_spans(most), function(all, ends, open_ended) {
      tiny_inside(all$left.k, all$right.from, all$right.to, ends, open_ended)
    }, function(...) inside("k", "from", "to", ...), c("all", "last", "once"))
  },
  covers = function(most = 2) {
    tiny_intervals(tiny_spans(most), tiny_points(most), function(all, ends, open_ended) {
      tiny_inside(all$right.k, all$left.from, all$left.to, ends, open_ended)
    }, function(...) covers("from", "to", "k", ...))
  },
  overlap = function(most = 2) {
    tiny_intervals(tiny_spans(most), tiny_spans(most), function(all, ends, open_ended) {
      tiny_overlap(all$left.from, all$left.to, all$right.from, all$right.to, ends, open_ended)
    }, function(...) overlap("from", "to", ...))
  },
  fold = function(most = 3) {
    frames <- tiny_points(most)
    stack <- tiny_stack(frames, frames)
    folds <- list(
      n = ~ nrow(right), sum = ~ sum(right$y), first = ~ right$y[1],
      last = ~ right$y[length(right$y)], different = ~ length(unique(right$k))
    )
    folded <- function(all, held, rows) {
      of_row <- split(all[held, c("y", "right.k")], factor(all$x[held], stack$left$x))
      n <- vapply(of_row, nrow, 0L)
      of_some <- function(f) {
        out <- rep(NA_integer_, length(n))
        out[n > 0L] <- vapply(of_row[n > 0L], f, 0L)
        out
      }
      out <- list(
        x = stack$left$x, n = n, sum = of_some(function(one) sum(one$y)),
        first = of_some(function(one) one$y[1L]), last = of_some(function(one) one$y[nrow(one)]),
        different = vapply(of_row, function(one) length(unique(one$right.k)), 0L)
      )
      lapply(out, function(column) unname(if (rows == "left") column else column[n > 0L]))
    }
    list(stack = stack, each = function(all, run) {
      for (rows in c("left", "inner")) {
        for (missing_keys in c("unmatched", "match")) {
          held <- tiny_equal(all$left.k, all$right.k, missing_keys)
          run(NULL, list("k"), rows,
            missing_keys = missing_keys, fold = folds, expected = folded(all, held, rows)
          )
        }
        for (within in c(0, 1, Inf)) {
          held <- (abs(all$left.k - all$right.k) <= within) %in% TRUE
          run(NULL, list(around("k", before = within, after = within)), rows,
            fold = folds, expected = folded(all, held, rows)
          )
        }
        for (look in c("back", "either")) {
          pairs <- tiny_nearest(all, look, TRUE, Inf, 2, "last")
          held <- paste(all$x, all$y) %in% paste(pairs$x, pairs$y)
          run(NULL, list(nearest("k", look = look, n = 2)), rows,
            fold = folds, expected = folded(all, held, rows)
          )
        }
      }
    })
  },
  in_turn = function(most = 2) {
    frames <- tiny_frames(most, a = c(1:2, NA), b = c(1:2, NA))
    stack <- c(tiny_stack(frames, frames), turns = TRUE)
    list(stack = stack, each = function(all, run) {
      for (missing_keys in c("unmatched", "match")) {
        by_a <- tiny_equal(all$left.a, all$right.a, missing_keys)
        by_b <- tiny_equal(all$left.b, all$right.b, missing_keys)
        step <- ifelse(all$x %in% all$x[by_a], 1L, 2L)
        held <- ifelse(step == 1L, by_a, by_b)
        found <- cbind(all[c("x", "y")], step)[held, ]
        for (repeats in c("all", "first", "once")) for (rows in tiny_row_types) {
          in_turn <- order(found$step, found$x, found$y)
          pairs <- if (repeats == "once") tiny_once(found, in_turn) else {
            tiny_repeats(found, repeats)
          }
          run(pairs, list("a", "b"), rows, missing_keys = missing_keys, repeats = repeats)
        }
      }
    })
  }
)

# Runs a suite: c(joins, wrong). `share` of the cases joined alone; options of which `every` is
# one are taken
run_tiny <- function(name, most = NULL, share = 0, every = 1L) {
  suite <- do.call(tiny_suites[[name]], compact(list(most = most)))
  stack <- suite$stack
  all <- tiny_combinations(stack)
  cases <- max(stack$left$case, stack$right$case)
  counts <- c(joins = 0, wrong = 0)
  option <- 0L
  suite$each(all, function(pairs, on, rows, ...,
                           expected = as.list(tiny_rows(pairs, stack, rows))) {
    option <<- option + 1L
    if (option %% every != 0L) {
      return()
    }
    alone <- if (share >= 1) seq_len(cases) else sample.int(cases, ceiling(share * cases))
    wrong <- tiny_differences(stack, expected, on, rows, ..., alone = alone)
    if (wrong) {
      message(sprintf("%s differs: %s, rows = \"%s\", %s", name,
        paste(deparse(unclass(on)), collapse = " "), rows, paste(deparse(list(...)), collapse = " ")
      ))
    }
    counts <<- counts + c(cases + length(alone), wrong)
  })
  counts
}

# Chains of three frames, all of them: each frame is paired with the rows so far
run_tiny_chain <- function(most = 2, share = 0) {
  frames <- tiny_frames(most, k = c(1:2, NA))
  at <- expand.grid(x = seq_along(frames), y = seq_along(frames), z = seq_along(frames))
  all <- do.call(rbind, frames)
  sizes <- vapply(frames, nrow, 0L)
  first <- cumsum(c(0L, sizes))[seq_along(frames)]
  stacked <- lapply(names(at), function(name) {
    of <- at[[name]]
    out <- data.frame(
      case = rep(seq_along(of), sizes[of]), k = all$k[sequence(sizes[of], first[of] + 1L)]
    )
    out[[name]] <- seq_len(nrow(out))
    out
  })
  names(stacked) <- c("one", "two", "three")
  # the rows so far with one frame more
  extended <- function(so_far, frame, rows, missing_keys) {
    number <- names(frame)[3L]
    both <- tiny_combinations(list(
      left = data.frame(case = so_far$case, k = so_far$k, x = seq_len(nrow(so_far))),
      right = data.frame(case = frame$case, k = frame$k, y = frame[[number]])
    ))
    pairs <- both[tiny_equal(both$left.k, both$right.k, missing_keys), c("x", "y")]
    if (rows != "inner") {
      alone <- setdiff(seq_len(nrow(so_far)), pairs$x)
      pairs <- rbind(pairs, data.frame(x = alone, y = rep(NA_integer_, length(alone))))
      pairs <- pairs[order(pairs$x, pairs$y), ]
    }
    out <- so_far[pairs$x, ]
    out[[number]] <- pairs$y
    if (rows == "full") {
      new <- setdiff(frame[[number]], pairs$y)
      more <- so_far[rep(NA_integer_, length(new)), ]
      more$case <- frame$case[new]
      more$k <- frame$k[new]
      more[[number]] <- new
      out <- rbind(out, more)
    }
    out
  }
  counts <- c(joins = 0, wrong = 0)
  for (rows in c("full", "left", "inner")) for (missing_keys in c("unmatched", "match")) {
    expected <- extended(stacked$one, stacked$two, rows, missing_keys)
    expected <- extended(expected, stacked$three, rows, missing_keys)
    join <- function(frames, on) {
      tiny_quietly(join_many(frames, on = on, rows = rows, missing_keys = missing_keys))
    }
    differ <- function(expected, found) {
      tiny_differ(as.list(expected)[c("k", "x", "y", "z")], found)
    }
    wrong <- differ(expected, join(stacked, c("case", "k")))
    alone <- if (share >= 1) seq_len(nrow(at)) else sample.int(nrow(at), ceiling(share * nrow(at)))
    for (case in alone) {
      found <- join(lapply(stacked, function(frame) frame[frame$case == case, -1L]), "k")
      wrong <- wrong + differ(expected[expected$case == case, ], found)
    }
    if (wrong) message(sprintf("a chain differs: rows = \"%s\", %s", rows, missing_keys))
    counts <- counts + c(nrow(at) + length(alone), wrong)
  }
  counts
}
