# Joins of files give what joins of the same frames in memory give: rows, types, receipts,
# warnings and errors.

# Larger frames, and what one case is about -------------------------------------------

keyed_case <- function(n = 120L, keys = 30L) {
  set.seed(4)
  list(
    left = data.frame(
      k = sample.int(keys, n, TRUE), v = runif(n), s = sample(c("a", "b", NA), n, TRUE)
    ),
    right = data.frame(
      k = c(seq_len(keys), 5:9), x = runif(keys + 5L),
      t = factor(sample(c("p", "q"), keys + 5L, TRUE))
    )
  )
}

two_workers <- function(frame = parent.frame()) {
  future::plan("multisession", workers = 2)
  withr::defer(future::plan("sequential"), frame)
}

join_case <- function(case, ..., out = tempfile()) {
  join_files(case$left, case$right, on = "k", expect = "rows-multiply", out = out, ...)
}

test_that("bytes are the same whatever the plan and the workers", {
  skip_without_files()
  skip_on_os("windows")
  local_pieces()
  case <- keyed_case()
  limit <- 0.3
  is_high <- function(v) v > limit
  sums <- lapply(c("sequential", "multisession"), function(plan) {
    if (plan == "sequential") future::plan(plan) else two_workers()
    joined <- join_case(case, rows = "full", where = ~ is_high(left$v), parts = 3, way = "parts")
    files <- list.files(joined$out, "parquet$", full.names = TRUE)
    stats::setNames(tools::md5sum(files), basename(files))
  })
  expect_identical(sums[[2]], sums[[1]])
  expect_gt(length(sums[[1]]), 3)
})

test_that("a lost worker's task is done again, and given up after some tries", {
  skip_without_files()
  skip_on_os("windows")
  local_pieces()
  two_workers()
  case <- keyed_case()
  once <- tempfile()
  joined <- join_case(case, parts = 2, way = "parts", where = function(left, right) {
    if (!file.exists(once)) {
      file.create(once)
      tools::pskill(Sys.getpid(), 9L)
      Sys.sleep(5)
    }
    left$v > 0.5
  })
  expect_true(file.exists(once))
  in_memory <- join_frames(case$left, case$right,
    on = "k", where = ~ left$v > 0.5, expect = "rows-multiply"
  )
  expect_equal(sorted_rows(read_frame(joined$out)), sorted_rows(in_memory))
  out <- tempfile()
  always <- function(left, right) {
    tools::pskill(Sys.getpid(), 9L)
    Sys.sleep(5)
    TRUE
  }
  expect_error(join_case(case, where = always, parts = 2, way = "parts", out = out),
    "Part [0-9]+.* failed 2 times.*is kept in .*[.]work: the same call goes on",
    class = "ronda_error_file"
  )
  expect_false(file.exists(out))
  expect_true(dir.exists(paste0(out, ".work")))
})

test_that("a worker that is lost while rows are cut into parts is replaced, too", {
  skip_without_files()
  skip_on_os("windows")
  local_pieces()
  two_workers()
  case <- keyed_case()
  once <- tempfile()
  session <- Sys.getpid()
  clean <- function(x) {
    if (Sys.getpid() != session && !file.exists(once)) {
      file.create(once)
      tools::pskill(Sys.getpid(), 9L)
      Sys.sleep(5)
    }
    x + 0
  }
  joined <- join_files(case$left, case$right,
    on = same("k", via = clean), expect = "rows-multiply", parts = 2, way = "parts",
    row_order = "left", out = tempfile()
  )
  expect_true(file.exists(once))
  in_memory <- join_frames(case$left, case$right, on = "k", expect = "rows-multiply")
  expect_equal(read_frame(joined$out), in_memory)
})

test_that("those who ask are told of each task, and warnings of one's own code come once", {
  skip_without_files()
  skip_if_not_installed("progressr")
  local_pieces()
  withr::local_options(progressr.enable = TRUE)
  future::plan("sequential")
  steps <- 0
  warned <- character()
  withCallingHandlers(
    join_case(keyed_case(), parts = 2, way = "parts", where = function(left, right) {
      warning("fares are old")
      left$v > 0.5
    }),
    progression = function(p) steps <<- steps + (p$type == "update"),
    warning = function(w) {
      warned <<- c(warned, conditionMessage(w))
      invokeRestart("muffleWarning")
    }
  )
  expect_gt(steps, 20)
  expect_identical(warned, "fares are old")
})

test_that("an error of the analyst's own code is not tried again, and names the part", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  count <- tempfile()
  fails <- function(left, right) {
    cat("x", file = count, append = TRUE)
    stop("no such fare")
  }
  out <- tempfile()
  expect_error(
    join_case(keyed_case(), where = fails, parts = 2, way = "parts", out = out, tries = 3),
    "`where` failed: no such fare\n[*] In part [12]",
    class = "ronda_error_argument"
  )
  expect_identical(file.size(count), 1)
  expect_false(file.exists(out))
})

