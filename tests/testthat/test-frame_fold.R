# Folded frames compared with R's own functions, asked of the oracle's partners.

fold_columns <- function(frame) {
  n <- nrow(frame)
  frame$xi <- some(c(-5:5, 2147483647L), n)
  frame$xd <- some(c(-1.5, 0, -0, 0.1, 0.2, 0.3, 1e15, NaN, Inf, -Inf), n)
  frame$xl <- some(c(TRUE, FALSE), n)
  frame$xt <- some(c("a", "b", "\u00e9", iconv("\u00e9", "UTF-8", "latin1")), n)
  frame$xf <- factor(some(c("u", "v"), n), c("v", "u", "w"))
  frame$xday <- as.Date("2031-05-01") + some(c(0, 1, 1.5), n)
  frame$xwhole <- structure(some(c(22400L, 22401L), n), class = "Date")
  frame$xtime <- as.POSIXct("2031-05-01", tz = "Etc/GMT-2") + some(0:3, n)
  frame$xspan <- as.difftime(some(c(1, 2.5), n), units = "mins")
  frame$xlong <- bit64::as.integer64(some(c("9007199254740993", "1"), n))
  frame
}

# (those that R refuses, such as the sum of dates, are left out)
fold_formulas <- function() {
  numbers <- c("xi", "xd", "xl")
  times <- c("xday", "xwhole", "xtime", "xspan")
  forms <- list(
    sum = c(numbers, "xspan"), mean = c(numbers, times), min = c(numbers, times),
    max = c(numbers, times), any = "xl", all = "xl"
  )
  text <- unlist(lapply(names(forms), function(f) {
    c(sprintf("%s(right$%s)", f, forms[[f]]), sprintf("%s(right$%s, na.rm = TRUE)", f, forms[[f]]))
  }))
  every <- c(numbers, times, "xt", "xf")
  c(
    text, sprintf("right$%s[1]", every), sprintf("right[[\"%s\"]][length(right$%s)]", every, every),
    sprintf("length(unique(right$%s))", every), "nrow(right)", "length(right$xd)",
    # by R
    "median(right$xd)", "sum(right$xi * 1) + nrow(left)", "right$xlong[1]", "rev(right$xi)[1L]",
    "list(unique(right$xt))", "list(range(right$xday))", "right", "list(right$xf)",
    "paste(right$xt, collapse = \"\")", "length(which(right$xl))",
    "(nrow(right[right$xl %in% TRUE, ]))"
  )
}

oracle_fold <- function(code, left, right, pairs, environment) {
  n <- nrow(left)
  values <- lapply(seq_len(n), function(i) {
    rows <- pairs$right[pairs$left == i]
    if (!length(rows)) {
      return(NULL)
    }
    partners <- as_frame(lapply(right, pick, rows), length(rows))
    value <- suppressWarnings(eval(code, list(
      left = as_frame(row_of(left, i), 1L), right = partners
    ), environment))
    list(value)
  })
  paired <- lengths(values) > 0L
  given <- lapply(values[paired], `[[`, 1L)
  if (!length(given)) {
    return(NULL)
  }
  if (is.data.frame(given[[1L]])) {
    return(list(list = given, paired = paired))
  }
  if (is.list(given[[1L]])) {
    return(list(list = lapply(given, `[[`, 1L), paired = paired))
  }
  column <- do.call(c, given)
  at <- rep(NA_integer_, n)
  at[paired] <- seq_along(given)
  column <- column[at]
  if (oracle_counts(code)) column[!paired] <- 0L
  column
}

# whether a formula is one call that counts, in brackets or not
oracle_counts <- function(code) {
  if (is.call(code) && identical(code[[1L]], quote(`(`))) code <- code[[2L]]
  is.call(code) && as.character(code[[1L]]) %in% c("nrow", "length")
}

