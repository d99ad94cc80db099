test_that("sizes are read as they are written", {
  expect_identical(as_bytes("2 GB", "memory", NULL), 2e9)
  expect_identical(as_bytes("500MB", "memory", NULL), 5e8)
  expect_identical(as_bytes("1.5 G", "memory", NULL), 1.5e9)
  expect_identical(as_bytes("250 kB", "memory", NULL), 250e3)
  expect_identical(as_bytes(1e9, "memory", NULL), 1e9)
  for (wrong in list("much", "2 XB", -1, c(1, 2), NA, TRUE, "")) {
    expect_error(as_bytes(wrong, "memory", NULL), "`memory` must be a size",
      class = "ronda_error_argument"
    )
  }
})

test_that("facts are the same in another session, and tell what changed", {
  least <- 3
  f <- function(x) x > least
  formula <- ~ left$km > least
  facts <- as_facts(detached(list(f = f, where = formula, on = "k", n = 1L)))
  file <- withr::local_tempfile()
  write_facts(digests_of(facts), file)
  expect_identical(read_facts(file), digests_of(facts))
  same <- as_facts(detached(list(f = function(x) x > least, where = ~ left$km > least,
    on = "k", n = 1L
  )))
  expect_identical(same, facts)
  least <- 4
  changed <- as_facts(detached(list(f = f, where = formula, on = "k", n = 1L)))
  expect_false(identical(changed$f, facts$f))
  expect_false(identical(changed$where, facts$where))
  expect_identical(changed_facts(digests_of(facts), digests_of(changed)), c("f", "where"))
  expect_false(identical(as_facts(list(f = function(x) x >= least)), as_facts(list(f = f))))
  expect_identical(as_facts(sum)$text, deparse(sum))
})

test_that("a work folder is taken up only where everything is as it was", {
  out <- withr::local_tempfile()
  work <- work_folder(out)
  facts <- list(inputs = 1, arguments = "a")
  mark <- function(opened) {
    save_state(list(work = work, token = opened$token), list(1), done_file(work, "part-1"))
  }
  opened <- open_work(work, facts, TRUE, NULL)
  expect_false(opened$taken_up)
  mark(opened)
  expect_true(open_work(work, facts, TRUE, NULL)$taken_up)
  expect_true(is_done(work, "part-1"))
  # another call: what was begun comes back where nothing comes of it
  other <- list(inputs = 2, arguments = "a")
  opened <- open_work(work, other, TRUE, NULL)
  expect_false(opened$taken_up)
  expect_identical(opened$changed, "inputs")
  expect_false(is_done(work, "part-1"))
  put_back_work(work, opened)
  expect_true(open_work(work, facts, TRUE, NULL)$taken_up)
  expect_true(is_done(work, "part-1"))
  opened <- open_work(work, other, TRUE, NULL)
  expect_true(dir.exists(opened$aside))
  job <- list(work = work)
  expect_message(let_go_of_work(job, opened), "is left: inputs changed",
    class = "ronda_message_note"
  )
  expect_false(dir.exists(opened$aside))
  mark(opened)
  opened <- open_work(work, other, FALSE, NULL)
  expect_silent(let_go_of_work(job, opened))
  expect_false(is_done(work, "part-1"))
  # what is in use by another process of this machine is left alone
  skip_on_os("windows")
  process <- as.integer(system("sleep 30 > /dev/null 2>&1 & echo $!", intern = TRUE))
  withr::defer(tools::pskill(process))
  writeLines(c("token", this_process()[1], process), file.path(work, "lock"))
  expect_error(open_work(work, other, TRUE, NULL),
    sprintf("is in use by another run [(]process %d[)]", process), class = "ronda_error_file"
  )
  tools::pskill(process, 9L)
  Sys.sleep(0.2)
  expect_true(open_work(work, other, TRUE, NULL)$taken_up)
  # one that was left before anything was known of it is begun anew
  unlink(file.path(work, c("facts", "lock")))
  expect_false(open_work(work, other, TRUE, NULL)$taken_up)
  # a folder that somebody else made is not removed
  unlink(work, recursive = TRUE)
  dir.create(work)
  writeLines("mine", file.path(work, "notes.txt"))
  expect_error(open_work(work, list(inputs = 1), TRUE, NULL), "is not a work folder",
    class = "ronda_error_file"
  )
  expect_identical(list.files(work), "notes.txt")
})

test_that("only what code uses goes to a worker", {
  skip_if_not_installed("globals")
  make <- function() {
    large <- raw(1e6)
    least <- 2
    helper <- function(x) x > least
    list(where = ~ helper(left$km), large = large)
  }
  made <- make()
  whole <- length(serialize(made$where, NULL))
  small <- detached(made$where)
  expect_gt(whole, 1e6)
  expect_lt(length(serialize(small, NULL)), whole)
  expect_true(eval(small[[2]], list(left = list(km = 3)), environment(small)))
  assign("ronda_test_least", 5, globalenv())
  withr::defer(rm("ronda_test_least", envir = globalenv()))
  global <- ~ left$km > ronda_test_least
  environment(global) <- globalenv()
  expect_identical(globals_of(list(list(global)))$values, list(ronda_test_least = 5))
  expect_true("stats" %in% globals_of(list(function(x) median(x)))$packages)
  expect_identical(globals_of(list("no code", 1))$values, list())
  expect_identical(detached(list(1, "a", sum)), list(1, "a", sum))
})

test_that("free space is told where the system tells it", {
  expect_gt(free_bytes_(tempdir()), 0)
  expect_identical(free_bytes_(file.path(tempdir(), "not there")), NA_real_)
})