test_that("what was done is taken up again by the same call, and by no other", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  case <- keyed_case()
  folder <- withr::local_tempdir()
  files <- files_of(case$left, file.path(folder, "left"), 50L)
  out <- file.path(folder, "out")
  calls <- file.path(folder, "calls")
  failing <- file.path(folder, "failing")
  file.create(failing)
  # (the second part fails as long as a file is there)
  slow <- function(left, right) {
    cat("x", file = calls, append = TRUE)
    if (file.exists(failing) && file.size(calls) > 4) stop("out of reach")
    left$v > 0.2
  }
  join <- function(...) {
    join_files(files, case$right,
      on = "k", where = slow, expect = "rows-multiply", parts = 2, way = "parts", out = out, ...
    )
  }
  expect_error(join(), "out of reach")
  done <- list.files(file.path(paste0(out, ".work"), "done"), "^part")
  expect_gt(length(done), 0)
  # (a call that is wrong takes nothing away)
  expect_error(join(take = "nothing"), class = "ronda_error")
  expect_identical(list.files(file.path(paste0(out, ".work"), "done"), "^part"), done)
  unlink(failing)
  unlink(calls)
  joined <- join()
  again <- file.size(calls)
  expect_equal(
    sorted_rows(read_frame(out)),
    sorted_rows(join_frames(case$left, case$right,
      on = "k", where = ~ left$v > 0.2, expect = "rows-multiply"
    ))
  )
  expect_false(dir.exists(paste0(out, ".work")))
  unlink(out, recursive = TRUE)
  unlink(calls)
  join()
  expect_equal(file.size(calls) - again, length(done))
  # other arguments, and inputs that changed, begin anew
  unlink(out, recursive = TRUE)
  file.create(failing)
  unlink(calls)
  expect_error(join(), "out of reach")
  expect_error(
    expect_message(join(rows = "inner"), "The cutting in .* is kept: only arguments changed"),
    "out of reach"
  )
  write_frame(case$left[1:60, ], files$files$path[1])
  files <- frame_files(file.path(folder, "left"))
  unlink(failing)
  expect_message(join(rows = "inner"), "What was begun .* inputs changed")
  expect_identical(last_receipt()$rows_left, sum(files$files$rows))
})

test_that("what is cut already stays where it fits a call with other arguments", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 20, ronda.receipt = FALSE)
  future::plan("sequential")
  left <- data.frame(k = c(1:30, 99L), x = rep(c(0.5, 2), length.out = 31))
  right <- data.frame(k = c(2:30, 98L), y = letters[(2:31) %% 26 + 1])
  for (case in list(c("parquet", "parts"), c("csv", "right_whole"))) {
    kind <- case[1]
    way <- case[2]
    folder <- withr::local_tempdir()
    paths <- file.path(folder, paste0(c("left", "right"), ".", kind))
    write_frame(left, paths[1])
    write_frame(right, paths[2])
    files <- frame_files(paths[1])
    right_files <- frame_files(paths[2])
    out <- file.path(folder, "out")
    work <- paste0(out, ".work")
    join <- function(..., parts = 3) {
      join_files(files, right_files, on = "k", ..., way = way, parts = parts, out = out)
    }
    marks <- function(pattern) {
      found <- list.files(file.path(work, "done"), pattern, full.names = TRUE)
      stats::setNames(file.mtime(found), basename(found))
    }
    local_function("kept_bytes", 1)
    told <- paste0("The cutting .* is kept in .* another `expect` goes on from it.*",
      "If there will be none, remove that folder"
    )
    refused <- function(...) expect_error(join(...), class = "ronda_error_expectation")
    expect_message(refused(expect = "left-complete"), told)
    expect_length(marks("^part"), 0L)
    expect_identical(list.files(file.path(work, "result")), character())
    looks <- marks("^look|^types")
    cuts <- marks("^keys|^whole")
    expect_gt(length(looks), 0L)
    expect_gt(length(cuts), 0L)
    # another expectation and more memory
    expect_message(refused(expect = "right-complete", memory = "3 GB"), told)
    expect_identical(marks("^look|^types"), looks)
    expect_identical(marks("^keys|^whole"), cuts)
    # other columns are cut anew, and a wrong call changes nothing
    expect_error(join(take = "nothing"), class = "ronda_error")
    expect_identical(marks("^keys|^whole"), cuts)
    if (way == "parts") {
      expect_message(refused(expect = "left-complete", parts = 4), "is left: arguments changed")
      expect_identical(marks("^look|^types"), looks)
      expect_false(any(marks("^keys") == cuts))
    }
    expect_message(joined <- join(rows = "full", origin = "side"), "cutting|arguments changed")
    expect_false(dir.exists(work))
    expect_equal(sorted_rows(read_frame(out)), sorted_rows(
      join_frames(left, right, on = "k", rows = "full", origin = "side")
    ))
    unlink(out, recursive = TRUE)
    # what took no time to cut is not kept
    local_function("kept_bytes", 1e6)
    refused(expect = "left-complete")
    expect_false(dir.exists(work))
  }
})

