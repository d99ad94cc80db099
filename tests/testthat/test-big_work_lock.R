# What keeps rows from getting lost: one run in a work folder, marks that are looked at
# again, and rows that add up before anything is published.

lock_case <- function(n = 60L) {
  set.seed(8)
  list(
    left = data.frame(k = sample.int(12L, n, TRUE), v = seq_len(n)),
    right = data.frame(k = c(1:9, 1:9, 20:24), x = seq_len(23L))
  )
}

join_lock_case <- function(case, ..., out = tempfile()) {
  join_files(case$left, case$right, on = "k", out = out, ...)
}

test_that("rows that write no pairs are whole however many pairs there are", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  case <- lock_case()
  folds <- list(n = ~ nrow(right), top = ~ max(right$x))
  for (way in c("parts", "right_whole")) {
    for (rows in c("semi", "anti", "unmatched")) {
      expected <- join_frames(case$left, case$right, on = "k", rows = rows, max_rows = 1)
      told <- last_receipt()
      joined <- join_lock_case(case, rows = rows, max_rows = 1, way = way, parts = 3,
        row_order = "left"
      )
      expect_equal(read_frame(joined$out), expected)
      expect_identical(joined$receipt$result_rows, told$result_rows)
      expect_identical(joined$receipt$pairs, told$pairs)
    }
    expected <- join_frames(case$left, case$right, on = "k", fold = folds, max_rows = 1)
    joined <- join_lock_case(case, fold = folds, max_rows = 1, way = way, parts = 3,
      row_order = "left"
    )
    expect_equal(read_frame(joined$out), expected)
    # what has a line for each pair is refused, with the pairs of the whole
    for (limit in c(1, told$pairs - 1)) {
      error <- expect_error(
        join_lock_case(case, max_rows = limit, way = way, parts = 3, expect = "rows-multiply"),
        class = "ronda_error_too_many_rows"
      )
      expect_identical(error$pairs, told$pairs)
    }
    # (the limit itself is none too many)
    joined <- join_lock_case(case, max_rows = told$pairs, way = way, parts = 3,
      expect = "rows-multiply", rows = "inner"
    )
    expect_identical(joined$receipt$result_rows, told$pairs)
  }
})

test_that("an order that has no meaning is the error that it is in memory", {
  skip_without_files()
  case <- lock_case()
  without_right <- list(
    list(rows = "semi"), list(rows = "anti"), list(fold = list(n = ~ nrow(right)))
  )
  for (more in without_right) {
    asked <- c(list(case$left, case$right, on = "k", row_order = "right"), more)
    told <- vapply(c(join_frames, join_files), function(verb) {
      if (identical(verb, join_files)) asked$out <- tempfile()
      error <- expect_error(do.call(verb, asked), class = "ronda_error_argument")
      conditionMessage(error)
    }, "")
    expect_match(told[1L], "`row_order` has no meaning")
    expect_identical(told[2L], told[1L])
  }
})

test_that("a run on another host keeps the folder as long as it gives signs of life", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  case <- lock_case()
  out <- withr::local_tempfile()
  work <- work_folder(out)
  failing <- function(left, right) stop("on purpose")
  expect_error(join_lock_case(case, out = out, where = failing), "on purpose")
  lock <- file.path(work, "lock")
  alive <- file.path(work, "alive")
  writeLines(c("another", "elsewhere", "12"), lock)
  writeLines("", alive)
  error <- expect_error(join_lock_case(case, out = out), class = "ronda_error_file")
  expect_match(conditionMessage(error), "in use by another run (process 12 on host elsewhere)",
    fixed = TRUE
  )
  expect_match(conditionMessage(error), paste("remove", lock), fixed = TRUE)
  expect_identical(readLines(lock)[1L], "another")
  # a file that is being made is a lock already
  writeLines(character(), lock)
  expect_error(join_lock_case(case, out = out), "in use by another run")
  # what has been silent for long has ended, and so has what is asked to be removed
  writeLines(c("another", "elsewhere", "12"), lock)
  long_ago <- Sys.time() - 2 * silent_seconds
  Sys.setFileTime(lock, long_ago)
  Sys.setFileTime(alive, long_ago)
  expect_error(join_lock_case(case, out = out, where = failing), "on purpose")
  writeLines(c("another", "elsewhere", "12"), lock)
  writeLines("", alive)
  unlink(lock)
  join_lock_case(case, out = out, expect = "rows-multiply")
  expect_false(dir.exists(work))
})

