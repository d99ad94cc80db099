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
