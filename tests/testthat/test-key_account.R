test_that("repeated and missing keys are counted and shown", {
  frame <- data.frame(
    a = c(1, 2, 1, NA, 1), b = c("x", "y", "x", "x", "z"), n = 5:1
  )
  expect_identical(
    key_account(frame, c("a", "b")),
    data.frame(
      key = "a, b", rows = 5L, distinct = 3L, repeated = 2L, missing = 1L,
      unique = FALSE
    )
  )
  expect_true(key_account(frame, "n")$unique)
  expect_identical(key_account(frame[0L, ], "a")$rows, 0L)
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
    key_account(1, "a"),
    key_account(frame),
    key_account(frame, 1),
    key_account(frame, "b"),
    key_account(frame, "bag"),
    repeated_keys(frame, "a")
  )
})
