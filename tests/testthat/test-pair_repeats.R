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

test_that("each row is used once, the closest pairs first", {
  left <- data.frame(k = c("a", "a", "a", "b"), t = c(1, 2, 9, 5), id = 1:4)
  right <- data.frame(k = c("a", "a", "c"), t = c(2.5, 3, 5), no = 1:3)
  expect_identical(join_frames(left, right, on = "k", repeats = "once")$no,
    c(1L, 2L, NA, NA)
  )
  by_time <- pair_rows(left, right, on = nearest("t", look = "either"), repeats = "once")
  expect_identical(build_frame(by_time)$no, c(2L, 1L, NA, 3L))
  expect_printed({
    print(by_time)
    print(explain_row(by_time, left = 1))
    print(explain_row(by_time, left = 3))
    print(explain_row(by_time, right = 1))
  })
  account <- receipt(by_time)
  expect_equal(account$passed_over_left, 1)
  expect_equal(nrow(near_misses(by_time)), 0L)
  expect_errors(
    join_frames(left, right, on = nearest("t", n = 2), repeats = "once"),
    join_frames(left, right, on = nearest("t", ties = "all"), repeats = "once")
  )
})

test_that("a formula of the pair chooses, whole or block by block", {
  left <- data.frame(k = c(1, 1, 2, 3), due = c(10, 30, 5, 1))
  right <- data.frame(k = c(1, 1, 1, 2, 2), paid = c(29, 11, 31, NA, NA), no = 1:5)
  for (size in c(1, 2, 1e5)) {
    withr::local_options(ronda.pairs_per_block = size)
    expect_identical(join_frames(left, right, on = "k",
      repeats = lowest(~ abs(left$due - right$paid))
    )$no, c(2L, 1L, 4L, NA))
  }
  expect_printed(print(explain_row(pair_rows(left, right, on = "k",
    repeats = highest(~ right$paid)
  ), left = 1)))
  expect_errors(
    highest(a ~ b),
    join_frames(left, right, on = "k", repeats = highest(~ right$payed)),
    join_frames(left, right, on = "k", repeats = highest(~ list(1))),
    join_many(list(a = left, b = right), on = "k", repeats = highest(~ right$paid)),
    join_frames(left, right, on = "k", repeats = lowest(~ stop("no")))
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

test_that("the next column or formula decides where those before are equal", {
  left <- data.frame(k = 1, due = 10)
  right <- data.frame(k = 1, paid = c(8, 12, 8, NA), day = c(3, 1, 2, 0), no = 1:4)
  pick <- function(repeats) join_frames(left, right, on = "k", repeats = repeats)$no
  expect_identical(pick(lowest(~ abs(left$due - right$paid))), 1L)
  expect_identical(pick(lowest(~ abs(left$due - right$paid), "day")), 2L)
  expect_identical(pick(lowest("paid", "day")), 3L)
  expect_identical(pick(lowest("paid", ~ right$day, ~ -right$no)), 3L)
  expect_identical(format(lowest("paid", ~ right$day)), "lowest(\"paid\", ~ right$day)")
  expect_identical(format(highest("a", once = TRUE)), "highest(\"a\", once = TRUE)")
})

test_that("once = TRUE takes the pair with the lowest value of all first", {
  left <- data.frame(k = 1, due = c(10, 20, 30), id = 1:3)
  right <- data.frame(k = 1, paid = c(21, 19, 10.5), no = 1:3)
  choice <- lowest(~ abs(left$due - right$paid), once = TRUE)
  pairing <- pair_rows(left, right, on = "k", repeats = choice)
  # 10 with 10.5, then 20 with 21 (as far as 19, but the first of the two), 30 with 19
  expect_identical(build_frame(pairing)$no, c(3L, 1L, 2L))
  expect_identical(receipt(pairing)$pairs, 3)
  expect_match(explain_row(pairing, left = 2)$lines, "repeats = lowest\\(~ abs.*, once = TRUE\\)",
    all = FALSE
  )
  both <- join_frames(left, right, on = in_turn(c(due = "paid"), "k"), repeats = choice)
  expect_identical(both$no, c(3L, 1L, 2L))
  expect_error(join_frames(left, right, on = nearest("due", "paid"), repeats = choice),
    "around\\(\\)", class = "ronda_error_argument"
  )
  expect_error(
    join_frames(left, right, on = "k", repeats = choice, max_rows = 5),
    class = "ronda_error_too_many_rows"
  )
  skip_without_files()
  out <- withr::local_tempfile()
  join_files(left, right, on = "k", repeats = choice, out = out, row_order = "left")
  expect_equal(read_frame(out)$no, c(3L, 1L, 2L))
})
