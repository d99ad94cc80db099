test_that("the core's own tests pass", {
  expect_true(.Call(ronda:::run_testthat_tests, FALSE))
})

test_that("the core has no R header", {
  core <- test_path("..", "..", "src", "core")
  skip_if_not(dir.exists(core), "the sources aren't here")
  files <- list.files(core, full.names = TRUE, pattern = "[.](h|cpp)$")
  expect_gt(length(files), 8L)
  lines <- unlist(lapply(files, readLines))
  expect_false(any(grepl("Rcpp|Rinternals|<R[.]h>|R_ext|SEXP", lines)))
})
