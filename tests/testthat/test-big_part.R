# Generated joins of files give what joins of the same frames in memory give: rows, types,
# receipts, warnings and errors.

test_that("files joined by keys give what frames in memory give", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  ways <- c("auto", "parts", "parts", "right_whole")
  found <- suppressMessages(differing_cases(1:20, FALSE, ways))
  expect_identical(found$differ, setNames(list(), character()))
  expect_gt(found$compared, 14)
})

test_that("files joined by ordered rules give what frames in memory give", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  ways <- c("auto", "parts", "right_whole", "ranges", "ranges")
  found <- suppressMessages(differing_cases(1:24, TRUE, ways))
  expect_identical(found$differ, setNames(list(), character()))
  expect_gt(found$compared, 14)
})

test_that("other processes give the same, case by case", {
  skip_without_files()
  skip_on_os("windows")
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  withr::defer(future::plan("sequential"))
  future::plan("multisession", workers = 2)
  for (ordered in c(FALSE, TRUE)) {
    ways <- c("auto", "parts", "right_whole", if (ordered) "ranges")
    found <- suppressMessages(differing_cases(501:504, ordered, ways))
    expect_identical(found$differ, setNames(list(), character()))
  }
})

test_that("files warn of rows that multiply where frames in memory do", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  # the keys of the warning, NULL where there is none
  warned_of <- function(code) {
    keys <- NULL
    withCallingHandlers(suppressMessages(code), ronda_warning_rows_multiply = function(w) {
      keys <<- w$keys
      tryInvokeRestart("muffleWarning")
    }, warning = function(w) tryInvokeRestart("muffleWarning"))
    keys
  }
  seen <- 0L
  for (seed in 1:6) {
    set.seed(seed)
    left <- data.frame(k = sample(24L, 20L, seed %% 2L == 0L), v = 1:20)
    right <- data.frame(k = sample(24L, 20L, seed %% 3L != 0L), w = 1:20)
    expected <- warned_of(join_frames(left, right, on = "k"))
    seen <- seen + !is.null(expected)
    for (way in c("parts", "right_whole")) {
      found <- warned_of(join_files(left, right, on = "k", way = way, parts = 3,
        out = tempfile()
      ))
      expect_identical(found, expected, ignore_attr = TRUE, label = paste(seed, way))
    }
  }
  expect_true(seen > 0L && seen < 6L)
})
