# A large frame in files with several small ones, in one pass: what join_many() gives in memory.

test_that("one pass over files gives what join_many() gives in memory", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  for (seed in 1:7) {
    set.seed(seed)
    n <- sample(20:60, 1L)
    left <- data.frame(
      id = seq_len(n), k = sample(c(NA, 1:9), n, TRUE), p = sample(letters[1:4], n, TRUE),
      v = round(stats::runif(n), 2)
    )
    codes <- c(1:7, if (seed %% 3 == 0) 2L)
    a <- data.frame(code = codes, v = seq_along(codes) / 8, x = "x")
    b <- data.frame(p = c("a", "b", "e"), y = factor(c("u", "w", "u")), v = 9)
    asked <- list(
      on = list(a = c(k = "code"), b = "p"), rows = one_of(c("left", "inner")),
      missing_keys = one_of(c("match", "unmatched")),
      collisions = one_of(c("rename", "fill", "right")),
      origin = one_of(list(NULL, "found_in")), repeats = one_of(c("all", "first")),
      expect = "rows-multiply"
    )
    folder <- withr::local_tempdir()
    files <- files_of(left, file.path(folder, "left"), 13L)
    joined <- do.call(join_many_files, c(
      list(list(left = files, a = a, b = b), out = file.path(folder, "out")), asked
    ))
    expected <- do.call(join_many, c(list(list(left = left, a = a, b = b)), asked))
    expect_equal(as.list(read_frame(joined$out)), as.list(expected), label = paste("seed", seed))
    same <- c("labels", "frame_rows", "rows", "result_rows", "held_by", "by_all")
    expect_equal(unclass(joined$receipt)[same], unclass(last_receipt())[same],
      label = paste("receipt of seed", seed)
    )
    expect_equal(sum(joined$parts$left_rows), n)
  }
})

test_that("files are joined by other processes, from text, into folders, and resumed", {
  skip_without_files()
  skip_on_os("windows")
  withr::local_options(ronda.receipt = FALSE, ronda.piece_rows = 1500)
  withr::defer(future::plan("sequential"))
  in_demo_folder()
  future::plan("multisession", workers = 2)
  on <- list(vessels = c(vessel = "code"), ports = "port")
  joined <- suppressMessages(join_many_files(
    list(sailings = "sailings.csv", vessels = "vessels.csv", ports = ports),
    on = on, out = "joined", by = "port"
  ))
  expected <- join_many(list(sailings = sailings, vessels = vessels, ports = ports),
    on = on, rows = "left"
  )
  found <- read_frame("joined")
  expect_equal(as.list(found[order(found$sailing), names(expected)]), as.list(expected))
  expect_gt(length(unique(joined$tasks$process)), 0L)
  expect_output(print(joined), "one pass over sailings")
  skip_if_not_installed("ggplot2")
  expect_identical(levels(plot(joined)$data$panel), c("left rows", "result rows", "seconds"))
  expect_false(file.exists("joined.work"))
})

test_that("what a single file can't tell is refused, and what is wrong is told", {
  skip_without_files()
  local_pieces()
  future::plan("sequential")
  folder <- withr::local_tempdir()
  file <- file.path(folder, "sailings.parquet")
  write_frame(sailings, file)
  refused <- function(pattern, ..., frames = list(sailings = file, vessels = vessels),
                      on = c(vessel = "code"), class = "ronda_error_argument") {
    expect_error(join_many_files(frames, on = on, ..., out = file.path(folder, "out")), pattern,
      class = class
    )
    expect_identical(list.files(folder), "sailings.parquet")
  }
  refused("`expect` can't be \"one-to-one\" here", expect = "one-to-one")
  refused("`expect` can't be a share", expect = list(left_matched = 0.5))
  refused("`repeats` can't be once", repeats = lowest("seats", once = TRUE))
  refused("`rows` must be", rows = "full")
  refused("is in memory", frames = list(sailings = sailings, vessels = vessels))
  refused("must be data frames, or paths",
    frames = list(sailings = file, vessels = frame_files(file))
  )
  refused("has no column `vesel`.*Did you mean `vessel`", on = c(vesel = "code"),
    class = "ronda_error_key"
  )
  large <- data.frame(code = "HAV", x = numeric(2e6))
  refused("All frames but the first take .* room for", memory = "213 MB",
    frames = list(sailings = file, vessels = large)
  )
  expect_error(join_many_files(list(sailings = file, vessels = vessels),
    on = c(vessel = "code"), expect = "left-complete", out = file.path(folder, "out")
  ), "6 have none.*In chunk 1 of `sailings` [(]'sailings.parquet'[)]",
  class = "ronda_error_expectation"
  )
  unlink(file.path(folder, "out.work"), recursive = TRUE)
  expect_warning(join_many_files(list(sailings = file, vessels = vessels),
    on = c(to = "code"), out = file.path(folder, "out")
  ), "no row of `sailings` has a partner in `vessels`", class = "ronda_warning_no_pairs")
})
