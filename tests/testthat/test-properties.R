# What must hold of any join, at a million rows, where no slow join can be laid beside it.

large_case <- function(rule, n = 1e6, m = 1e5) {
  set.seed(48)
  keys <- sample.int(4e5)
  pick <- function(n) sample.int(4e5, n, TRUE)
  left <- data.frame(x = seq_len(n))
  right <- data.frame(y = seq_len(m))
  at <- list(pick(n), pick(m))
  gaps <- list(sample.int(n, n %/% 50L), sample.int(m, m %/% 50L))
  with_gaps <- function(values, side) replace(values, gaps[[side]], NA)
  switch(rule,
    number = {
      left$k <- with_gaps(keys[at[[1]]], 1L)
      right$k <- with_gaps(as.double(keys[at[[2]]]), 2L)
      on <- list("k")
    },
    text = {
      text <- sprintf("%s-%d", c("Gull", "Tern", "Auk", "\u00c5l")[keys %% 4L + 1L], keys)
      left$k <- with_gaps(text[at[[1]]], 1L)
      right$k <- factor(with_gaps(text[at[[2]]], 2L))
      on <- list("k")
    },
    nearest = {
      left$g <- at[[1]] %% 500L
      right$g <- at[[2]] %% 500L
      left$k <- with_gaps(as.POSIXct("2031-05-01", tz = "UTC") + sample.int(1e6, n, TRUE), 1L)
      right$k <- with_gaps(as.POSIXct("2031-05-01", tz = "UTC") + sample.int(1e6, m, TRUE), 2L)
      on <- list("g", nearest("k", ties = "all", within = "2 hours"))
    },
    overlap = {
      left$from <- with_gaps(stats::runif(n), 1L)
      left$to <- left$from + stats::runif(n) / n
      right$from <- with_gaps(stats::runif(m), 2L)
      right$to <- right$from + stats::runif(m) / n
      on <- list(overlap("from", "to"))
    }
  )
  list(left = left, right = right, on = on)
}

# The pairs as numbers that tell each pair from all others, in order; `rows` as asked
pairs_of <- function(case, left = case$left, right = case$right, on = case$on, ...) {
  found <- join_frames(left, right, on = on, rows = "inner", expect = "rows-multiply", ...)
  found$x * 2^21 + found$y
}

test_that("rows are split, added up, cut, shuffled and mirrored as joins must", {
  withr::local_options(ronda.receipt = FALSE)
  for (rule in c("number", "text", "nearest", "overlap")) {
    case <- large_case(rule)
    left <- case$left
    right <- case$right
    join <- function(rows, ...) {
      join_frames(left, right, on = case$on, rows = rows, expect = "rows-multiply", ...)
    }
    pairs <- pairs_of(case)
    expect_gt(length(pairs), 5e4)
    expect_false(is.unsorted(pairs))
    paired <- unique(pairs %/% 2^21)
    expect_identical(as.double(join("semi")$x), paired)
    expect_identical(join("anti")$x, setdiff(left$x, as.integer(paired)))
    alone <- setdiff(right$y, pairs %% 2^21)
    full <- join("full")
    expect_identical(nrow(full), length(pairs) + nrow(left) - length(paired) + length(alone))
    expect_identical(full$y[is.na(full$x)], alone)
    # a fold counts the pairs
    n <- join_frames(left, right, on = case$on, fold = list(n = ~ nrow(right)))$n
    expect_identical(n, tabulate(pairs %/% 2^21, nrow(left)))
    # the left frame cut in two
    half <- left$x <= 4e5
    expect_identical(c(pairs_of(case, left[half, ]), pairs_of(case, left[!half, ])), pairs)
    # both sides in another order
    shuffled <- lapply(case[c("left", "right")], function(side) side[sample.int(nrow(side)), ])
    expect_identical(sort(pairs_of(case, shuffled$left, shuffled$right)), pairs)
    # rows that match nothing, and two threads
    none <- right[c(seq_len(nrow(right)), 1:2), ]
    none[nrow(right) + 1:2, setdiff(names(right), c("y", "g"))] <- NA
    withr::with_options(list(ronda.threads = 2L), {
      expect_identical(pairs_of(case, right = none), pairs)
    })
    if (rule %in% c("number", "text", "overlap")) {
      # sides changed
      swapped <- join_frames(right, left, on = case$on, rows = "inner", expect = "rows-multiply")
      expect_identical(sort(swapped$x * 2^21 + swapped$y), pairs)
    }
  }
})

test_that("values that are mapped one to one give the same pairs", {
  withr::local_options(ronda.receipt = FALSE)
  mapped <- function(case, f, columns = "k", on = case$on) {
    left <- case$left
    right <- case$right
    left[columns] <- lapply(left[columns], f)
    right[columns] <- lapply(right[columns], f)
    pairs_of(case, left, right, on)
  }
  case <- large_case("number")
  pairs <- pairs_of(case)
  texts <- function(x) ifelse(is.na(x), NA, sprintf("%.0f", x))
  for (f in list(
    function(x) 2 * x, function(x) -x - 2^40, function(x) as.Date(x, origin = "1970-01-01"), texts
  )) {
    expect_identical(mapped(case, f), pairs)
  }
  case <- large_case("text")
  pairs <- pairs_of(case)
  ports <- setdiff(c(as.character(case$left$k), levels(case$right$k)), NA)
  other <- sample(ports)
  expect_identical(mapped(case, function(x) other[match(x, ports)]), pairs)
  case <- large_case("nearest")
  pairs <- pairs_of(case)
  expect_identical(mapped(case, function(x) x + 86400), pairs)
  seconds <- list("g", nearest("k", ties = "all", within = 7200))
  expect_identical(mapped(case, as.double, on = seconds), pairs)
  # back and ahead mirror each other
  ahead <- list("g", nearest("k", look = "ahead", ties = "all", within = 7200))
  expect_identical(mapped(case, function(x) -as.double(x), on = ahead), pairs)
  case <- large_case("overlap")
  pairs <- pairs_of(case)
  expect_identical(mapped(case, function(x) 2 * x, c("from", "to")), pairs)
})

test_that("a frame joined with itself by a unique key is itself, and parts add up", {
  withr::local_options(ronda.receipt = FALSE)
  case <- large_case("number")
  left <- case$left
  expect_identical(join_frames(left, left["x"], on = "x", expect = "one-to-one"), left)
  skip_if_not_installed("nanoparquet")
  skip_if_not_installed("future", "1.80.0")
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  dir.create("left")
  for (k in 0:3) {
    write_frame(left[left$x %% 4L == k, ], file.path("left", sprintf("%d.parquet", k)))
  }
  pairs <- pairs_of(case)
  joined <- join_files("left", case$right,
    on = "k", rows = "inner", expect = "rows-multiply", way = "parts", parts = 5, out = "out"
  )
  found <- read_frame("out")
  expect_identical(sort(found$x * 2^21 + found$y), pairs)
  expect_equal(sum(joined$parts$pairs), length(pairs))
})
