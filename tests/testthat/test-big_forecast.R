# What a join of files will take, said before it runs, is what it then takes.

test_that("a plan says what the run then does, and leaves nothing behind", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  folder <- withr::local_tempdir()
  set.seed(7)
  left <- data.frame(k = sample.int(2000L, 3e5, TRUE), v = stats::runif(3e5), u = 1)
  for (year in 2031:2033) {
    of_year <- file.path(folder, "left", sprintf("year=%d", year))
    dir.create(of_year, recursive = TRUE)
    write_frame(left[seq_len(1e5) + 1e5 * (year - 2031), ], file.path(of_year, "1.parquet"))
  }
  right <- data.frame(k = seq_len(2000L), year = c(2031L, 2032L), x = 1.5)
  join <- function(...) {
    join_files(file.path(folder, "left"), right,
      on = c("year", "k"), out = file.path(folder, "out"), ...
    )
  }
  ledger(clear = TRUE)
  for (case in list(
    list(way = "parts", parts = 3), list(way = "right_whole"), list(rows = "inner", way = "parts")
  )) {
    plan <- do.call(join, c(case, run = FALSE))
    expect_identical(list.files(folder), "left")
    joined <- do.call(join, c(case, resume = FALSE))
    expect_identical(plan[c("way", "why")], unclass(joined)[c("way", "why")])
    kinds <- table(joined$tasks$kind)
    expect_equal(plan$tasks, sum(kinds[names(kinds) %in% c("keys", "whole", "join")]))
    read <- if (is.null(case$rows)) 3 else 2
    expect_identical(plan$sides$files_read, c(read, 0))
    expect_identical(plan$sides$rows_read, c(read * 1e5, 2000))
    expect_identical(plan$sides$columns_read, c(4, 3))
    # as large as the rows really are in memory
    bytes <- as.double(utils::object.size(cbind(left, year = 2031L))) * read / 3
    expect_lt(abs(plan$sides$bytes[1L] / bytes - 1), 0.05)
    sizes <- file.size(list.files(file.path(folder, "left"), recursive = TRUE, full.names = TRUE))
    expect_lt(abs(plan$read / sum(sizes[seq_len(read)]) - 1), 0.05)
    unlink(joined$out, recursive = TRUE)
  }
  expect_identical(nrow(ledger()), 3L)
  expect_output(print(plan), "3 files [(]2 to be read[)], 300,000 rows [(]200,000[)], 4 of 4")
  expect_output(print(plan), "1 of 3 files of left are left out")
})

test_that("a plan says what a smaller memory changes, and what is wrong", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  folder <- withr::local_tempdir()
  left <- data.frame(k = rep(1:1000, 400), v = 1)
  plan <- function(memory, ...) {
    join_files(left, data.frame(k = 1:1000, x = 1),
      on = "k", out = file.path(folder, "out"), run = FALSE, memory = memory, way = "parts", ...
    )
  }
  found <- plan("440 MB")
  # a half allows 30 MB of rows, a quarter less than R itself takes
  expect_identical(found$parts, 1)
  expect_identical(found$smaller$parts, c(2, NA))
  expect_identical(plan("220 MB")$parts, found$smaller$parts[1L])
  expect_match(found$smaller$hindered_by[2L], "R alone takes 190 MB")
  expect_output(print(found), "with memory = \"220 MB\": by parts, 2 parts, 4 tasks")
  local_function("free_bytes_", function(folder) 1020)
  expect_output(print(plan("440 MB")), "has 1.02 kB free: TOO LITTLE")
  expect_error(plan("440 MB", rows = "most"), class = "ronda_error_argument")
})

test_that("the plan of text files is made of their first rows, here and from a shell", {
  skip_without_files()
  in_demo_folder()
  withr::local_options(ronda.piece_rows = 500, ronda.receipt = FALSE)
  found <- join_files("sailings.csv", "vessels.csv",
    on = c(vessel = "code"), out = "joined", run = FALSE
  )
  expect_output(print(found), "those of the first rows")
  expect_false(file.exists("joined.work"))
  run <- run_cli("join-files", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--out", "joined", "--plan"
  )
  expect_identical(run$code, 0L)
  expect_match(run$out, "a worker needs about .* that --memory allows", all = FALSE)
  expect_false(file.exists("joined"))
})

test_that("ten billion rows need some thousand files, not a million", {
  # (counts and sizes by the code that plans a join; no row is there)
  side <- function(chunks) list(chunks = data.frame(rows = rep(1e6, chunks)), row_bytes = 20)
  sides <- list(left = side(1e4), right = side(2000))
  room <- 2e9 - worker_bytes
  bytes <- vapply(sides, function(side) rows_read(side) * side$row_bytes, 0)
  parts <- default_parts(list(left = bytes[["left"]], right = bytes[["right"]], cut_room = room))
  expect_identical(parts, 2400)
  groups <- lapply(sides, groups_of_chunks, cut_together(parts, room))
  expect_identical(unlist(groups$left), seq_len(1e4))
  expect_lt(sum(lengths(groups)), 2000)
  # each cut fits in memory, and what a part has in each file is worth a look
  each <- unlist(lapply(groups, function(of_side) lengths(of_side) * 1e6 * 20))
  expect_true(all(each <= room / 12))
  expect_gt(sum(bytes) / sum(lengths(groups)) / parts, 5e4)
  # some parts alone, and chunks that are large, are cut one by one
  expect_length(groups_of_chunks(side(100), cut_together(8, room)), 100L)
  expect_identical(groups_of_chunks(side(0), 1), list())
})