test_that("a run that has lost its folder stops, and leaves the folder to the other", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  case <- lock_case()
  losses <- list(
    "Another run (process 12 on host elsewhere) has taken over" = function(work) {
      writeLines(c("another", "elsewhere", "12"), file.path(work, "lock"))
    },
    "was removed, or its lock was" = function(work) unlink(file.path(work, "lock"))
  )
  for (told in names(losses)) {
    out <- withr::local_tempfile()
    work <- work_folder(out)
    loss <- losses[[told]]
    lose <- function(left, right) {
      loss(work)
      left$v > 0
    }
    error <- expect_error(join_lock_case(case, out = out, where = lose, parts = 3, way = "parts"),
      class = "ronda_error_file"
    )
    expect_match(conditionMessage(error), told, fixed = TRUE)
    expect_false(file.exists(out))
    expect_true(dir.exists(work))
    expect_identical(list.files(work, "[.]part$", recursive = TRUE), character())
  }
})

test_that("what a mark promises is made again where it is gone", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  case <- lock_case()
  folder <- withr::local_tempdir()
  files <- files_of(case$left, file.path(folder, "left"), 20L)
  expected <- join_frames(case$left, case$right, on = "k", expect = "rows-multiply")
  out <- file.path(folder, "out")
  work <- work_folder(out)
  stopping <- file.path(folder, "stopping")
  # stops at the end, when every part is done
  own <- check_rows_add_up
  local_function("check_rows_add_up", function(...) {
    if (file.exists(stopping)) stop("stopped before publishing")
    own(...)
  })
  join <- function() {
    join_files(files, case$right, on = "k", expect = "rows-multiply", parts = 3, way = "parts",
      out = out
    )
  }
  lost <- list(
    one = function() unlink(list.files(file.path(work, "result"), full.names = TRUE)[2L]),
    cut = function() {
      file <- list.files(file.path(work, "result"), full.names = TRUE)[1L]
      writeBin(readBin(file, raw(), 200L), file)
    },
    rows = function() unlink(list.files(file.path(work, "rows"), full.names = TRUE)),
    # (as it is right after the result has got its name)
    result = function() unlink(file.path(work, "result"), recursive = TRUE),
    mark = function() {
      marks <- list.files(file.path(work, "done"), "^part", full.names = TRUE)
      writeLines("no mark", marks[1L])
    }
  )
  for (name in names(lost)) {
    file.create(stopping)
    expect_error(join(), "stopped before publishing")
    lost[[name]]()
    unlink(stopping)
    joined <- join()
    expect_equal(sorted_rows(read_frame(out)), sorted_rows(expected), info = name)
    expect_identical(joined$receipt$result_rows, nrow(expected) + 0)
    expect_false(dir.exists(work))
    unlink(out, recursive = TRUE)
  }
})

test_that("nothing is published that doesn't add up", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  case <- lock_case()
  out <- withr::local_tempfile()
  refused <- function(told) {
    error <- expect_error(
      join_lock_case(case, out = out, parts = 3, way = "parts", expect = "rows-multiply"),
      class = "ronda_error_file"
    )
    expect_match(conditionMessage(error), "does not add up and was not published")
    expect_match(conditionMessage(error), told, fixed = TRUE)
    expect_false(file.exists(out))
  }
  local({
    local_function("rows_of_footer", function(footer) 1)
    refused("the rows of the files are")
  })
  unlink(work_folder(out), recursive = TRUE)
  local({
    own <- left_of_task
    # a task that leaves rows out is found by the sum of left rows
    local_function("left_of_task", function(job, task) {
      left <- own(job, task)
      if (task$part == 2L) {
        left <- side_rows(job$sides$left, lapply(unclass(left$frame), utils::head, -1L),
          utils::head(left$numbers, -1L)
        )
      }
      left
    })
    refused("the left rows of all parts are")
  })
})