# the formulas whose values differ from the oracle's
fold_differs <- function(seed, ordered, most = 12L) {
  case <- seeded_case(seed, ordered, most = most)
  case$right <- fold_columns(case$right)
  spec <- case$spec
  texts <- sample(fold_formulas(), 12L)
  fold <- lapply(texts, function(text) eval(parse(text = paste("~", text))[[1L]]))
  names(fold) <- paste0("z", seq_along(fold))
  arguments <- list(on = spec_rules(spec), where = spec$condition,
    missing_keys = spec$missing_keys, repeats = spec$repeats
  )
  pairs <- oracle_pairs(case$left, case$right, spec)
  frames <- list(
    suppressWarnings(do.call(join_frames, c(case[c("left", "right")], arguments,
      list(fold = fold)
    ), quote = TRUE)),
    suppressWarnings(build_frame(do.call(pair_rows, c(case[c("left", "right")], arguments,
      list(expect = "rows-multiply")
    ), quote = TRUE), fold = fold))
  )
  differ <- vapply(seq_along(fold), function(k) {
    expected <- oracle_fold(fold[[k]][[2L]], case$left, case$right, pairs, environment())
    all(vapply(frames, function(frame) {
      found <- frame[[paste0("z", k)]]
      if (is.null(expected)) {
        # nobody has partners: nothing is counted, and all else is empty or missing
        return(length(found) == nrow(case$left) && all(if (is.list(found)) {
          vapply(found, NROW, 1L) == 0L
        } else if (oracle_counts(fold[[k]][[2L]])) found == 0L else is.na(found)))
      }
      if (is.list(expected)) {
        return(is.list(found) && identical(vapply(found, NROW, 1L) > 0L, expected$paired) &&
          all(mapply(same_value, found[expected$paired], expected$list)))
      }
      same_value(found, expected)
    }, NA))
  }, NA)
  if (any(!differ)) sprintf("%s: %s", format(seed), texts[!differ])
}

# to the bit, but for which of the NaNs it is and how row numbers are kept
same_value <- function(x, y) {
  if (is.data.frame(x)) {
    # (columns that rules add come after, see test-frame_shared.R)
    x <- x[seq_along(y)]
    return(same_frame(x, as_frame(as.list(y), nrow(y))))
  }
  if (is.factor(x)) x <- as.character(x)
  if (is.factor(y)) y <- as.character(y)
  identical(x, y, num.eq = FALSE)
}

test_that("folded partners are what R makes of the oracle's, for every rule and type", {
  settings <- list(c(3, 1, 2), c(3, 2, 5), c(131072, 2, 200000))
  for (k in seq_along(settings)) {
    withr::local_options(
      ronda.chunk_rows = settings[[k]][1L], ronda.threads = settings[[k]][2L],
      ronda.pairs_per_block = settings[[k]][3L]
    )
    found <- lapply(k * 1e6 + 1:36, function(seed) fold_differs(seed, seed %% 2 == 0))
    expect_identical(as.character(unlist(found)), character())
  }
})

left <- data.frame(k = c("a", "b", "c", NA), t = c(1, 5, 20, 7))
right <- data.frame(k = c("b", "a", "b", "d"), t = c(2, 4, 6, 8), n = c(5L, 2147483647L, 1L, NA),
  day = as.Date("2031-05-01") + 0:3
)

