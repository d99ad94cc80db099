test_that("the three parts hold every row, the outer two untouched", {
  set.seed(4)
  for (round in 1:40) {
    case <- make_case(c("text", "factor"))
    class(case$right) <- c("my_frame", "data.frame")
    on <- structure(case$right_keys, names = case$left_keys)
    pairing <- pair_rows(case$left, case$right, on = on,
      sides = c("a", "b"), expect = "rows-multiply"
    )
    parts <- split_frames(pairing, origin = "from")
    expect_named(parts, c("matched", "a_alone", "b_alone"))
    expect_identical(parts$matched, build_frame(pairing, "inner", origin = "from"))
    expect_identical(parts$a_alone, build_frame(pairing, "anti"))
    counts <- receipt(pairing)
    expect_equal(nrow(parts$b_alone), counts$unmatched_right)
    expect_identical(lapply(parts$b_alone, class), lapply(case$right, class))
    expect_s3_class(parts$b_alone, "my_frame")
  }
})

test_that("row numbers come with all three parts on request", {
  left <- data.frame(k = c(3, 1, 2, 9), n = 1:4)
  right <- data.frame(k = c(2, 5, 3))
  pairing <- pair_rows(left, right, on = "k", sides = c("a", "b"))
  parts <- split_frames(pairing, row_numbers = c("a_row", "b_row"))
  expect_identical(parts$matched$a_row, c(1L, 3L))
  expect_identical(parts$matched$b_row, c(3L, 1L))
  expect_identical(parts$a_alone, data.frame(k = c(1, 9), n = c(2L, 4L), a_row = c(2L, 4L)))
  expect_identical(parts$b_alone, data.frame(k = 5, b_row = 2L))
  expect_errors(split_frames(pairing, row_numbers = c("left_row", "k")),
    split_frames(pair_rows(transform(left, row = 1), right, on = "k"),
      row_numbers = c("n", "right_row"), omit = list(left = "n")
    )
  )
})
