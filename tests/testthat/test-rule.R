test_that("rules print as they are written and survive c() and list()", {
  expect_printed(lapply(
    list(
      same("port"), same("vessel", "code", via = toupper), cross(),
      highest("seats"), lowest("day")
    ),
    print
  ) |> invisible())
  left <- data.frame(a = 1:2, b = 1:2)
  right <- data.frame(x = 1:2, b = 2:1)
  by <- list(
    c("b", same("a", "x")), c(same("a", "x"), "b"), list(same("a", "x"), "b"),
    list(a = "x", "b"), c(same("a", "x"), same("b")), c(a = "x", "b")
  )
  for (on in by) {
    expect_identical(nrow(join_frames(left, right, on = on, rows = "inner")), 0L)
    expect_identical(
      nrow(join_frames(left, left, on = unname(on[1L]), rows = "inner") |>
        tryCatch(ronda_error_key = function(e) left)), 2L
    )
  }
})
