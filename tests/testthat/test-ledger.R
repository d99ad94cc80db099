test_that("every join has its line, failed ones too, and a receipt of any kind the same columns", {
  ledger(clear = TRUE)
  expect_output(print(ledger()), "No join yet")
  set.seed(4)
  expected <- list()
  for (k in 1:30) {
    left <- data.frame(k = sample(8L, 12L, TRUE), a = 1:12)
    right <- data.frame(k = sample(10L), b = 1:10)
    rows <- sample(c("left", "inner", "right", "full", "semi", "anti"), 1L)
    joined <- join_frames(left, right, on = "k", rows = rows)
    paired <- left$k %in% right$k
    expected[[k]] <- data.frame(rows = rows, result_rows = nrow(joined) + 0,
      left_alone = sum(!paired) + 0, right_alone = sum(!right$k %in% left$k) + 0,
      growth = nrow(joined) / 12
    )
  }
  lines <- ledger()
  expect_identical(lines$join, seq_len(30) + 0)
  expect_equal(as.data.frame(lines)[names(expected[[1L]])], do.call(rbind, expected),
    ignore_attr = TRUE
  )
  expect_identical(unique(lines$left), "left")
  expect_error(join_frames(sailings, vessels, on = "nope"), class = "ronda_error_key")
  failed <- expect_error(
    join_frames(sailings, vessels, on = c(vessel = "code"), expect = "one-to-one"),
    class = "ronda_error_expectation"
  )
  expect_match(conditionMessage(failed), "10% of sailings are unmatched: 6 of 60 rows[.]$")
  expect_identical(last_receipt(), failed$receipt)
  join_many(list(sailings = sailings, ports = ports), on = "port")
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  suppressWarnings(join_frames(data.frame(k = "a"), data.frame(k = "b"), on = "k"))
  log <- list(last_receipt(), receipt(pairing), failed$receipt)
  join_frames(sailings, tide_readings, on = "port", rows = "left",
    fold = list(n = ~ nrow(right)), expect = "rows-multiply"
  )
  join_many(list(sailings = sailings, ports = ports), on = "port")
  log <- c(log, list(last_receipt()))
  expect_identical(nrow(do.call(rbind, lapply(log, as.data.frame))), 4L)
  expect_length(receipt_json(log), 4L)
  last <- utils::tail(ledger(), 7L)
  expect_identical(last$failed, c(TRUE, TRUE, FALSE, FALSE, FALSE, FALSE, FALSE))
  expect_identical(last$verb, c("join_frames", "join_frames", "join_many", "pair_rows",
    "join_frames", "join_frames", "join_many"
  ))
  expect_match(last$message[1L], "no column `nope`")
  expect_identical(last$left[1L], "sailings")
  expect_match(last$notes[5L], "Nothing pairs")
  expect_true(all(nchar(format(ledger())) <= 80L | grepl("^[0-9]+: ", format(ledger()))))
  expect_s3_class(plot(ledger()), "ggplot")
  ledger(clear = TRUE)
  expect_identical(nrow(ledger()), 0L)
  expect_error(plot(ledger()), "nothing to draw", class = "ronda_error_argument")
  expect_error(ledger(clear = NA), class = "ronda_error_argument")
})

test_that("the newest joins are remembered, in their order", {
  ledger(clear = TRUE)
  local_function("most_joins", 12)
  for (rows in 1:40) {
    join_frames(data.frame(k = seq_len(rows)), data.frame(k = 1:40), on = "k")
    expect_equal(ledger()$join, seq(max(1, rows - 11), rows))
    expect_equal(ledger()$result_rows, seq(max(1, rows - 11), rows))
    expect_identical(last_receipt()$rows_left, rows)
  }
  ledger(clear = TRUE)
  expect_null(last_receipt())
})

test_that("joins are appended to a file as whole lines, by several processes too", {
  file <- withr::local_tempfile()
  script <- c(
    sprintf(".libPaths(%s)", deparse1(.libPaths())), "library(ronda)",
    sprintf("options(ronda.ledger = %s, ronda.receipt = FALSE)", deparse(file)),
    "x <- data.frame(k = 1:3)",
    "names(x) <- 'k'",
    "for (i in 1:40) join_frames(x, x, on = 'k', sides = c(strrep('a', 3000), strrep('b', 3000)))"
  )
  path <- withr::local_tempfile(lines = script, fileext = ".R")
  rscript <- file.path(R.home("bin"), "Rscript")
  running <- lapply(1:3, function(k) {
    system2(rscript, path, wait = k == 3L, stdout = FALSE, stderr = FALSE)
  })
  until <- Sys.time() + 30
  while (length(readLines(file, warn = FALSE)) < 120L && Sys.time() < until) Sys.sleep(0.2)
  lines <- readLines(file)
  expect_length(lines, 120L)
  found <- lapply(lines, jsonlite::fromJSON)
  expect_true(all(vapply(found, function(x) x$result_rows == 3 && nchar(x$left) == 3000L, NA)))
  # the command line, and a place that can't be written
  csv <- withr::local_tempfile(fileext = ".csv")
  write_frame(ports, csv)
  more <- withr::local_tempfile()
  run <- run_cli("join", csv, csv, "--on", "port", "--ledger", more, "--quiet")
  expect_identical(jsonlite::fromJSON(readLines(more))$result_rows, nrow(ports))
  withr::local_options(ronda.ledger = file.path(tempdir(), "not", "there"))
  expect_warning(join_frames(ports, ports, on = "port"), "can't be written",
    class = "ronda_warning_file"
  )
  expect_no_warning(join_frames(ports, ports, on = "port"))
  skip_if_not(file.exists("/dev/full"))
  withr::local_options(ronda.ledger = "/dev/full")
  expect_warning(join_frames(ports, ports, on = "port"), "No space left",
    class = "ronda_warning_file"
  )
})