test_that("a join whose session was killed is taken up by another session", {
  skip_without_files()
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  case <- keyed_case()
  files_of(case$left, file.path(folder, "left"), 30L)
  write_frame(case$right, file.path(folder, "right.parquet"))
  script <- file.path(folder, "join.R")
  writeLines(c(
    "library(ronda)", "options(ronda.receipt = FALSE, ronda.piece_rows = 9)",
    sprintf("folder <- %s", deparse(folder)), "stops <- file.path(folder, 'stops')",
    "wait <- function(left, right) {",
    "  if (file.exists(stops) && runif(1) < 0.2) tools::pskill(Sys.getpid(), 9L)",
    "  left$v > 0.5", "}",
    "joined <- join_files(frame_files(file.path(folder, 'left')),",
    "  frame_files(file.path(folder, 'right.parquet')), on = 'k', where = wait,",
    "  expect = 'rows-multiply', parts = 4, way = 'parts', out = file.path(folder, 'out'))",
    "cat('pairs', joined$receipt$pairs)"
  ), script)
  run <- function() {
    suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), script, stdout = TRUE,
      stderr = FALSE, env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))
    ))
  }
  stops <- file.path(folder, "stops")
  file.create(stops)
  for (attempt in 1:2) run()
  expect_false(file.exists(file.path(folder, "out")) && file.exists(file.path(folder, "out.work")))
  unlink(stops)
  if (!file.exists(file.path(folder, "out"))) {
    expect_match(paste(run(), collapse = ""), "pairs [0-9]+")
  }
  expect_equal(
    sorted_rows(read_frame(file.path(folder, "out"))),
    sorted_rows(join_frames(case$left, case$right,
      on = "k", where = ~ left$v > 0.5, expect = "rows-multiply"
    ))
  )
})

test_that("one key with half of all rows is cut into pieces", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE, ronda.piece_rows = 200)
  future::plan("sequential")
  set.seed(7)
  n <- 4000L
  left <- data.frame(k = ifelse(runif(n) < 0.5, 1L, sample.int(500L, n, TRUE)), v = seq_len(n))
  right <- data.frame(k = c(1L, 1L, 3:800), w = runif(800))
  joined <- join_files(left, right,
    on = "k", rows = "full", expect = "rows-multiply", way = "parts", parts = 4, out = tempfile()
  )
  expect_lte(max(joined$parts$left_rows), 200)
  expect_equal(sum(joined$parts$left_rows), n)
  in_memory <- join_frames(left, right, on = "k", rows = "full", expect = "rows-multiply")
  expect_equal(sorted_rows(read_frame(joined$out)), sorted_rows(in_memory))
  expect_equal(joined$receipt$unmatched_right, last_receipt()$unmatched_right)
})

test_that("partners are folded, and keys cleaned, part by part", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  future::plan("sequential")
  folds <- list(
    trips = ~ nrow(right), km = ~ sum(right$km), first = ~ min(right$departs),
    longest = ~ right$port[which.max(right$km)]
  )
  clean <- function(x) toupper(trimws(x))
  on <- same("code", "vessel", via = clean)
  expected <- join_frames(vessels, sailings, on = on, fold = folds, if_absent = list(km = 0))
  folded <- last_receipt()
  for (way in c("parts", "right_whole")) {
    joined <- join_files(vessels, sailings,
      on = on, fold = folds, if_absent = list(km = 0), way = way, parts = 3,
      row_order = "left", out = tempfile()
    )
    expect_equal(read_frame(joined$out), expected)
    expect_identical(joined$receipt$folded, folded$folded)
  }
  windows <- list(higher = ~ max(right$height), readings = ~ length(right$height))
  on <- list("port", around("departs", "read_at", before = "1 hour", after = "1 hour"))
  expected <- suppressWarnings(join_frames(sailings, tide_readings, on = on, fold = windows))
  joined <- suppressWarnings(join_files(sailings, tide_readings,
    on = on, fold = windows, parts = 4, way = "parts", row_order = "left", out = tempfile()
  ))
  expect_equal(read_frame(joined$out), expected)
  expect_error(
    join_files(vessels, sailings,
      on = c(code = "vessel"), fold = list(all = ~right), out = tempfile()
    ),
    class = "ronda_error_type"
  )
  fixes <- data.frame(from = c("gre", "CYR "), to = c("GRE", "CYR"))
  on <- same("vessel", "code", via = list(left = fixes))
  joined <- join_files(sailings, vessels, on = on, way = "parts", parts = 3, out = tempfile())
  expect_identical(joined$receipt$pairs, 56)
})

