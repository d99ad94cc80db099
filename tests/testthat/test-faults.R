# Files that can't be written whole, and columns that are not what they say.

# R code in a process of its own, under limits set by the shell
run_limited <- function(limits, code) {
  skip_on_os("windows")
  file <- withr::local_tempfile(fileext = ".R", lines = c(
    sprintf(".libPaths(%s)", paste(deparse(.libPaths()), collapse = "")),
    "suppressMessages(library(ronda))", code
  ))
  suppressWarnings(system2("bash", c("-c", shQuote(sprintf(
    "%s; exec %s --vanilla %s 2>&1", limits,
    shQuote(file.path(R.home("bin"), "Rscript")), shQuote(file)
  ))), stdout = TRUE))
}

test_that("a full disk and a killed process leave the old file", {
  folder <- withr::local_tempdir()
  for (ending in c("csv", "csv.gz", "rds", "jsonl", "parquet")) {
    path <- file.path(folder, paste0("ports.", ending))
    code <- sprintf(
      "x <- data.frame(port = as.character(runif(2e5)))
       tryCatch(write_frame(x, '%s'), error = function(e) {
         cat(class(e)[1L], conditionMessage(e))
       })", path
    )
    for (limits in c("trap '' XFSZ; ulimit -f 50", if (ending == "csv") "ulimit -f 50")) {
      write_frame(ports, path)
      before <- tools::md5sum(path)
      said <- run_limited(limits, code)
      expect_identical(tools::md5sum(path), before)
      if (startsWith(limits, "trap")) {
        expect_match(paste(said, collapse = " "), "ronda_error")
        expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE),
          basename(path)
        )
      }
      unlink(list.files(folder, all.files = TRUE, no.. = TRUE,
        full.names = TRUE
      ), recursive = TRUE)
    }
  }
})

