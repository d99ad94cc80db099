# Right columns that are gathered when they are first looked at.

wide_frames <- function(n = 150000L) {
  right <- data.frame(
    k = n:1, d = seq_len(n) / 4, i = seq_len(n), l = seq_len(n) %% 3L == 0L,
    t = as.character(seq_len(n)),
    f = factor(rep_len(c("quay", "pier"), n)),
    at = as.POSIXct("2031-05-01", tz = "UTC") + seq_len(n)
  )
  right$big <- bit64::as.integer64(right$i)
  list(left = data.frame(k = c(seq_len(n), n + 1L)), right = right)
}
deferred <- function(frame) ronda:::count_deferred_(frame)
# what the join must give, by plain indexing
by_index <- function(w, name) {
  w$right[[name]][match(w$left$k, w$right$k)]
}
right_names <- c("d", "i", "l", "t", "f", "at", "big")

test_that("deferred columns are the gathered ones, however they are read", {
  w <- wide_frames()
  fresh <- function() join_frames(w$left, w$right, on = "k")
  expect_identical(deferred(fresh()), length(right_names))
  whole <- withr::with_options(list(ronda.deferred = FALSE), fresh())
  expect_identical(deferred(whole), 0L)
  n <- nrow(w$left)
  some <- c(1L, n, NA, 77L)
  ways <- list(
    function(x) x, function(x) x[some], function(x) rev(x), function(x) x[-1L],
    function(x) head(x, 3), function(x) unique(x), function(x) is.na(x),
    function(x) x == x[5L], function(x) c(x, x[1L]),
    function(x) unserialize(serialize(x, NULL)), function(x) order(x),
    function(x) {
      x[2L] <- x[9L]
      x
    },
    function(x) as.character(x)[c(1L, n)], function(x) format(x[1:3]),
    function(x) identical(x, x), function(x) anyDuplicated(x)
  )
  loadNamespace("bit64")
  for (way in ways) {
    joined <- fresh()
    for (name in right_names) {
      expect_identical(way(joined[[name]]), way(by_index(w, name)))
    }
  }
  expect_identical(sum(fresh()$d, na.rm = TRUE), sum(w$right$d))
  expect_identical(max(fresh()$i, na.rm = TRUE), nrow(w$right))
  expect_identical(nchar(fresh()$t), nchar(by_index(w, "t")))
})

test_that("looking at a few values fills nothing, going through fills once", {
  w <- wide_frames()
  joined <- join_frames(w$left, w$right, on = "k")
  head(joined)
  joined[10:20, ]
  joined$d[5]
  str_lines <- utils::capture.output(str(joined))
  expect_identical(deferred(joined), length(right_names))
  sum(joined$d)
  expect_identical(deferred(joined), length(right_names) - 1L)
})

test_that("deferred columns outlive their inputs and changes to them", {
  w <- wide_frames()
  kept <- by_index(w, "d")
  text <- by_index(w, "t")
  right <- w$right
  joined <- join_frames(w$left, right, on = "k")
  right$d[1:100] <- -1
  right$t[] <- "gone"
  right$k <- 0L
  rm(right)
  w <- NULL
  gc()
  expect_identical(joined$d, kept)
  copy <- joined
  copy$t[3] <- "mine"
  expect_identical(joined$t, text)
  expect_identical(copy$t[3:4], c("mine", text[4]))
})

test_that("a copy of a deferred column and its source are apart", {
  w <- wide_frames()
  joined <- join_frames(w$left, w$right, on = "k")
  copy <- joined
  copy$i[1] <- -5L
  expect_identical(joined$i, by_index(w, "i"))
  expect_identical(copy$i, c(-5L, by_index(w, "i")[-1]))
  expect_identical(w$right$i, seq_len(nrow(w$right)))
})

test_that("deferred columns can be saved, sent and joined again", {
  w <- wide_frames()
  joined <- join_frames(w$left, w$right, on = "k")
  file <- withr::local_tempfile()
  saveRDS(joined, file, compress = FALSE)
  expect_identical(readRDS(file)$t, by_index(w, "t"))
  skip_on_os("windows")
  again <- join_frames(w$left, w$right, on = "k")
  sums <- parallel::mclapply(1:2, function(k) {
    c(sum(again$d, na.rm = TRUE), nrow(join_frames(again, w$right, on = "k")))
  }, mc.cores = 2L)
  expect_identical(sums[[1]], c(sum(w$right$d), as.numeric(nrow(w$left))))
  expect_identical(sums[[2]], sums[[1]])
  # columns of a deferred frame as sources, as keys
  twice <- join_frames(data.frame(k = w$left$k), again, on = "k")
  expect_identical(twice$d, by_index(w, "d"))
  third <- join_frames(again, data.frame(t = "7", z = 1), on = "t",
    rows = "semi"
  )
  expect_identical(third$t, "7")
})

test_that("only what pays is deferred", {
  w <- wide_frames()
  few <- join_frames(w$left, w$right, on = "k", take = c("d", "i", "t"))
  expect_identical(deferred(few), 0L)
  short <- join_frames(w$left[1:1000, , drop = FALSE], w$right, on = "k")
  expect_identical(deferred(short), 0L)
  # a source more than twice as large as the column is not kept for it
  part <- join_frames(w$left[1:100001, , drop = FALSE],
    rbind(w$right, transform(w$right, k = k + 1e6)), on = "k"
  )
  expect_identical(deferred(part), 0L)
  expect_identical(part$t, by_index(w, "t")[1:100001])
  # an inner join in which rows fall away
  inner <- join_frames(w$left, w$right, on = "k", rows = "inner")
  expect_identical(deferred(inner), length(right_names))
  expect_identical(inner$f, by_index(w, "f")[-nrow(w$left)])
  # many partners
  many <- rbind(w$right, w$right)
  lines <- join_frames(w$left, many, on = "k")
  expect_identical(deferred(lines), length(right_names))
  expect_identical(lines$t, rep(by_index(w, "t"), c(
    rep(2L, nrow(w$right)), 1L
  )))
})

test_that("row numbers of a join are gone after it", {
  w <- wide_frames()
  keys <- w$left$k
  found <- ronda:::match_equal_(list(keys), list(w$right$k), 0L, FALSE, FALSE)
  rows <- found$matches$range
  expect_identical(rows[1:2], rev(seq_along(w$right$k))[1:2])
  expect_identical(rows + 0L, c(nrow(w$right):1L, 0L))
  ronda:::release_rows_(found$matches)
  expect_error(rows[1], "used after it")
})