test_that("files of other levels and types come together as read_frame() has them", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  folder <- withr::local_tempdir()
  frames <- list(
    data.frame(k = 1:3, f = factor(c("b", "a", "b"), c("b", "a")), n = 1:3, none = NA),
    data.frame(k = 4:5, f = factor(c("c", "a")), n = c(0.5, NA), none = c("x", NA)),
    data.frame(k = 6:7, f = factor(c("d", NA)), n = c(7L, NA), none = c("y", "z"))
  )
  for (k in seq_along(frames)) {
    write_frame(frames[[k]], file.path(folder, sprintf("%d.parquet", k)))
  }
  whole <- read_frame(folder)
  other <- data.frame(k = c(2L, 5L, 9L), x = c("p", "q", "r"))
  for (rows in c("inner", "full")) {
    joined <- join_files(frame_files(folder), other,
      on = "k", rows = rows, way = "parts", parts = 3, row_order = "left", out = tempfile()
    )
    expect_equal(read_frame(joined$out), join_frames(whole, other, on = "k", rows = rows))
  }
  types <- lapply(list.files(joined$out, "parquet$", full.names = TRUE), function(file) {
    as.data.frame(nanoparquet::read_parquet_schema(file))[c("name", "type", "repetition_type")]
  })
  expect_length(unique(types), 1L)
  write_frame(data.frame(k = "a", f = "b", n = 1, none = "x"), file.path(folder, "4.parquet"))
  expect_error(join_files(frame_files(folder), other, on = "k", out = tempfile()),
    "column `k` is integer in 1.parquet and text in 4.parquet",
    class = "ronda_error_file"
  )
})

test_that("sides without rows give the columns of the result", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  none <- sailings[0, ]
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines("code,name", file)
  for (way in c("parts", "right_whole")) {
    for (rows in c("inner", "full", "anti")) {
      join <- function(left, right) {
        joined <- join_files(left, right,
          on = c(vessel = "code"), rows = rows, way = way, parts = 3, row_order = "left",
          out = tempfile()
        )
        read_frame(joined$out)
      }
      expect_equal(join(none, vessels), join_frames(none, vessels, c(vessel = "code"), rows))
      expect_equal(join(none, vessels[0, ]),
        join_frames(none, vessels[0, ], c(vessel = "code"), rows)
      )
    }
  }
  empty <- frame_files(file, types = c(code = "text"))
  joined <- join_files(vessels, empty, on = "code", out = tempfile())
  expect_identical(nrow(read_frame(joined$out)), 9L)
  path <- withr::local_tempfile(fileext = ".parquet")
  write_frame(none, path)
  files <- frame_files(path)
  expect_identical(head(files), as.data.frame(none), ignore_attr = TRUE)
  joined <- join_files(files, vessels, on = same("vessel", "code", via = "trim"), rows = "full",
    out = tempfile()
  )
  expect_equal(read_frame(joined$out), join_frames(none, vessels, c(vessel = "code"), "full"))
  joined <- join_files(sailings, files, on = "vessel", take = "departs", out = tempfile())
  expect_equal(read_frame(joined$out),
    join_frames(sailings, none, on = "vessel", take = "departs")
  )
  joined <- join_files(none, none,
    on = nearest("departs"), way = "ranges", parts = 3, out = tempfile()
  )
  expect_identical(dim(read_frame(joined$out)), c(0L, 16L))
})

test_that("row numbers beyond 2^31 are doubles", {
  side <- list(rows = 3e9, chunks = data.frame(first = c(0, 2.5e9)))
  expect_identical(numbers_of_chunk(side, 2L, 3L), 2.5e9 + 1:3)
  side$rows <- 10
  side$chunks$first <- c(0, 7)
  expect_identical(numbers_of_chunk(side, 2L, 3L), 8:10)
})

test_that("csv files have one type over all of them, and read as one file does", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  future::plan("sequential")
  lines <- c(
    "id,n,t,d,\"q\",e,x", "1,1,a,2031-05-01,\"1\",,1", "2,2.5,\"b, \"\"c\"\"\",2031-05-02,\"2\",,2",
    "", "3,3,\"line", "two\",NA,\"3\",,9007199254740993", "4,,NA,2031-05-04,\"4\",,4"
  )
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(lines, file)
  whole <- read_frame(file)
  other <- data.frame(id = c(1L, 3L), port = c("Osmere", "Velness"))
  expected <- join_frames(whole, other, on = "id")
  for (piece in c(9, 40, 1e9)) {
    withr::local_options(ronda.piece_rows = piece)
    joined <- join_files(frame_files(file), other, on = "id", row_order = "left", out = tempfile())
    expect_equal(read_frame(joined$out), expected)
  }
  typed <- join_files(frame_files(file, types = c(id = "text", d = "text")),
    data.frame(id = "3"),
    on = "id", rows = "semi", out = tempfile()
  )
  expect_identical(read_frame(typed$out)$id, "3")
  expect_identical(typed$receipt$rows_left, 4)
  withr::local_options(ronda.piece_rows = 9)
  writeLines(c(lines, "5,1"), file)
  expect_error(
    join_files(frame_files(file), other, on = "id", out = tempfile()),
    "csv.*line 8 has 2 columns instead of 7\n.*In chunk . of `left`",
    class = "ronda_error_file"
  )
})

