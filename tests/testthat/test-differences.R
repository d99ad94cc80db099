# Compared cell by cell with a plain loop over the pairs.

version_of <- function(frame) {
  frame <- frame[sample(nrow(frame), max(0L, nrow(frame) - 2L)), , drop = FALSE]
  for (name in setdiff(names(frame), "id")) {
    at <- sample(nrow(frame), min(nrow(frame), 2L))
    frame[[name]][at] <- frame[[name]][sample(nrow(frame), length(at))]
    if (length(at)) frame[[name]][at[1L]] <- NA
  }
  row.names(frame) <- NULL
  frame
}

# how far apart two values of measured types lie, in the left one's own units
distance_by_hand <- function(x, y) {
  if (inherits(x, "integer64") || inherits(y, "integer64")) {
    return(abs(as.numeric(as.character(x)) - as.numeric(as.character(y))))
  }
  if (inherits(x, "difftime")) {
    return(abs(as.numeric(x) - as.numeric(y, units = attr(x, "units"))))
  }
  if (inherits(x, "POSIXct")) {
    return(abs(as.numeric(x) - as.numeric(y)))
  }
  if (inherits(x, "Date")) {
    return(abs(floor(as.numeric(x)) - floor(as.numeric(y))))
  }
  if (is.numeric(x) && !is.object(x)) abs(x - y) else NA
}

slow_differences <- function(left, right, pairs, names, tolerance) {
  cells <- list()
  for (k in seq_len(nrow(pairs))) {
    for (name in names) {
      x <- left[[name]][pairs$left[k]]
      y <- right[[name]][pairs$right[k]]
      unit <- oracle_finest(x, y)
      a <- oracle_words(x, unit)
      b <- oracle_words(y, unit)
      near <- isTRUE(distance_by_hand(x, y) <= tolerance)
      if (!identical(a, b) && !near) {
        cells[[length(cells) + 1L]] <- data.frame(
          left_row = pairs$left[k], right_row = pairs$right[k], column = name
        )
      }
    }
  }
  do.call(rbind, cells)
}

test_that("every cell that is not equal is found, whatever its type", {
  set.seed(31)
  for (round in 1:60) {
    n <- sample(0:8, 1L)
    kinds <- setdiff(names(key_makers), c("odd_factor", "ordered"))
    types <- sample(kinds, 4L)
    left <- as_frame(c(list(id = sample(1:9, n, TRUE)),
      lapply(stats::setNames(types, types), function(type) key_makers[[type]](n))
    ), n)
    right <- version_of(left)
    if (runif(1) < 0.5 && identical(class(left[[2L]]), "integer")) {
      right[[2L]] <- as.double(right[[2L]])
    }
    tolerance <- one_of(c(0, 0, 1))
    pairing <- pair_rows(left, right, on = "id", expect = "rows-multiply")
    found <- differences(pairing, tolerance = tolerance)
    pairs <- oracle_pairs(left, right, list(left = "id", right = "id",
      missing_keys = "unmatched", repeats = "all"
    ))
    expected <- slow_differences(left, right, pairs, types, tolerance)
    cells <- as.data.frame(found)
    expect_identical(nrow(cells), NROW(expected))
    if (nrow(cells)) expect_equal(cells[names(expected)], expected)
    totals <- summary(found)
    expect_identical(totals$equal + totals$differ + totals$missing_left + totals$missing_right,
      rep(nrow(pairs), 4L)
    )
    expect_identical(totals$differ + totals$missing_left + totals$missing_right,
      as.integer(table(factor(cells$column, types)))
    )
    for (type in types) {
      own <- as.data.frame(found, column = type)
      expect_identical(own$left, slice_column(left[[type]], own$left_row, "", NULL))
      expect_identical(own$right, slice_column(right[[type]], own$right_row, "", NULL))
    }
  }
})

test_that("a tolerance in words is for times alone, and long integers are not rounded", {
  at <- as.POSIXct("2031-05-05", tz = "UTC")
  old <- data.frame(id = 1:2, n = c(1, 2), t = at + c(0, 0),
    d = as.difftime(c(1, 2), units = "mins"), day = as.Date("2031-05-05")
  )
  new <- data.frame(id = 1:2, n = c(2, 3), t = at + c(600, 601),
    d = as.difftime(c(61, 721), units = "secs"), day = as.Date("2031-05-06")
  )
  found <- function(tolerance) {
    told <- summary(differences(pair_rows(old, new, on = "id"), tolerance = tolerance))
    stats::setNames(told$differ, told$column)
  }
  expect_identical(found("10 mins"), c(n = 2L, t = 1L, d = 1L, day = 2L))
  expect_identical(found(as.difftime(1, units = "days")), c(n = 2L, t = 0L, d = 0L, day = 0L))
  expect_identical(found(1), c(n = 0L, t = 2L, d = 1L, day = 0L))
  long <- bit64::as.integer64("9007199254740993")
  apart <- pair_rows(data.frame(id = 1, n = long), data.frame(id = 1, n = long + 1L), on = "id")
  expect_identical(summary(differences(apart, tolerance = 0.5))$differ, 1L)
  expect_identical(summary(differences(apart, tolerance = 1))$differ, 0L)
})