test_that("rows, names, origin and what stands for no partners", {
  fold <- list(n = ~ nrow(right), sum = ~ sum(right$n), days = ~ list(right$day), all = ~ right)
  joined <- join_frames(left, right, on = "k", fold = fold, origin = "from",
    row_numbers = c("row", "other")
  )
  expect_identical(names(joined), c("k", "t", "n", "sum", "days", "all", "from", "row"))
  expect_identical(joined$n, c(1L, 2L, 0L, 0L))
  expect_identical(joined$sum, c(2147483647L, 6L, NA, NA))
  expect_identical(lengths(joined$days), c(1L, 2L, 0L, 0L))
  expect_identical(vapply(joined$all, nrow, 1L), c(1L, 2L, 0L, 0L))
  expect_identical(as.character(joined$from), rep(c("paired", "left"), each = 2L))
  inner <- join_frames(left, right, on = "k", rows = "inner", fold = fold[1:2],
    row_order = "keys", if_absent = list(.other = 0)
  )
  expect_identical(inner$k, c("a", "b"))
  filled <- join_frames(left, right, on = "k", fold = list(
    sum = ~ sum(right$n), first = ~ right$day[1], what = ~ paste(right$n, collapse = "")
  ), rows = "left", if_absent = list(sum = -1, .other = as.Date("2031-01-01")))
  expect_identical(filled$sum, c(2147483647L, 6L, -1L, -1L))
  expect_identical(filled$first[3L], as.Date("2031-01-01"))
  # nobody has a partner: types are those of the formulas
  none <- join_frames(left, right[0L, ], on = "k", fold = c(fold, list(
    mean = ~ mean(right$t), who = ~ right$k[1], kinds = ~ length(unique(right$k))
  )))
  expect_identical(lapply(none[c("n", "sum", "mean", "who", "kinds")], typeof), list(
    n = "integer", sum = "integer", mean = "double", who = "character", kinds = "integer"
  ))
  expect_identical(nrow(join_frames(left[0L, ], right, on = "k", fold = fold)), 0L)
})

test_that("windows are folded without a pair written out", {
  set.seed(4)
  n <- 2000L
  many <- data.frame(t = runif(n), v = runif(n))
  joined <- join_frames(many, many, on = around("t", before = 1, after = 1),
    max_rows = 1, fold = list(n = ~ nrow(right), sum = ~ sum(right$v))
  )
  expect_identical(joined$n, rep(n, n))
  expect_identical(joined$sum, rep(sum(many$v), n))
  expect_identical(last_receipt()$folded, n^2)
  by_r <- join_frames(many[1:20, ], many, on = around("t", before = 1, after = 1),
    fold = list(sum = ~ sum(right$v * 1))
  )
  expect_identical(by_r$sum, rep(sum(many$v), 20L))
  bands <- data.frame(from = c(0, 0.5, 1), to = c(1, 1, 2))
  expect_printed({
    joined <- join_frames(many, bands, on = inside("t", "from", "to"),
      fold = list(n = ~ nrow(right))
    )
    print(last_receipt())
  })
})

test_that("sums beyond integers are doubles, and what has no least value is told once", {
  big <- transform(right, n = 2147483647L, k = c("a", "a", "b", "b"), t = 0)
  fold <- list(n = ~ sum(right$n))
  expect_identical(join_frames(left, big, on = "k", fold = fold)$n,
    c(4294967294, 4294967294, NA, NA)
  )
  expect_identical(join_frames(left, big, on = around("t", before = 2), fold = fold)$n,
    c(8589934588, NA, NA, NA)
  )
  expect_errors(
    join_frames(left, transform(right, n = NA_integer_), on = "k",
      fold = list(n = ~ min(right$n, na.rm = TRUE))
    )
  )
  lost <- suppressWarnings(join_frames(left, transform(right, n = NA_integer_), on = "k",
    fold = list(n = ~ min(right$n, na.rm = TRUE))
  ))
  expect_identical(lost$n, c(Inf, Inf, NA, NA))
})

test_that("wrong folds are refused", {
  fold <- list(n = ~ nrow(right))
  expect_errors(
    join_frames(left, right, on = "k", fold = ~ nrow(right)),
    join_frames(left, right, on = "k", fold = list(~ nrow(right))),
    join_frames(left, right, on = "k", fold = list(n = nrow)),
    join_frames(left, right, on = "k", fold = list(n = ~ sum(right$m))),
    join_frames(left, right, on = "k", fold = list(t = ~ nrow(right))),
    join_frames(left, right, on = "k", fold = c(fold, fold)),
    join_frames(left, right, on = "k", fold = fold, rows = "full"),
    join_frames(left, right, on = "k", fold = fold, take = "n"),
    join_frames(left, right, on = "k", fold = fold, collisions = "fill"),
    join_frames(left, right, on = "k", fold = fold, keys = "both"),
    join_frames(left, right, on = "k", fold = fold, row_order = "right"),
    join_frames(left, right, on = "k", fold = fold, if_absent = list(m = 1)),
    join_frames(left, right, on = "k", fold = fold, if_absent = list(n = "none")),
    join_frames(left, right, on = "k", fold = list(n = ~ stop("the tide is out"))),
    join_frames(left, right, on = "k", fold = list(n = ~ sum(right$day)))
  )
})

