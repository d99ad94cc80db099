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

test_that("rules are asked of a frame: which rows meet each other?", {
  set.seed(9)
  for (round in 1:25) {
    n <- sample(0:12, 1L)
    frame <- data.frame(k = some(c("a", "A", "b"), n), from = some(0:9, n))
    frame$to <- frame$from + some(c(-1, 0, 1, 3), n)
    asks <- list(
      list(list("k", overlap("from", "to")), function(a, b) {
        a$k == b$k & a$from < a$to & b$from < b$to & a$from < b$to & b$from < a$to
      }),
      list(same("k", via = tolower), function(a, b) tolower(a$k) == tolower(b$k)),
      list(around("from", before = 1, after = 1), function(a, b) abs(a$from - b$from) <= 1)
    )
    for (ask in asks) {
      meet <- vapply(seq_len(n), function(i) {
        held <- ask[[2L]](frame[rep(i, n), ], frame)
        !is.na(held) & held
      }, logical(n))
      dim(meet) <- c(n, n)
      others <- meet & row(meet) != col(meet)
      account <- key_account(frame, ask[[1L]])
      expect_equal(account$repeated, sum(colSums(others) > 0))
      expect_equal(account$missing, sum(colSums(meet) == 0))
      found <- repeated_keys(frame, ask[[1L]])
      expect_identical(found$row, which(colSums(others) > 0))
      expect_equal(found$times, colSums(meet)[found$row])
      expect_identical(found$meets, vapply(found$row, function(i) which(others[, i])[1L], 1L))
      expect_identical(found$k, frame$k[found$row])
    }
  }
  expect_errors(
    key_account(frame, nearest("from")),
    repeated_keys(frame, overlap("from", "till")),
    repeated_keys(transform(frame, meets = 1), around("from"))
  )
})
