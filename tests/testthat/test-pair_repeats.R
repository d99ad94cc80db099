test_that("the highest and the lowest of every type, missing ones last", {
  columns <- list(
    integer = c(3L, NA, 1L, 3L), double = c(0.5, NaN, -2, 0.5),
    integer64 = bit64::as.integer64(c("9007199254740993", NA, "-5",
      "9007199254740993"
    )),
    text = c("b", NA, "B", "b"), flag = c(TRUE, NA, FALSE, TRUE),
    level = factor(c("high", NA, "low", "high"), c("low", "high")),
    day = as.Date("2031-05-03") - c(0, NA, 2, 0),
    time = as.POSIXct("2031-05-03", tz = "UTC") - c(0, NA, 2, 0),
    span = as.difftime(c(3, NA, 1, 3), units = "mins")
  )
  left <- data.frame(k = c(1, 2))
  for (name in names(columns)) {
    right <- data.frame(k = 1, row = 1:4)
    right$x <- columns[[name]]
    pick <- function(repeats) {
      join_frames(left, right, on = "k", repeats = repeats)$row
    }
    expect_identical(pick(highest("x")), c(1L, NA), label = name)
    expect_identical(pick(lowest("x")), c(3L, NA), label = name)
    right$x <- rep(right$x[2L], 4L)
    expect_identical(pick(highest("x")), c(1L, NA), label = name)
  }
})

test_that("a column that has no order is refused", {
  right <- data.frame(k = 1:2)
  right$bag <- list(1, 2)
  expect_errors(
    join_frames(right, right, on = "k", repeats = highest("bag")),
    highest(),
    lowest(c("a", "b"))
  )
})

test_that("`repeats` leaves counts of candidates and of pairs", {
  left <- data.frame(k = c(1, 1, 2))
  right <- data.frame(k = c(1, 1, 1, 2, 3), n = 5:1)
  account <- receipt(pair_rows(left, right, on = "k", repeats = "last"))
  expect_equal(account$pairs, 3)
  expect_equal(account$matched_right, 2)
  expect_equal(account$passed_over_right, 2)
  expect_identical(account$key_shape, "many-to-many")
})

test_that("refusing repeats changes nothing where there are none", {
  left <- data.frame(k = c(3, 1, 1), v = 1:3)
  right <- data.frame(k = 1:3, w = 4:6)
  expect_identical(join_frames(left, right, on = "k", repeats = "stop"),
    join_frames(left, right, on = "k")
  )
  expect_identical(
    join_frames(left, right, on = list(relate("v", ">=", "w")), repeats = "stop")$w,
    rep(NA_integer_, 3L)
  )
})
