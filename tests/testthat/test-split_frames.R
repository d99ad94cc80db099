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