test_that("files that can't be read, or that change, are told", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  case <- keyed_case()
  folder <- withr::local_tempdir()
  files <- files_of(case$left, file.path(folder, "left"), 40L)
  path <- files$files$path[3]
  bytes <- readBin(path, raw(), file.size(path))
  time <- file.info(path)$mtime
  bytes[20:300] <- as.raw(7L)
  writeBin(bytes, path)
  Sys.setFileTime(path, time)
  out <- file.path(folder, "out")
  join <- function() join_files(files, case$right, on = "k", expect = "rows-multiply", out = out)
  is_named <- "003[.]parquet' can't be read"
  expect_error(join(), is_named, class = "ronda_error_file")
  expect_false(file.exists(out))
  expect_error(head(files, nrow(case$left)), is_named, class = "ronda_error_file")
  expect_error(read_frame(dirname(path)), is_named, class = "ronda_error_file")
  write_frame(case$left[1:7, ], path)
  expect_error(join(), "003[.]parquet' changed after it was looked at",
    class = "ronda_error_file"
  )
  expect_error(frame_files(file.path(folder, "nowhere")), class = "ronda_error_file")
  write_frame(case$right["x"], file.path(folder, "left", "004.parquet"))
  expect_error(frame_files(file.path(folder, "left")), "'004[.]parquet' has no column that",
    class = "ronda_error_file"
  )
})

test_that("a disk that is full leaves nothing under the final name", {
  skip_without_files()
  skip_on_os("windows")
  local_pieces()
  future::plan("sequential")
  out <- tempfile()
  local_function("free_bytes_", function(folder) 1020)
  expect_error(join_case(keyed_case(), out = out), "has 1.02 kB free, and about .* are needed",
    class = "ronda_error_file"
  )
  expect_false(file.exists(out))
  expect_false(file.exists(paste0(out, ".work")))
})

test_that("what is wrong with the arguments is told before anything is done", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  case <- keyed_case()
  out <- tempfile()
  refused <- function(pattern, ..., class = "ronda_error_argument") {
    expect_error(join_case(case, ..., out = out), pattern, class = class)
    expect_false(file.exists(paste0(out, ".work")))
  }
  expect_error(join_files(case$left, case$right, on = "k"), "`out` is missing")
  expect_error(join_files("left.parquet", case$right, on = "k", out = out),
    "There is no file 'left.parquet'", class = "ronda_error_file"
  )
  expect_error(join_files(1, case$right, on = "k", out = out), "frame_files\\(\\) or the path")
  expect_error(join_files(case$left, case$right, on = "nothing", out = out),
    class = "ronda_error_key"
  )
  expect_error(join_files(case$left, case$right, out = out),
    "`on` is missing.*Both sides have: `k`\n[*] Write, for example: on = \"k\"",
    class = "ronda_error_key"
  )
  names(case$right)[1] <- "key"
  expect_error(join_files(case$left, case$right, out = out),
    "Columns of `left`: `k`, .*Columns of `right`: `key`",
    class = "ronda_error_key"
  )
  names(case$right)[1] <- "k"
  expect_error(join_files(case$left, case$right, on = k, out = out), "Write: on = \"k\"",
    class = "ronda_error_argument"
  )
  refused("`row_order` can't be \"keys\" for files", row_order = "keys")
  refused("`memory` must be a size such as \"2 GB\"", memory = "much")
  refused("R alone takes", memory = 1e6)
  refused("`way` must be", way = "fast")
  refused("`way` can't be \"ranges\": no rule in `on` orders", way = "ranges")
  refused("needs all left rows of a right row together", way = "right_whole", repeats = "once")
  refused("`take` names|no column", take = "nothing", class = "ronda_error")
  expect_error(
    join_files(case$left, case$right,
      on = same("k", via = function(x) x - min(x)), out = out
    ),
    "`via` gives other values for some of `k`",
    class = "ronda_error_argument"
  )
  case$left$bag <- as.list(seq_len(nrow(case$left)))
  refused("`bag`.* can't be written to a parquet file", class = "ronda_error_type")
  dir.create(out)
  expect_error(join_case(keyed_case(), out = out), "is there already", class = "ronda_error_file")
})

