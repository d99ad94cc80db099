planted <- "<script>alert('x')</script>"

planted_pairing <- function() {
  trips <- sailings
  trips$port[2] <- planted
  trips$vessel[3] <- "<b>ALD</b> & \"more\""
  trips$long <- bit64::as.integer64(seq_len(nrow(trips)))
  trips$bag <- rep(list(1:3), nrow(trips))
  pair_rows(trips, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
}

test_that("a report stands alone, is small, and shows data as text", {
  file <- withr::local_tempfile(fileext = ".html")
  expect_identical(write_report(planted_pairing(), file), file)
  page <- paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  expect_lt(file.size(file), 2e6)
  expect_false(grepl("(src|href)=\"(https?:)?//", page))
  expect_false(grepl("<script", page, fixed = TRUE))
  expect_false(grepl("<b>ALD", page, fixed = TRUE))
  expect_match(page, "&lt;script&gt;alert", fixed = TRUE)
  for (part in c(
    "The account", "Figures", "What did not match", "Near misses",
    "Columns and types", "To repeat it", "lang=\"en\"",
    "scope=\"col\"", "<caption>", "viewport", "R version"
  )) {
    expect_match(page, part, fixed = TRUE)
  }
  images <- lengths(regmatches(page, gregexpr("<img ", page)))
  expect_identical(images, 5L)
  expect_identical(lengths(regmatches(page, gregexpr("alt=\"Figure", page))),
    images
  )
})

test_that("the code in a report repeats the pairing", {
  pairings <- list(
    pair_rows(sailings, vessels, on = c(vessel = "code")),
    pair_rows(sailings, vessels, on = same("vessel", "code", via = toupper),
      missing_keys = "match", repeats = highest("seats"), expect = "many-to-one"
    ),
    pair_rows(sailings, tide_readings, where = ~ right$height > 2, on = list(
      "port", nearest("departs", "read_at", look = "either", within = 600)
    )),
    pair_rows(sailings, tide_readings, on = list("port", nearest("departs", "read_at",
      equal = FALSE, ties = "first", n = 2, gap = "age"
    ))),
    pair_rows(boardings, card_holders, on = in_turn("card", list("name"), step = "by")),
    pair_rows(sailings, fare_bands, sides = c("a", "b"), on = inside("km",
      "from_km", "to_km",
      ends = "[]", open_ended = TRUE
    ))
  )
  for (pairing in pairings) {
    code <- ronda:::pairing_code(pairing)
    code <- sub("a, b,", "sailings, fare_bands,", code, fixed = TRUE)
    expect_identical(eval(parse(text = code)), build_frame(pairing))
  }
})

test_that("a report is written whole or not at all", {
  folder <- withr::local_tempdir()
  pairing <- pair_rows(ports, ports, on = "port")
  withr::local_dir(folder)
  expect_errors(
    write_report(pairing, "report.pdf"),
    write_report(pairing, "nowhere/report.html"),
    write_report(1, "report.html"),
    write_report(pairing)
  )
  dir.create("folder.html")
  expect_error(write_report(pairing, "folder.html"), class = "ronda_error_file")
  expect_identical(list.files(all.files = TRUE, no.. = TRUE), "folder.html")
})

test_that("a browser shows it without errors or requests, wide and narrow", {
  # a browser can't start with the libraries that watch our memory
  withr::local_envvar(LD_PRELOAD = "")
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  browser <- browser[nzchar(browser)]
  skip_if(!length(browser), "no Chromium here")
  folder <- withr::local_tempdir()
  file <- file.path(folder, "report.html")
  write_report(planted_pairing(), file)
  run <- function(...) {
    out <- file.path(folder, "out.txt")
    err <- file.path(folder, "err.txt")
    system2(browser[1L], c("--headless", "--no-sandbox", "--disable-gpu",
      "--no-first-run", "--disable-background-networking", "--disable-sync",
      "--disable-component-update", "--disable-quic", "--enable-logging=stderr",
      paste0("--user-data-dir=", file.path(folder, "profile")), ...,
      paste0("file://", file)
    ), stdout = out, stderr = err, timeout = 60)
    list(out = readLines(out, warn = FALSE), err = readLines(err, warn = FALSE))
  }
  for (size in c("1280,800", "400,800")) {
    shot <- file.path(folder, "shot.png")
    unlink(shot)
    found <- run(paste0("--window-size=", size), paste0("--screenshot=", shot))
    expect_gt(file.size(shot), 10000)
    expect_false(any(grepl("CONSOLE", found$err)))
  }
  page <- paste(run("--dump-dom")$out, collapse = "\n")
  expect_match(page, "&lt;script&gt;alert", fixed = TRUE)
  expect_false(grepl("<script", page, fixed = TRUE))
})

test_that("a report shows columns that are matrices, and says how far it looked", {
  file <- withr::local_tempfile(fileext = ".html")
  page_of <- function(left, right) {
    write_report(pair_rows(left, right, on = "k"), file)
    paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  }
  left <- data.frame(k = 1:3)
  left$grid <- matrix(1:6, 3L)
  left$inner <- data.frame(a = 1:3)
  page <- page_of(left, data.frame(k = 2L))
  expect_match(page, "a matrix", fixed = TRUE)
  expect_match(page, "a data frame", fixed = TRUE)
  page <- page_of(data.frame(k = 1:20002), data.frame(k = 1L))
  expect_match(page, "Of the unmatched keys 20,000 were looked at", fixed = TRUE)
})

test_that("a report shows folded partners and where columns disagree", {
  skip_if_not_installed("htmltools")
  file <- withr::local_tempfile(fileext = ".html")
  pairing <- pair_rows(timetable_old, timetable_new, on = "trip")
  write_report(pairing, file, fold = list(n = ~ nrow(right), all = ~ right))
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  for (text in c("Partners folded", "Columns that both frames have", "5 cells that are not equal",
    "fold = list(\n  n = ~nrow(right)", "<pre><code>pairing"
  )) {
    expect_match(page, text, fixed = TRUE)
  }
  expect_errors(write_report(pairing, file, fold = ~ nrow(right)))
})

test_that("what is cut to a sample is said, and what is whole is not", {
  skip_if_not_installed("htmltools")
  file <- withr::local_tempfile(fileext = ".html")
  for (n in 10:11) {
    write_report(pair_rows(data.frame(k = seq_len(n)), data.frame(k = 0L), on = "k"), file)
    page <- paste(readLines(file, encoding = "UTF-8"), collapse = " ")
    expect_match(page, sprintf("%d rows of left without partner", n))
    expect_identical(grepl("rows of left without partner, the first ten", page), n > 10L)
  }
})
