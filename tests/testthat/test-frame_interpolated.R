# interpolated() beside a plain loop over the partners that the oracle finds.

# how far apart two points are, as one number (durations in the finer of two units)
slow_apart <- function(x, y, unit) {
  if (inherits(x, "integer64") || inherits(y, "integer64")) {
    return(as.numeric(bit64::as.integer64(y) - bit64::as.integer64(x)))
  }
  if (inherits(x, "difftime")) {
    return(as.numeric(y) * (oracle_seconds(y) / unit) - as.numeric(x) * (oracle_seconds(x) / unit))
  }
  if (inherits(x, "Date")) floor(as.numeric(y)) - floor(as.numeric(x)) else {
    as.numeric(y) - as.numeric(x)
  }
}

slow_value <- function(x, at, values, first, alone) {
  side <- vapply(seq_along(at), function(k) oracle_compare(x, at[k]), 0)
  nearest_of <- function(rows, later) {
    best <- NULL
    for (k in rows) {
      order <- if (is.null(best)) 1 else oracle_compare(at[k], at[best]) * (if (later) 1 else -1)
      if (order > 0 || order == 0 && !first) best <- k
    }
    best
  }
  behind <- nearest_of(which(side >= 0), TRUE)
  ahead <- nearest_of(which(side <= 0), FALSE)
  if (!is.null(behind) && side[behind] == 0) {
    return(values[behind])
  }
  if (is.null(behind) || is.null(ahead)) {
    return(if (alone) values[c(behind, ahead)][1L] else NA)
  }
  from <- values[behind]
  to <- values[ahead]
  unit <- oracle_finest(x, at)
  way <- slow_apart(at[behind], x, unit) / slow_apart(at[behind], at[ahead], unit)
  if (is.na(from) || is.na(to) || is.nan(way)) NA else from + (to - from) * way
}

interpolated_columns <- function(frame) {
  n <- nrow(frame)
  frame$vi <- some(c(-5:5, 2147483647L), n)
  frame$vd <- some(c(-1.5, 0, 0.1, 1e15, NaN, Inf, -Inf), n)
  frame$vday <- as.Date("2031-05-01") + some(c(0, 1, 7.5), n)
  frame$vtime <- as.POSIXct("2031-05-01", tz = "Etc/GMT-2") + some(0:3, n)
  frame$vspan <- as.difftime(some(c(1, 2.5), n), units = "mins")
  frame
}

test_that("values between partners are those of a plain loop, for every rule and type", {
  wrong <- character()
  compared <- 0
  for (seed in 1:100) {
    set.seed(5e5 + seed)
    case <- make_ordered_case()
    if (!case$distances) next
    case$right <- interpolated_columns(case$right)
    spec <- make_ordered_spec(case)
    rule <- if (seed %% 4 == 0) {
      list(
        rule = list(kind = "around", before = one_of(c(0, 1, 60, 1e9)), after = 2),
        call = NULL
      )
    } else {
      make_nearest_rule(case, FALSE)
    }
    if (seed %% 4 == 0) {
      rule$call <- around("p", "q", before = rule$rule$before, after = rule$rule$after)
    } else if (!isTRUE(case$sorted)) {
      rule$rule$look <- one_of(c("both", "both", "either"))
      rule$call <- nearest("p", "q", look = rule$rule$look, within = rule$rule$within,
        equal = rule$rule$equal, ties = rule$rule$ties, n = rule$rule$n
      )
    }
    spec$ordered <- list(rule$rule)
    spec$calls <- list(rule$call)
    if (oracle_is_once(spec$repeats)) spec$repeats <- "all"
    pairs <- oracle_pairs(case$left, case$right, spec)
    names <- c("vi", "vd", "vday", "vtime", "vspan")
    alone <- runif(1) < 0.5
    word <- if (alone) ", alone = \"value\"" else ""
    texts <- c(sprintf("interpolated(right$%s%s)", names, word),
      sprintf("{x <- interpolated(right$%s%s); x}", names, word)
    )
    fold <- lapply(texts, function(text) eval(parse(text = paste("~", text))[[1L]]))
    joined <- suppressWarnings(join_frames(case$left, case$right, on = spec_rules(spec),
      where = spec$condition, missing_keys = spec$missing_keys, repeats = spec$repeats,
      fold = stats::setNames(fold, paste0("z", seq_along(fold)))
    ))
    for (k in seq_along(names)) {
      y <- case$right[[names[k]]]
      expected <- vapply(seq_len(nrow(case$left)), function(i) {
        rows <- pairs$right[pairs$left == i]
        as.numeric(slow_value(case$left$p[i], case$right$q[rows], as.numeric(y)[rows],
          identical(rule$rule$ties, "first"), alone
        ))
      }, 0)
      attributes(expected) <- attributes(y)
      for (way in c(0L, length(names))) {
        found <- joined[[paste0("z", k + way)]]
        same <- identical(is.na(found), is.na(expected)) &&
          identical(found[!is.na(found)], expected[!is.na(expected)])
        if (!same) wrong <- c(wrong, sprintf("%d %s", seed, names[k]))
        compared <- compared + length(found)
      }
    }
  }
  expect_identical(wrong, character())
  expect_gt(compared, 4000)
})

