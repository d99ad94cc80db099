left <- data.frame(id = c(1, 2, NA, 9), name = c("a", "b", "c", "D"), x = 1:4)
right <- data.frame(id = c(1, 1, 7, 8), name = c("q", "b", "c", "d"), y = 1:4)

test_that("keys tried in turn are told step by step", {
  expect_printed({
    pairing <- pair_rows(left, right, on = in_turn("id", "name", step = "by"))
    print(pairing)
    for (row in 1:4) print(explain_row(pairing, left = row))
    print(explain_row(pairing, right = 2))
    print(near_misses(pairing))
    print(receipt(pair_rows(left, right, on = in_turn("id", same("x", "y")))))
  })
})

test_that("steps hold rules and conditions, and `repeats` chooses at the end", {
  joined <- join_frames(left, right, on = in_turn("id", list(
    nearest("x", "y"), relate("x", ">", "y")
  ), step = "by"), where = ~ right$y != 2, repeats = "last")
  expect_identical(joined$y, c(1L, 1L, 1L, 3L))
  expect_identical(joined$by, c(1L, 2L, 2L, 2L))
  folded <- join_frames(left, right, on = in_turn("id", "name"), fold = list(n = ~ nrow(right)))
  expect_identical(folded$n, c(2L, 1L, 1L, 0L))
  windows <- join_frames(left, right, on = in_turn("id", around("x", "y", after = 1)),
    fold = list(n = ~ nrow(right), y = ~ max(right$y)), max_rows = 1
  )
  expect_identical(windows$n, c(2L, 2L, 2L, 1L))
  expect_identical(windows$y, c(2L, 3L, 4L, 4L))
  once <- join_frames(left, right, on = in_turn("id", "name"), repeats = "once", take = "y")
  expect_identical(once$y, c(1L, 2L, 3L, NA))
})

test_that("wrong turns are refused", {
  on <- in_turn("id", "name")
  expect_errors(
    in_turn("id"),
    in_turn("id", on),
    in_turn("id", nearest("x", "y", gap = "far")),
    in_turn("id", 1),
    in_turn("id", "name", step = 2),
    join_frames(left, right, on = list(on, "x")),
    join_frames(left, right, on = in_turn("id", "nom")),
    join_frames(left, right, on = in_turn("id", c(name = "y"))),
    join_frames(left, right, on = in_turn("id", "name", step = "x")),
    join_frames(left, right, on = on, row_order = "keys"),
    join_frames(left, right, on = on, missing_keys = "stop"),
    join_frames(left, right, on = on, expect = c("one-to-one", "no-missing-keys")),
    join_frames(transform(left, name = NA_character_), right, on = on,
      missing_keys = "stop"
    ),
    join_frames(left, right, on = in_turn("id", nearest("x", "y")), repeats = "once"),
    join_many(list(a = left, b = right), on = list(b = on))
  )
})