test_that("a formula gives one value, a list() or a frame for every row, or stops", {
  fold <- function(...) join_frames(left, right, on = "k", fold = list(...))
  wrong <- list(
    list(~ unique(right$n), "gives 2 values for row 2 of `left`", "~ list(unique(right$n))"),
    list(~ right$n[right$n < 3], "gives no value for row 1", "~ list(right$n[right$n < 3])"),
    list(~ if (nrow(right) > 1) right else 1, "a frame for row 2 of `left`, and one value",
      "~ list(if (nrow(right) > 1) right else 1)"),
    list(~ list(1, 2), "a list of 2 values", "~ list(list(1, 2))"),
    list(~ lm(n ~ t, right), "an object of class `lm`", "~ list(lm(n ~ t, right))"),
    list(~ NULL, "gives NULL", "~ list(NULL)"),
    list(~ as.matrix(right), "gives a matrix", "~ list(as.matrix(right))")
  )
  for (case in wrong) {
    caught <- tryCatch(fold(z = case[[1L]]), error = identity)
    expect_s3_class(caught, "ronda_error_argument")
    expect_match(conditionMessage(caught), case[[2L]], fixed = TRUE)
    expect_match(conditionMessage(caught), sprintf("Write: fold = list(z = %s)", case[[3L]]),
      fixed = TRUE
    )
    # what it says to write works
    expect_type(fold(z = eval(parse(text = case[[3L]])[[1L]]))$z, "list")
  }
})

test_that("without any partner a column has the type that it has with some", {
  types <- c(
    "max(right$n)", "right$n[right$n > 2][1]", "right$n[which.max(right$t)]", "sum(right$n * 2L)",
    "mean(right$day)", "min(right$day)", "list(right$n)", "right", "paste(right$k, right$n)[1]",
    "nrow(right)", "length(unique(right$k))", "left$t + right$n[1]", "any(right$n > 1)"
  )
  fold <- lapply(paste("~", types), function(text) eval(parse(text = text)[[1L]]))
  names(fold) <- paste0("z", seq_along(fold))
  some <- join_frames(left, right, on = "k", fold = fold)
  for (none in list(join_frames(left, right[0L, ], on = "k", fold = fold),
    join_frames(left[0L, ], right, on = "k", fold = fold),
    join_frames(left, transform(right, k = "elsewhere"), on = "k", fold = fold)
  )) {
    expect_identical(lapply(none, function(x) x[0L]), lapply(some, function(x) x[0L]))
  }
})

test_that("a column named without its frame is answered with how it is written", {
  left <- data.frame(k = 1:2, size = 5:6)
  right <- data.frame(k = c(1L, 1L, 2L), km = 1:3, `max km` = 4:6, check.names = FALSE)
  fold <- function(...) join_frames(left, right, on = "k", fold = list(...))
  expect_error(fold(s = ~ sum(km)), "object 'km' not found\n\\* Write: right\\$km",
    class = "ronda_error_argument"
  )
  expect_error(fold(s = ~ max(`max km`)), "Write: right\\$`max km`", fixed = FALSE)
  expect_error(fold(s = ~ nrow(right) + size), "Write: left\\$size")
  expect_error(
    join_frames(left, right, on = "k", where = ~ km > size + runif(1)), "Write: right\\$km"
  )
  expect_no_match(conditionMessage(tryCatch(fold(s = ~ sum(metres)), error = identity)), "Write")
})
