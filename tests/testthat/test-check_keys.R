test_that("repeated and missing keys are counted and shown", {
  frame <- data.frame(
    a = c(1, 2, 1, NA, 1), b = c("x", "y", "x", "x", "z"), n = 5:1
  )
  expect_identical(
    check_keys(frame, c("a", "b")),
    data.frame(
      key = "a, b", rows = 5L, distinct = 3L, repeated = 2L, missing = 1L,
      unique = FALSE
    )
  )
  expect_true(check_keys(frame, "n")$unique)
  expect_identical(check_keys(frame[0L, ], "a")$rows, 0L)
  expect_identical(
    repeated_keys(frame, "a"),
    data.frame(
      row = c(1L, 3L, 5L), times = 3L, a = 1, b = c("x", "x", "z"),
      n = c(5L, 3L, 1L)
    )
  )
})

test_that("what is no key is refused", {
  frame <- data.frame(a = 1, row = 2)
  frame$bag <- list(1)
  expect_errors(
    check_keys(1, "a"),
    check_keys(frame),
    check_keys(frame, 1),
    check_keys(frame, "b"),
    check_keys(frame, "bag"),
    repeated_keys(frame, "a")
  )
})
