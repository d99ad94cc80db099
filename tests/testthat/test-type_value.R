test_that("the text of a number reads back to it, and two never share one", {
  set.seed(19)
  n <- 20000L
  values <- c(
    0.1 + 0.2, 0.3, 1e15, 1e15 + 1, 1234567890123456, 1234567890123457, 2^53, -2^53, 2^53 + 2,
    1e22, 1e300, -1e-300, .Machine$double.xmin, 4.9e-324, 100000, 1e5 + 0.1, -0.5,
    runif(n), rnorm(n) * 10^sample(-20:20, n, TRUE), round(runif(n, 0, 2^53)),
    round(rnorm(n) * 100) / 100
  )
  texts <- number_texts(values)
  expect_identical(as.double(vapply(texts, function(text) {
    scan(text = text, quiet = TRUE)
  }, 0)[1:17]), values[1:17])
  expect_identical(numbers_(texts, "."), values)
  expect_identical(length(unique(texts)), length(unique(values)))
  expect_identical(number_texts(c(NA, NaN, Inf, -Inf, 1e15, 0)),
    c(NA, NA, "Inf", "-Inf", "1000000000000000", "0")
  )
})

test_that("corrections of long numbers pair the rows that they name", {
  left <- data.frame(card = c(1234567890123456, 1234567890123457), n = 1:2)
  right <- data.frame(card = c(1234567890123650, 1234567890123654), v = c("a", "b"))
  fixes <- data.frame(from = 1234567890123456, to = 1234567890123654)
  found <- join_frames(left, right, on = same("card", via = list(left = fixes)))
  expect_identical(found$v, c("b", NA))
  near <- data.frame(k = c(0.3, 0.1 + 0.2))
  fixed <- join_frames(near, data.frame(k = 5, v = "x"), on = same("k",
    via = list(left = data.frame(from = 0.3, to = 5))
  ))
  expect_identical(fixed$v, c("x", NA))
  changed <- differences(pair_rows(data.frame(k = 1, v = 0.3),
    data.frame(k = 1, v = 0.1 + 0.2), on = "k"
  ))
  cells <- as.data.frame(changed)
  expect_identical(c(cells$left, cells$right), c("0.3", "0.30000000000000004"))
  alike <- differences(pair_rows(data.frame(k = 1, v = 1e15),
    data.frame(k = 1, v = "1000000000000000"), on = "k"
  ))
  expect_identical(nrow(as.data.frame(alike)), 0L)
})

test_that("texts without letters are equal, and are not told as changed", {
  left <- data.frame(k = 1:3, s = c("", "a", NA))
  right <- data.frame(k = 1:3, s = c("", "b", ""))
  updated <- join_frames(left, right, on = "k", collisions = "update")
  expect_identical(updated$s, c("", "b", ""))
  expect_identical(last_receipt()$cells_changed, c(s = 2))
  expect_identical(join_frames(left[1, ], right[1, ], on = "k", collisions = "agree")$s, "")
})