test_that("corrections of another type are converted or refused, never without effect", {
  fixed <- function(key, from, to) {
    left <- as_frame(list(k = key), length(key))
    joined <- join_frames(left, left, on = same("k", via = list(left = data.frame(from, to))),
      fold = list(at = ~ right$k[1]), expect = "may-be-empty"
    )
    joined$at
  }
  cards <- c(1234567890123456, 1234567890123457, 5)
  expect_identical(fixed(cards, cards[1], cards[2]), cards[c(2, 2, 3)])
  expect_identical(fixed(1:3, "01", "3"), c(3L, 2L, 3L))
  expect_identical(fixed(c("1", "2"), 1, 2), c("2", "2"))
  days <- as.Date("2031-05-05") + 0:1
  expect_identical(fixed(days, "2031-05-05", "2031-05-06"), days[c(2, 2)])
  spans <- as.difftime(c(1, 2), units = "mins")
  expect_identical(as.numeric(fixed(spans, 1, 2)), c(2, 2))
  for (wrong in list(list(1:3, "1.5", "2"), list(1:3, "1", "many"), list(days, "5 May", days[1]))) {
    expect_error(do.call(fixed, wrong), "can't be one", class = "ronda_error_argument")
  }
})

cbind_matrix <- function(frame) {
  frame$grid <- matrix(0, nrow(frame), 2L)
  frame
}

old <- data.frame(code = c("a", "b", "c"), seats = c(1L, 2L, 3L), name = c("x", NA, "z"),
  day = as.Date("2031-05-01") + 0:2
)
new <- data.frame(code = c("b", "c", "d"), seats = c("2", "4", "9"), name = c("y", "z", "w"),
  day = as.Date("2031-05-01") + 1:3
)

test_that("differences print, and tell of types and of what repeats", {
  expect_printed({
    print(differences(pair_rows(old, new, on = "code")))
    print(differences(pair_rows(old, old, on = "code"), columns = "seats"))
    print(differences(pair_rows(old, new[3L, ], on = "code")))
    wide <- as_frame(c(list(id = 1:2), stats::setNames(rep(list(1:2), 15L), letters[1:15])), 2L)
    print(differences(pair_rows(wide, transform(wide, a = 5:6, b = c(1L, NA)), on = "id")))
    print(differences(pair_rows(wide, wide[c(1, 1), ], on = "id"), columns = c(a = "b")))
    print(differences(pair_rows(old, new, on = nearest("day", look = "either")),
      columns = "name"
    ))
  })
  pairing <- pair_rows(old, new, on = "code")
  expect_errors(
    differences(1),
    differences(pairing, columns = "places"),
    differences(pairing, columns = c(name = "title")),
    differences(pairing, columns = 1),
    differences(pairing, columns = c("name", "name")),
    differences(pairing, tolerance = -1),
    differences(pair_rows(cbind_matrix(old), new, on = "code"), columns = c(grid = "name")),
    differences(pair_rows(old["code"], new["code"], on = "code")),
    as.data.frame(differences(pairing), column = "places")
  )
})

test_that("two files are compared, and --expect same says so", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  write_frame(old, "old.csv")
  write_frame(transform(new, seats = as.integer(seats)), "new.csv")
  run <- function(...) run_cli("compare", ...)
  expect_lines(unlist(run("old.csv", "new.csv", "--on", "code", "--expect", "same", "--out",
    "changes.csv"
  )[c("code", "out", "err")]))
  expect_lines(readLines("changes.csv"))
  expect_identical(run("old.csv", "old.csv", "--on", "code", "--expect", "same")$code, 0L)
  write_frame(old[c(1, 1, 2), ], "twice.csv")
  expect_identical(run("old.csv", "twice.csv", "--on", "code")$code, 3L)
  expect_identical(run("old.csv", "twice.csv", "--on", "code", "--repeats", "once")$code, 0L)
  expect_identical(run("old.csv", "new.csv", "--on", "code", "--expect", "alike")$code, 2L)
  expect_lines(unlist(run("old.csv", "new.csv", "--on", "code", "--columns", "seats",
    "--tolerance", "1"
  )[c("code", "out", "err")]))
})