test_that("interpolated() says what it can't take", {
  left <- data.frame(k = 1, t = 2)
  right <- data.frame(k = 1, t = c(1, 3), v = c(10, 20), w = c("a", "b"),
    l = bit64::as.integer64(1:2)
  )
  both <- nearest("t", look = "both")
  fold <- function(formula, on = both) join_frames(left, right, on = on, fold = list(z = formula))$z
  expect_identical(fold(~ interpolated(right$v)), 15)
  expect_identical(fold(~ interpolated(right$v + right$t) * 2), 34)
  expect_identical(fold(~ interpolated(right$v), nearest("t")), NA_real_)
  expect_identical(fold(~ interpolated(right$v, alone = "value"), nearest("t")), 10)
  expect_identical(fold(~ interpolated(right$v), on = around("t", before = 1, after = 5)), 15)
  for (wrong in list(list(~ interpolated(right$w), "Numbers, dates and times"),
    list(~ interpolated(right$l), "as.double"), list(~ interpolated(1), "partners"),
    list(~ interpolated(right$v, alone = "keep"), "\"missing\" or \"value\"")
  )) {
    expect_error(fold(wrong[[1L]]), wrong[[2L]], class = "ronda_error_argument")
  }
  expect_error(fold(~ interpolated(right$v), "k"), "look = \"both\"",
    class = "ronda_error_argument"
  )
  expect_error(fold(~ interpolated(right$v), in_turn("k", "t")), class = "ronda_error_argument")
  none <- join_frames(left, right[0L, ], on = both, fold = list(
    z = ~ interpolated(right$v), y = ~ interpolated(right$t) + 1
  ))
  expect_identical(none$z, NA_real_)
  expect_identical(none$y, NA_real_)
})

test_that("both neighbours and what lies between them come out of files as from memory", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 13)
  on <- list("port", nearest("departs", "read_at", look = "both", within = "1 hour", gap = "away"))
  fold <- list(height = ~ interpolated(right$height), n = ~ nrow(right))
  for (way in c("parts", "right_whole")) {
    for (given in list(list(fold = fold), list(rows = "left"))) {
      expected <- do.call(join_frames, c(list(sailings, tide_readings, on = on), given))
      out <- withr::local_tempfile()
      joined <- do.call(join_files, c(list(sailings, tide_readings, on = on, way = way, parts = 3,
        row_order = "left", out = out, expect = "rows-multiply"), given))
      expect_equal(as.data.frame(read_frame(out)), expected, ignore_attr = "tzone")
    }
  }
})