test_that("ways are chosen by sizes, and those that don't fit are refused with why", {
  future <- list(room = 1e9, left = 1e9, right = 1e6, left_chunks = 10)
  pairing <- function(on, ...) {
    left <- data.frame(k = 1L, t = 1, u = 2)
    right <- data.frame(k = 1L, t = 1, u = 2)
    checked_pairing(
      asked_pairing(left, right, with_usual_choices(list(...)), c("left", "right")), on, FALSE, NULL
    )
  }
  way <- function(on, sizes = list(), ...) {
    possible_way(pairing(on, ...), "auto", utils::modifyList(future, sizes), NULL)$way
  }
  large <- list(right = 9e8)
  expect_identical(way("k"), "right_whole")
  expect_identical(way("k", large), "parts")
  expect_identical(way("k", repeats = "once"), "parts")
  expect_identical(way("k", expect = "one-to-one"), "parts")
  expect_identical(way(nearest("t")), "right_whole")
  expect_identical(way(nearest("t"), large), "ranges")
  expect_identical(way(around("t", before = 1), large), "ranges")
  expect_identical(way(list("k", nearest("t")), large), "parts")
  expect_identical(way(in_turn(c("k", "t"), "k"), large), "parts")
  expect_error(way(in_turn("t", "k"), large), "share no key|several rules")
  expect_error(way(cross(), large), "pairs every row with every row")
  expect_error(way(nearest("t"), large, where = ~ left$u < right$u), "may reach any row")
})

test_that("the result says what was done, and its folder holds the receipt", {
  skip_without_files()
  withr::local_options(ronda.receipt = TRUE)
  future::plan("sequential")
  out <- tempfile()
  expect_message(
    expect_message(
      joined <- join_files(sailings, vessels, on = c(vessel = "code"), out = out),
      "By parts|Right side whole"
    ),
    "60 sailings, 9 vessels .* 60 rows: 54 paired, 6 sailings alone"
  )
  expect_identical(last_receipt()$pairs, 54)
  expect_match(format(joined), "60 sailings, 9 vessels", all = FALSE)
  expect_match(format(joined), "way \"", all = FALSE)
  expect_true(all(c("_receipt.json", "_parts.csv") %in% list.files(out)))
  parts <- utils::read.csv(file.path(out, "_parts.csv"))
  expect_identical(sum(parts$pairs), 54L)
  expect_identical(joined$files$columns$name, names(read_frame(out)))
  expect_s3_class(joined$tasks, "data.frame")
  if (requireNamespace("jsonlite", quietly = TRUE)) {
    told <- jsonlite::fromJSON(file.path(out, "_receipt.json"))
    expect_identical(told$pairs, 54L)
  }
})

test_that("frame_files() tells columns, types and rows without reading them", {
  skip_without_files()
  folder <- withr::local_tempdir()
  write_frame(sailings[1:30, ], file.path(folder, "1.parquet"))
  write_frame(sailings[31:60, ], file.path(folder, "2.parquet"))
  files <- frame_files(folder)
  expect_identical(dim(files), c(60, 8))
  expect_identical(files$columns$name, names(sailings))
  types <- stats::setNames(files$columns$type, files$columns$name)
  expect_identical(types[["departs"]], "date-time")
  expect_identical(types[["km"]], "double")
  expect_match(format(files), "2 parquet files, 60 rows, 8 columns", all = FALSE)
  file <- withr::local_tempfile(fileext = ".csv")
  write_frame(sailings, file)
  expect_match(format(frame_files(file)), "rows not counted yet", all = FALSE)
  expect_error(frame_files(c(file, file.path(folder, "1.parquet"))), "different kinds",
    class = "ronda_error_file"
  )
})

test_that("a median of more distances than are kept says so", {
  distances <- c(seq_len(20000), 1e6)
  note <- new_note("outside", length(distances), side = "left", label = "sailings",
    within = 0.5, limit = "0.5", scale = list(family = "number", unit = NA_real_),
    distances = distances
  )
  halves <- lapply(list(1:12000, 12001:20001), function(at) {
    half <- note
    half$distances <- distances[at]
    half$count <- length(at)
    half
  })
  added <- added_notes(halves[1], halves[2])[[1]]
  expect_identical(added$count, length(distances))
  expect_identical(range(added$distances), c(1, 1e6))
  expect_match(note_texts(list(added)), "the median 10,?00[0-9]+.* \\(of 10,001 of them\\)")
})

test_that("ties that stop are told by the rows of the whole, whichever part has them", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 7, ronda.receipt = FALSE)
  left <- data.frame(k = rep(c(4L, 1L, 3L, 2L), 6), t = 1:24 + 0)
  right <- data.frame(k = rep(1:4, each = 12), t = rep(c(8, 17, 17, 3, 20, 20), 8))
  on <- list("k", nearest("t", ties = "stop"))
  in_memory <- tryCatch(join_frames(left, right, on = on), ronda_error = identity)
  of_files <- tryCatch(
    join_files(left, right, on = on, way = "parts", parts = 3, out = tempfile()),
    ronda_error = identity
  )
  expect_identical(of_files$left_rows, in_memory$left_rows)
  expect_identical(grep("left: ", strsplit(conditionMessage(of_files), "\n")[[1L]], value = TRUE),
    grep("left: ", strsplit(conditionMessage(in_memory), "\n")[[1L]], value = TRUE)
  )
})

