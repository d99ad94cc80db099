test_that("generated cases take every road through the engine", {
  before <- ronda:::road_uses_()
  skip_if(is.null(before), "the library was built without counters (see make test)")
  settings <- expand.grid(
    path = c("choose", "direct", "hashed"), threads = 1:2, ordered = c(FALSE, TRUE)
  )
  for (k in seq_len(nrow(settings))) {
    withr::local_options(
      ronda.path = as.character(settings$path[k]),
      ronda.threads = settings$threads[k], ronda.chunk_rows = 3,
      ronda.deferred = if (settings$threads[k] == 2) "always" else TRUE,
      ronda.pairs_per_block = 5
    )
    ordered <- settings$ordered[k]
    seeds <- k * 1e4 + if (ordered) 1:18 else 1:12
    expect_identical(differing_seeds(seeds, ordered = ordered), numeric())
    expect_identical(differing_seeds(seeds[1:2], ordered = ordered, explained = TRUE),
      numeric()
    )
  }
  # columns are laid side by side only where right rows are many and in no order
  withr::local_options(ronda.chunk_rows = 3, ronda.deferred = FALSE)
  set.seed(3)
  left <- data.frame(k = sample(250L), c = runif(250), d = runif(250), e = runif(250))
  right <- data.frame(k = sample(200L), a = runif(200), b = sample(letters, 200, TRUE))
  joined <- join_frames(left, right, on = "k", rows = "inner")
  expect_identical(joined$k, left$k[left$k <= 200L])
  for (column in c("a", "b")) {
    expect_identical(joined[[column]], vapply(joined$k, function(k) {
      right[[column]][right$k == k]
    }, right[[column]][1L]))
  }
  taken <- ronda:::road_uses_() - before
  expect_identical(names(taken)[taken == 0], character())
})

test_that("cases agree with the oracle where the locale is C", {
  withr::local_locale(LC_CTYPE = "C")
  for (types in list(
    c("text", "latin"), c("encodings", "plain"), c("latin", "text"),
    c("factor", "text"), c("odd_factor", "odd_factor")
  )) {
    expect_identical(differing_seeds(1:15, types), integer(),
      label = paste(types, collapse = " with ")
    )
  }
})
