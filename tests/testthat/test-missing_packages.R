# What happens where a package that only some uses need isn't installed

without_packages <- function(packages, code) {
  real <- requireNamespace
  local_function("requireNamespace", space = baseenv(), function(package, ..., quietly = FALSE) {
    if (package %in% packages) FALSE else real(package, ..., quietly = quietly)
  })
  force(code)
}

test_that("what needs a package says which, and how to get it", {
  withr::local_dir(withr::local_tempdir())
  # (small files of texts are read without one)
  withr::local_options(ronda.few_cells = 0)
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  receipt <- receipt(pairing)
  files <- c("a.parquet", "a.jsonl", "a.csv", "a.tsv")
  for (file in files) writeLines(c("text", "of a file"), file)
  calls <- list(
    ggplot2 = quote(plot(pairing)), ggplot2 = quote(plot_rows_guide()),
    ggplot2 = quote(write_report(pairing, "r.html")),
    htmltools = quote(write_report(pairing, "r.html")),
    svglite = quote(write_report(pairing, "r.html")),
    jsonlite = quote(write_review(pairing, "r.html")),
    jsonlite = quote(receipt_json(receipt)),
    nanoparquet = quote(ronda:::read_frame(files[1L])),
    jsonlite = quote(ronda:::read_frame(files[2L])),
    readr = quote(ronda:::read_frame(files[3L])),
    readr = quote(ronda:::read_frame(files[4L]))
  )
  for (k in seq_along(calls)) {
    package <- names(calls)[k]
    error <- expect_error(without_packages(package, eval(calls[[k]])),
      class = if (k > 7L) "ronda_error_file" else "ronda_error_argument"
    )
    expect_match(conditionMessage(error), sprintf(
      paste0("^[A-Z][A-Za-z ]+ needs? the package %s, which isn't installed.\n",
        "\\* Write: install.packages\\(\"%s\"\\)"
      ),
      package, package
    ))
  }
  expect_setequal(list.files(), files)
})

test_that("the command line names the package it lacks and leaves no file", {
  in_demo_folder()
  before <- list.files()
  for (package in c("nanoparquet", "jsonlite")) {
    out <- if (package == "jsonlite") "o.jsonl" else "o.parquet"
    run <- without_packages(package, run_cli("join", "sailings.csv",
      "vessels.csv", "--on", "vessel=code", "--out", out
    ))
    expect_identical(run$code, 1L)
    expect_match(run$err[1L], paste("needs the package", package))
  }
  expect_setequal(list.files(), before)
  run <- without_packages("optparse", run_cli("join", "sailings.csv", "vessels.csv"))
  expect_match(run$err[1L], "The command line needs the package optparse")
})

test_that("what can do without a package does", {
  join <- quote(join_frames(sailings, vessels, on = c(vessel = "code")))
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  expect_identical(without_packages(c("cli", "bit64", "readr"), eval(join)), eval(join))
  expect_identical(without_packages("cli", format(pairing)), format(pairing))
  # typing errors are found by counting characters, or not looked for
  left <- data.frame(port = c("Ambrel ", "GARSUND", "Havnwick"))
  right <- data.frame(port = c("Ambrel", "Garsund", "Havnwik"))
  ports <- pair_rows(left, right, on = "port")
  reasons <- function(found) sort(unique(as.data.frame(found)$reason))
  with_all <- reasons(near_misses(ports))
  without <- reasons(without_packages(c("stringdist", "stringi"), near_misses(ports)))
  expect_true(all(without %in% with_all))
  expect_gte(length(without), 2L)
})

test_that("numbers too large for a double stay text without the package for them", {
  skip_if_not_installed("bit64")
  file <- withr::local_tempfile(fileext = ".csv", lines = c("k", "9007199254740993"))
  expect_s3_class(ronda:::read_frame(file)$k, "integer64")
  expect_identical(without_packages("bit64", ronda:::read_frame(file)$k),
    "9007199254740993"
  )
})

test_that("64-bit integers are numbers without bit64 where these hold each of them", {
  skip_if_not_installed("bit64")
  big <- bit64::as.integer64("9007199254740992")
  for (more in -2:2) {
    frame <- list2DF(list(id = c(big + more, NA, -big - more)))
    read <- tryCatch(without_packages("bit64", ronda:::with_big_numbers(frame)),
      ronda_error_file = function(e) NULL
    )
    if (more < 0) expect_identical(read$id, c(1, NA, -1) * (2^53 + more)) else expect_null(read)
    expect_identical(ronda:::with_big_numbers(frame), frame)
  }
})