test_that("columns that don't agree are told by the rows of the whole, however few a part has", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 7, ronda.receipt = FALSE)
  left <- data.frame(k = 1:24, a = 1:24, b = 24:1)
  for (wrong in list(17L, c(3L, 20L), c(2L, 3L, 11L, 19L), 1:24)) {
    right <- left[sample(24L), ]
    right$b[right$k %in% wrong] <- 0L
    right$a[right$k == 24L] <- if (length(wrong) == 24L) 0L else 24L
    for (order in c("left", "right")) {
      said <- lapply(list(
        memory = function(...) join_frames(...),
        files = function(...) join_files(..., way = "parts", parts = 3, out = tempfile())
      ), function(join) {
        e <- expect_error(join(left, right, on = "k", collisions = "agree", row_order = order),
          class = "ronda_error_collision"
        )
        list(text = conditionMessage(e), left = e$left_rows, right = e$right_rows)
      })
      expect_identical(said$files, said$memory, label = paste(order, length(wrong)))
    }
  }
})

# What is told -------------------------------------------------------------------------

test_that("keys of unlike types are told with what files can do about it, and that works", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  folder <- withr::local_tempdir()
  times <- as.POSIXct("2031-05-01 10:00:00", tz = "UTC") + 3600 * 0:1
  values <- list(
    text = c("1", "2"), number = 1:2, day = as.Date(times), time = times, flag = c(TRUE, FALSE),
    spelled = format(times, "%Y-%m-%d %H:%M:%S"), days = c("2031-05-01", "2031-05-02")
  )
  for (pair in list(
    c("text", "number"), c("number", "text"), c("days", "day"), c("spelled", "time"),
    c("day", "time"), c("flag", "number")
  )) {
    sides <- Map(function(name, side) {
      file <- file.path(folder, paste0(side, ".parquet"))
      write_frame(stats::setNames(data.frame(values[[name]], 1:2), c("k", side)), file)
      file
    }, pair, side_names)
    join <- function(on) {
      join_files(sides[[1L]], sides[[2L]], on = on, out = tempfile(), expect = "rows-multiply")
    }
    told <- tryCatch(join("k"), ronda_error_type = conditionMessage)
    advice <- sub(".*Write: on = (same[^\n]*).*", "\\1", told)
    joined <- join(eval(str2lang(advice)))
    expect_gt(joined$receipt$pairs, 0, label = paste(pair, collapse = " and "))
  }
  # and text files by `types`
  file <- file.path(folder, "text.csv")
  writeLines(c("k,z", "x,1", "2,2"), file)
  sides <- data.frame(k = 1:2)
  expect_error(join_files(sides, file, on = "k", out = tempfile()),
    "if the left file is text, write: frame_files[(]..., types = c[(]k = \"text\"[)][)]",
    class = "ronda_error_type"
  )
})

test_that("a file or a work folder that a process can't see is told with process and host", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  folder <- withr::local_tempdir()
  case <- keyed_case(60L)
  files <- files_of(case$left, file.path(folder, "left"), 30L)
  out <- file.path(folder, "out")
  file.rename(files$files$path[2L], file.path(folder, "away"))
  expect_error(join_files(files, case$right, on = "k", out = out, expect = "rows-multiply"),
    "002.parquet' is not there for process [0-9]+ on host .*All machines must see the files",
    class = "ronda_error_file"
  )
  # that error leaves no lock behind: another process may go on
  expect_false(file.exists(file.path(paste0(out, ".work"), "lock")))
})

test_that("an interrupt says how to go on, and the same call does", {
  skip_without_files()
  skip_on_os("windows")
  local_pieces()
  future::plan("sequential")
  case <- keyed_case()
  out <- withr::local_tempfile()
  flag <- withr::local_tempfile()
  stops <- function(left, right) {
    if (!file.exists(flag)) {
      file.create(flag)
      tools::pskill(Sys.getpid(), tools::SIGINT)
      Sys.sleep(2)
    }
    left$v > 0.5
  }
  told <- NULL
  ended <- tryCatch(withCallingHandlers(
    join_case(case, where = stops, parts = 3, way = "parts", out = out),
    ronda_message_note = function(m) told <<- c(told, conditionMessage(m))
  ), interrupt = function(e) "interrupted")
  expect_identical(ended, "interrupted")
  expect_match(told, "what was done is kept in .*[.]work, and the same call goes on", all = FALSE)
  joined <- join_case(case, where = stops, parts = 3, way = "parts", out = out)
  expect_equal(
    sorted_rows(read_frame(out)),
    sorted_rows(join_frames(case$left, case$right,
      on = "k", where = ~ left$v > 0.5, expect = "rows-multiply"
    ))
  )
})

