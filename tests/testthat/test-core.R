test_that("the core's own tests pass", {
  expect_true(.Call(ronda:::run_testthat_tests, FALSE))
})

test_that("every source has a header of its own name, and includes it first", {
  skip_if_not(dir.exists(test_path("..", "..", "src")), "the sources aren't here")
  folders <- test_path("..", "..", "src", c(".", "core"))
  sources <- list.files(folders, full.names = TRUE, pattern = "[.]cpp$")
  sources <- sources[!grepl("^(test-|RcppExports)", basename(sources))]
  expect_gt(length(sources), 30L)
  first <- vapply(sources, function(file) {
    sub(".*\"(.*/)?(.*)\".*", "\\2", grep("^#include", readLines(file), value = TRUE)[1L])
  }, "")
  expect_identical(unname(first), sub("cpp$", "h", basename(sources)))
})

test_that("the core has no R header", {
  core <- test_path("..", "..", "src", "core")
  skip_if_not(dir.exists(core), "the sources aren't here")
  files <- list.files(core, full.names = TRUE, pattern = "[.](h|cpp)$")
  expect_gt(length(files), 8L)
  lines <- unlist(lapply(files, readLines))
  expect_false(any(grepl("Rcpp|Rinternals|<R[.]h>|R_ext|SEXP", lines)))
})