test_that("a value that a script of twelve joins loses in the seventh is followed there", {
  ledger(clear = TRUE)
  expect_error(follow(k = 1), "No join was kept", class = "ronda_error_argument")
  trip <- data.frame(vessel = c("GRE", "XAN", "CYR"), km = 1:3)
  with_ledger({
    for (step in 1:12) {
      stop_list <- data.frame(vessel = c("GRE", "CYR", if (step == 7L) "xan" else "XAN"))
      stop_list[[paste0("v", step)]] <- step
      trip <- join_frames(trip, stop_list, on = "vessel", rows = "inner")
    }
  })
  trail <- follow(vessel = "XAN")
  left <- trail[trail$side == "left", ]
  expect_identical(left$join, seq_len(12) + 0)
  expect_identical(left$rows, rep(1:0, c(7L, 5L)))
  expect_identical(left$in_result, rep(c(1L, 0L), c(6L, 6L)))
  expect_match(left$reason[7L], "letter case.*likely \"xan\"")
  expect_output(print(trail), "left out by join 7, trip: differs only in letter case")
  # only where rows are left out is a number of them told
  expect_identical(grepl("[1-9] left out", format(trail)[seq_len(nrow(trail)) + 1L]),
    trail$in_result < trail$rows
  )
  expect_no_match(format(trail), " 0 left out")
  expect_identical(follow(vessel = "GRE", km = 1)$rows, rep(1L, 12L))
  expect_error(follow("XAN"), "one value for each column", class = "ronda_error_argument")
  expect_error(follow(nope = 1), "No frame of a kept join has `nope`",
    class = "ronda_error_argument"
  )
  # joins without pairs are named, those that failed made nothing
  ledger(clear = TRUE)
  with_ledger({
    join_frames(vessels, sailings, on = c(code = "vessel"))
    join_many(list(a = vessels, b = vessels), on = "code")
    try(join_frames(vessels, sailings, on = "none"), silent = TRUE)
  })
  expect_output(print(follow(code = "GRE")), "no pairs of them are kept: join 2 \\(join_many\\)\\.")
  # without keeping, nothing but counts stays
  ledger(clear = TRUE)
  join_frames(sailings, vessels, on = c(vessel = "code"))
  expect_error(follow(vessel = "XAN"), "No join was kept", class = "ronda_error_argument")
})

test_that("what takes a pairing takes two frames and `on`", {
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  before <- nrow(ledger())
  on <- c(vessel = "code")
  expect_identical(near_misses(sailings, vessels, on = on), near_misses(pairing))
  expect_identical(explain_row(sailings, vessels, on = on, left = 3),
    explain_row(pairing, left = 3)
  )
  expect_identical(explain_row(sailings, vessels, on = on, right = 2),
    explain_row(pairing, right = 2)
  )
  expect_identical(nrow(ledger()), before)
  expect_identical(split_frames(sailings, vessels, on = on), split_frames(pairing))
  expect_identical(summary(differences(timetable_old, timetable_new, on = "trip")),
    summary(differences(pair_rows(timetable_old, timetable_new, on = "trip")))
  )
  for (draw in list(plot_overlap, plot_join_types, plot_reasons, plot_repeats)) {
    expect_identical(draw(sailings, vessels, on = on)$labels, draw(pairing)$labels)
  }
  file <- withr::local_tempfile(fileext = ".html")
  write_report(sailings, vessels, on = on, file = file)
  expect_match(paste(readLines(file, encoding = "UTF-8"), collapse = "\n"), "54 of 60 sailings")
  expect_error(explain_row(sailings, left = 1), "two frames and `on`",
    class = "ronda_error_argument"
  )
  expect_error(near_misses(pairing, vessels), "give it alone", class = "ronda_error_argument")
  expect_error(near_misses(sailings, vessels), "`on` is missing", class = "ronda_error_key")
})
