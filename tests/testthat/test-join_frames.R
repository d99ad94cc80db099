test_that("every option agrees with the oracle, whatever the engine's path", {
  for (path in c("choose", "direct", "hashed")) {
    withr::local_options(ronda.path = path)
    for (threads in 1:2) {
      withr::local_options(ronda.threads = threads, ronda.chunk_rows = 3)
      from <- match(path, c("choose", "direct", "hashed")) * 1e5 + threads * 1e4
      expect_identical(differing_seeds(from + 1:300), numeric())
    }
  }
})