test_that("memory that runs out is an error of ours, and the session lives", {
  # (AddressSanitizer takes more addresses for itself than any limit here)
  skip_if(nzchar(Sys.getenv("ASAN_OPTIONS")))
  said <- run_limited("ulimit -v 1200000", "
    options(ronda.receipt = FALSE)
    join <- function(x) join_frames(x, x, on = 'k', rows = 'inner',
      expect = 'rows-multiply', max_rows = Inf
    )
    x <- data.frame(k = rep(1L, 12000), v = 1)
    e <- tryCatch(join(x), error = identity)
    cat(class(e)[1:2], deparse(conditionCall(e)), nrow(join(x[1:3, ])))
  ")
  expect_identical(said, "ronda_error_too_many_rows ronda_error join_frames() 9")
})

test_that("under a limit that falls every join is right, or an error of ours", {
  skip_if(nzchar(Sys.getenv("ASAN_OPTIONS")))
  skip_if(!nzchar(Sys.which("prlimit")), "the system has no prlimit")
  helper <- normalizePath(test_path("helper-refused.R"))
  for (threads in 1:2) {
    # (memory goes back to the system at once, so that it has to be asked for again)
    said <- run_limited(paste("export MALLOC_ARENA_MAX=1 MALLOC_MMAP_THRESHOLD_=16384",
      "MALLOC_TRIM_THRESHOLD_=0"
    ), sprintf("
      options(ronda.receipt = FALSE, ronda.threads = %d, ronda.chunk_rows = 300,
        ronda.max_rows = 1e7
      )
      place <- new.env(parent = asNamespace('ronda'))
      sys.source('%s', place)
      # (set from outside: a process that has no memory left starts no program)
      pipes <- file.path(tempdir(), c('to', 'from'))
      system2('mkfifo', pipes)
      system(sprintf(
        'while read size; do prlimit --pid %%d --as=$size:unlimited; echo; done < %%s > %%s &',
        Sys.getpid(), pipes[1L], pipes[2L]
      ))
      to <- fifo(pipes[1L], 'w', blocking = TRUE)
      from <- fifo(pipes[2L], 'r', blocking = TRUE)
      limit <- function(size) {
        writeLines(size, to)
        readLines(from, 1L)
      }
      taken <- function() {
        line <- grep('^VmSize', readLines('/proc/self/status'), value = TRUE)
        1024 * as.double(gsub('[^0-9]', '', line))
      }
      joins <- place$all_kinds_of_joins(1500L)
      slow <- c('cross', 'fold_code', 'misses', 'suggested', 'many', 'differ', 'csv', 'choices')
      joins[slow] <- NULL
      refused <- 0
      for (name in names(joins)) {
        expected <- joins[[name]]()
        found <- NULL
        for (more in c(8, 1, 0.1) * 1e6) {
          gc(FALSE)
          limit(format(taken() + more, scientific = FALSE))
          found <- tryCatch(joins[[name]](), error = identity)
          limit('unlimited')
          if (inherits(found, 'ronda_error')) refused <- refused + 1 else
            if (!identical(found, expected)) cat(name, more, 'differs:', format(found)[1L])
          found <- NULL
          small <- join_frames(sailings, vessels, on = c(vessel = 'code'))
          if (nrow(small) != 60L) cat(name, more, 'the join afterwards is not right')
        }
      }
      cat('done,', if (refused < 5) refused)
    ", threads, helper))
    expect_identical(said, "done,")
  }
})

test_that("a folder that can't be written to is named", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "no-folder", "x.csv")
  expect_error(write_frame(ports, file), class = "ronda_error")
  writeLines("a file", file.path(folder, "file"))
  expect_error(write_frame(ports, file.path(folder, "file", "x.csv")),
    class = "ronda_error"
  )
})

test_that("columns of every make are read as what they are", {
  n <- 200000L
  lazy <- data.frame(k = seq_len(n), t = as.character(seq_len(n)))
  plain <- data.frame(k = c(1L, 5L, n), t = c("1", "5", as.character(n)),
    w = 1:3
  )
  for (key in c("k", "t")) {
    found <- join_frames(plain, lazy, on = key, rows = "inner", keys = "one")
    expect_identical(found$w, 1:3)
    expect_identical(nrow(join_frames(lazy, plain, on = key, rows = "semi")), 3L)
  }
  expect_identical(join_frames(lazy, plain, on = "k")$w[c(1, 2, 5, n)],
    c(1L, NA, 2L, 3L)
  )
})

test_that("row names of all kinds stay behind", {
  named <- data.frame(k = 1:3, v = 4:6, row.names = c("x", "", "\u00e4"))
  bare <- data.frame(k = 3:1, w = 7:9)
  attr(bare, "row.names") <- c(10L, 20L, -5L)
  expect_identical(join_frames(named, bare, on = "k"),
    data.frame(k = 1:3, v = 4:6, w = 9:7)
  )
})

test_that("columns whose attributes lie are named, or pass unharmed", {
  good <- data.frame(k = c("a", "b"), w = 1:2)
  lying <- structure(c(1L, 9L), levels = c("a", "b"), class = "factor")
  frame <- list(k = lying, v = 1:2)
  attributes(frame) <- list(names = c("k", "v"), class = "data.frame",
    row.names = 1:2
  )
  textual <- frame
  textual$k <- 1:2
  attributes(textual$k) <- list(levels = 1:2, class = "factor")
  unlevelled <- frame
  unlevelled$k <- structure(1:2, class = "factor")
  for (x in list(frame, textual, unlevelled)) {
    error <- expect_error(join_frames(x, good, on = "k"), class = "ronda_error")
    expect_match(conditionMessage(error), "`k` of `x` \\(left\\)")
    expect_error(join_frames(good, x, on = "k"), class = "ronda_error")
  }
  # beside the key such a column is taken as it is
  passed <- join_frames(data.frame(v = 2:1), frame, on = "v")
  expect_identical(unclass(passed$k)[1:2], unclass(lying)[2:1])
  short <- frame
  short[["v"]] <- NULL
  short <- structure(list(k = 1:2, v = 1:3), class = "data.frame",
    row.names = 1:2
  )
  error <- expect_error(join_frames(short, good, on = "k"), class = "ronda_error")
  expect_match(conditionMessage(error), "Column `v` of `short` \\(left\\)")
  odd <- data.frame(k = 1:2)
  odd$z <- structure(list(1, 2), class = "no_such_class")
  expect_identical(
    unclass(join_frames(data.frame(k = 2:1), odd, on = "k")$z), list(2, 1)
  )
  expect_error(join_frames(odd, odd, on = "z"), class = "ronda_error_type")
})
