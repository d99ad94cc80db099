# Every pair of tiny frames: what random cases find unlikely. All of them: make exhaust.

test_that("tiny frames join as definitions of a few lines say, every pair of them", {
  withr::local_options(ronda.receipt = FALSE)
  for (name in names(tiny_suites)) {
    spans <- name %in% c("overlap", "inside", "covers")
    found <- run_tiny(name, most = if (spans) 1 else 2, share = 0.002,
      every = if (name %in% c("nearest", "in_turn")) 5L else 1L
    )
    expect_identical(c(name, found[["wrong"]]), c(name, "0"))
    expect_gt(found[["joins"]], 4000)
  }
  found <- run_tiny_chain(most = 1, share = 0.05)
  expect_identical(found[["wrong"]], 0)
  # and a wrong definition is seen
  local_function("tiny_equal", function(a, b, missing_keys) (a == b) %in% TRUE,
    environment(run_tiny)
  )
  expect_message(found <- run_tiny("equal", most = 1), "equal differs: .*missing_keys = \"match\"")
  expect_gt(found[["wrong"]], 0)
})