test_that("head() of files gives their first rows, with the columns of folders", {
  skip_without_files()
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "year=2031"))
  write_frame(vessels, file.path(folder, "year=2031", "a.parquet"))
  write_frame(vessels[0L, "code", drop = FALSE], file.path(folder, "year=2031", "0.parquet"))
  files <- suppressMessages(frame_files(folder))
  expect_equal(head(files, 2), cbind(vessels[1:2, ], year = 2031L)[files$columns$name])
  file <- file.path(folder, "sailings.csv")
  suppressMessages(write_frame(sailings, file))
  expect_equal(head(frame_files(file)), head(suppressMessages(read_frame(file))))
  expect_identical(nrow(head(frame_files(file), 100)), 60L)
  # of as many files as it takes, in the types that they have together
  parts <- list(sailings[1:3, ], sailings[0L, ], sailings[4:9, ], sailings[10:60, ])
  parts[[3L]]$vessel <- 1:6
  parts[[1L]]$only <- letters[1:3]
  for (ending in c("csv", "parquet")) {
    paths <- file.path(folder, sprintf("%d.%s", seq_along(parts), ending))
    if (ending == "parquet") parts[[3L]]$vessel <- as.character(1:6)
    suppressMessages(Map(write_frame, parts, paths))
    files <- suppressMessages(frame_files(paths))
    for (n in c(2, 3, 4, 9, 30, 99)) {
      found <- head(files, n)
      expect_identical(found$vessel,
        head(c(sailings$vessel[1:3], 1:6, sailings$vessel[10:60]), n)
      )
      expect_identical(found$only, head(c(letters[1:3], rep(NA, 57L)), n))
      expect_identical(found$departs, head(sailings$departs, n), ignore_attr = TRUE)
    }
  }
})

test_that("no rows are no trouble: 64-bit columns, and folds with `origin`", {
  skip_if_not_installed("bit64")
  frame <- data.frame(a = 1L)
  frame$z <- bit64::as.integer64(1)
  for (ending in c(".csv", ".tsv", ".parquet", ".jsonl")) {
    file <- withr::local_tempfile(fileext = ending)
    suppressMessages(write_frame(frame[0L, ], file))
    expect_identical(nrow(suppressMessages(read_frame(file))), 0L)
  }
  folded <- join_frames(vessels[0L, ], sailings,
    on = c(code = "vessel"), fold = list(n = ~ nrow(right)), origin = "from"
  )
  expect_identical(levels(folded$from), c("left", "right", "paired"))
  expect_identical(nrow(folded), 0L)
})

test_that("what is wrong whatever the files hold is told before they are read", {
  withr::local_dir(withr::local_tempdir())
  # (reading all of it stops)
  writeBin(c(charToRaw("k,v\n"), rep(charToRaw("1,2\n"), 5e5), raw(1L)), "left.csv")
  left <- frame_files("left.csv")
  right <- data.frame(k = 1:3, w = 4:6)
  expect_error(join_files(left, right, on = "k", out = "out"), class = "ronda_error_file")
  wrong <- list(missing_keys = "none", repeats = "some", expect = "unique", max_rows = -1,
    sides = "left", keys = "all", origin = 1, row_numbers = 1
  )
  many <- c("missing_keys", "repeats", "expect", "origin")
  for (name in names(wrong)) {
    for (run in c(TRUE, FALSE)) {
      expect_error(do.call(join_files, c(list(left, right, on = "k", out = "out", run = run),
        wrong[name]
      )), sprintf("`%s`", name), class = "ronda_error_argument", label = name)
    }
    if (name %in% many) {
      expect_error(do.call(join_many_files, c(list(list(l = left, r = right), on = "k",
        out = "out"
      ), wrong[name])), sprintf("`%s`", name), class = "ronda_error_argument", label = name)
    }
  }
  expect_identical(list.files(), "left.csv")
})

test_that("what fails in files is told with what can be done with files", {
  withr::local_dir(withr::local_tempdir())
  left <- data.frame(k = c(1, 1, 2, NA, 9), v = 1:5)
  right <- data.frame(k = c(1, 1, 3, NA), w = 1:4)
  words <- c("one-to-one", "one-to-many", "many-to-one", "left-complete", "right-complete",
    "no-missing-keys"
  )
  failed <- 0L
  for (word in words) {
    for (on in list("k", list("k", nearest("v", "w", ties = "all")))) {
      text <- tryCatch({
        join_files(left, right, on = on, expect = word, out = tempfile("out", "."))
        NULL
      }, ronda_error_expectation = conditionMessage)
      if (is.null(text)) next
      failed <- failed + 1L
      # (these take frames or pairings, of which there are none)
      expect_no_match(text,
        "repeated_keys|near_misses|explain_row|[a-z_]+[(](left|right|pairing)\\b"
      )
    }
  }
  expect_gt(failed, 7L)
})
