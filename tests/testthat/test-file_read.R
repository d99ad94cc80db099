test_that("frames go through every kind of file unchanged", {
  folder <- withr::local_tempdir()
  frame <- data.frame(
    text = c("a", " b,\"c\"", "=1+1", NA), whole = c(1:3, NA),
    number = c(0.1, 1e300, NA, -5), flag = c(TRUE, FALSE, NA, TRUE),
    day = as.Date("2031-05-01") + c(0:2, NA),
    time = as.POSIXct("2031-05-01 10:00:00", tz = "UTC") + c(0, 30, NA, 60)
  )
  frame$long <- bit64::as.integer64(c("9007199254740993", "1", NA, "-4"))
  for (extension in c("csv", "tsv", "rds")) {
    path <- file.path(folder, paste0("frame.", extension))
    expect_invisible(write_frame(frame, path))
    expect_identical(read_frame(path), frame)
  }
  plain <- c("text", "whole", "number", "flag", "long")
  json <- file.path(folder, "frame.jsonl")
  write_frame(frame[plain], json)
  expect_identical(read_frame(json), frame[plain])
  skip_if_not_installed("nanoparquet")
  parquet <- file.path(folder, "frame.parquet")
  write_frame(frame, parquet)
  expect_equal(read_frame(parquet), frame)
  # many missing and repeated ones, which a dictionary can't hold
  long <- data.frame(k = rep(frame$long, 50))
  write_frame(long, parquet)
  expect_identical(read_frame(parquet), long)
})

test_that("doubles, times and the cells of one column come back to the last digit", {
  folder <- withr::local_tempdir()
  set.seed(4)
  frame <- data.frame(
    number = c(runif(2000), exp(rnorm(2000, 0, 60)), -1 / 3, 0.1, 2^53 + 2, 1e16),
    time = as.POSIXct("2031-05-01 10:00", tz = "UTC") + runif(4004, 0, 1e6)
  )
  frame$time[1:3] <- frame$time[1:3] + c(0, 0.25, 0.123456)
  for (extension in c("csv", "tsv", "jsonl")) {
    path <- file.path(folder, paste0("frame.", extension))
    write_frame(frame, path)
    back <- read_frame(path)
    expect_identical(back$number, frame$number, label = extension)
    if (extension != "jsonl") {
      expect_lt(max(abs(as.numeric(back$time) - as.numeric(frame$time))), 1e-6)
    }
  }
  json <- readLines(path, 1L)
  expect_match(json, "\"time\":\"2031-[-0-9]+T[:.0-9]+Z\"")
  one <- data.frame(id = c("a", NA, "b", NA))
  write_frame(one, file.path(folder, "one.csv"))
  expect_identical(read_frame(file.path(folder, "one.csv")), one)
})

test_that("a column is read as numbers or days only where no cell changes by it", {
  path <- withr::local_tempfile(fileext = ".csv")
  read_cells <- function(...) {
    writeLines(c("cell,n", paste0("\"", c(...), "\",1")), path)
    read_frame(path)$cell
  }
  as_text <- list(
    c("1,5", "2,75"), "1.234,56", c("+9007199254740993", "1"),
    "9,007,199,254,740,993", c("2024-01-31", "2024-02-30"), "2023-02-29",
    c("007", "8"), c("12E4", "100"), c("1e5", "2"), "F", c("T", "F"), "9007199254740993.5",
    "Inf", "0x1A",
    "123456789012345678901", "1e", "-", ".", c("10:30", "11:00")
  )
  for (cells in as_text) expect_identical(read_cells(cells), cells)
  expect_identical(read_cells("2024-01-31", "2024-02-29"),
    as.Date(c("2024-01-31", "2024-02-29"))
  )
  expect_identical(read_cells("1.50", "-2", "3e-7", ".5"), c(1.5, -2, 3e-7, 0.5))
  expect_identical(read_cells("0.1", "Inf", "-Inf", "NaN"), c(0.1, Inf, -Inf, NaN))
  expect_identical(read_cells("0.30000000000000004", "0.11360494676046073"),
    c(0.1 + 0.2, 0.11360494676046073)
  )
  expect_identical(read_cells("TRUE", "false"), c(TRUE, FALSE))
  expect_identical(read_cells("9007199254740993", "-1"),
    bit64::as.integer64(c("9007199254740993", "-1"))
  )
})

test_that("types that were asked for hold what is there, or are refused", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("id,amount", "4294967298,1.5", "9007199254740993,2"), path)
  refused <- function(types, text) {
    expect_error(read_frame(path, types = types), text, class = "ronda_error_file")
  }
  refused(c(id = "integer"), "\"4294967298\" in row 1, which is no integer")
  refused(c(amount = "integer"), "\"1.5\" in row 1, which is no integer")
  refused(c(id = "number"), "in row 2, which a number would round: read it as text")
  writeLines(c("id", "+5", "007"), path)
  expect_identical(read_frame(path, types = c(id = "integer"))$id, c(5L, 7L))
})

test_that("JSON lines hold 64-bit integers and no text that only looks like one", {
  path <- withr::local_tempfile(fileext = ".jsonl")
  writeLines(c(
    '{"n": 9007199254740993, "id": "9007199254740993", "x": 1.5}',
    '{"n": -1, "id": "7", "x": null}'
  ), path)
  frame <- read_frame(path)
  expect_identical(frame$n, bit64::as.integer64(c("9007199254740993", "-1")))
  expect_identical(frame$id, c("9007199254740993", "7"))
  expect_identical(frame$x, c(1.5, NA))
})

test_that("what a file can't hold is refused, and the old file stays", {
  folder <- withr::local_tempdir()
  refused <- function(frame, extension, text) {
    path <- file.path(folder, paste0("old.", extension))
    writeLines("old", path)
    expect_error(write_frame(frame, path), text, class = "ronda_error_file")
    expect_identical(readLines(path), "old")
  }
  refused(data.frame(a = c(1, Inf)), "jsonl", "`a` has Inf in row 2")
  refused(data.frame(a = c(NaN, 1)), "jsonl", "`a` has NaN in row 1")
  for (extension in c("csv", "tsv", "jsonl", "parquet")) {
    refused(data.frame(a = c("x", "b\xff")), extension, "`a` has \"b<ff>\" in row 2")
    refused(data.frame(a = factor("b\xff")), extension, "in level 1")
    odd <- data.frame(a = 1)
    names(odd) <- "b\xff"
    refused(odd, extension, "name of column 1 .b<ff>.")
  }
})

test_that("text goes through every kind of file where the locale is C", {
  folder <- withr::local_tempdir()
  frame <- data.frame(a = c("\u00e9", "b"), n = c(1 / 3, 2))
  withr::local_locale(LC_CTYPE = "C")
  for (extension in c("csv", "tsv", "jsonl", "parquet", "rds")) {
    path <- file.path(folder, paste0("frame.", extension))
    write_frame(frame, path)
    expect_identical(read_frame(path), frame, label = extension)
  }
})

test_that("text stays as it stands, and types can be chosen", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "codes.csv")
  writeLines(c("id,code,big,day", "007, A ,123456789012345678901,2031-05-01",
    "08,b,1,"
  ), path)
  frame <- read_frame(path)
  expect_identical(frame$id, c("007", "08"))
  expect_identical(frame$code, c(" A ", "b"))
  expect_identical(frame$big, c("123456789012345678901", "1"))
  expect_s3_class(frame$day, "Date")
  typed <- read_frame(path, types = c(id = "integer", day = "text"))
  expect_identical(typed$id, 7:8)
  expect_identical(typed$day, c("2031-05-01", NA))
  expect_error(read_frame(path, types = c(code = "number")),
    "column `code` has \" A \" in row 1",
    class = "ronda_error_file"
  )
})

test_that("a file that can't be written leaves nothing behind", {
  folder <- withr::local_tempdir()
  frame <- data.frame(a = 1)
  frame$bag <- list(1)
  path <- file.path(folder, "old.csv")
  writeLines("old", path)
  expect_error(write_frame(frame, path), class = "ronda_error_type")
  dir.create(file.path(folder, "folder.csv"))
  expect_error(write_frame(frame["a"], file.path(folder, "folder.csv")),
    class = "ronda_error_file"
  )
  expect_identical(readLines(path), "old")
  expect_identical(sort(list.files(folder, all.files = TRUE, no.. = TRUE)),
    c("folder.csv", "old.csv")
  )
})

test_that("whole numbers are read as the smallest type that holds them all", {
  path <- withr::local_tempfile(fileext = ".csv")
  class_of <- function(...) {
    writeLines(c("id", ...), path)
    class(read_frame(path)$id)
  }
  expect_identical(class_of("1", "-2147483647"), "integer")
  expect_identical(class_of("1", "2147483648"), "numeric")
  expect_identical(class_of("9007199254740991", "-7"), "numeric")
  expect_identical(class_of("9007199254740993", "-7"), "integer64")
  expect_identical(read_frame(path)$id, bit64::as.integer64(c("9007199254740993", "-7")))
  expect_identical(class_of("99999999999999999999", "1"), "character")
})

test_that("numbers are written so that they are read as numbers", {
  path <- withr::local_tempfile(fileext = ".csv")
  x <- c(1e5, 123456789012, 1e15, 2^60, 1e-7, 0.1, -3e22, 1 / 3, Inf, -Inf, NaN, 5e-324)
  write_frame(data.frame(x = x), path)
  expect_identical(read_frame(path)$x, x)
  expect_identical(readLines(path, 2L)[2L], "100000")
})

test_that("decimal commas and other forms of days are read when asked, never guessed", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("fare;x,made_on,at", "\"1,5\",03.04.2031,03.04.2031 10:05",
    "\"-2,75\",28.02.2031,01.01.2031 00:00"), path)
  as_is <- read_frame(path)
  expect_identical(as_is[[1L]], c("1,5", "-2,75"))
  expect_identical(as_is$made_on, c("03.04.2031", "28.02.2031"))
  asked <- read_frame(path, decimal = ",", types = c(made_on = "date:%d.%m.%Y",
    at = "datetime:%d.%m.%Y %H:%M"
  ))
  expect_identical(asked[[1L]], c(1.5, -2.75))
  expect_identical(asked$made_on, as.Date(c("2031-04-03", "2031-02-28")))
  expect_identical(asked$at, as.POSIXct(c("2031-04-03 10:05", "2031-01-01"), tz = "UTC",
    format = c("%Y-%m-%d %H:%M", "%Y-%m-%d")
  ))
  writeLines(c("n,day", "\"1,5\",31.02.2031", "2.5,"), path)
  expect_identical(read_frame(path, decimal = ",")$n, c("1,5", "2.5"))
  expect_error(read_frame(path, types = c(day = "date:%d.%m.%Y")),
    "\"31.02.2031\" in row 1, which is no date", class = "ronda_error_file"
  )
  expect_error(read_frame(path, decimal = ";"), "`decimal` must be", class = "ronda_error")
  run <- run_cli("keys", path, "--on", "n", "--decimal", ",", "--types", "day=text")
  expect_identical(run$code, 0L)
})

test_that("compressed text files are read and written", {
  folder <- withr::local_tempdir()
  frame <- data.frame(a = c("x", NA, "z,\"q\""), n = c(1.5, NA, -2))
  for (extension in c("csv.gz", "tsv.gz", "jsonl.gz", "CSV.GZ")) {
    path <- file.path(folder, paste0("frame.", extension))
    write_frame(frame, path)
    expect_identical(readBin(path, raw(), 2L), as.raw(c(0x1f, 0x8b)), label = extension)
    expect_identical(read_frame(path), frame, label = extension)
  }
  expect_error(write_frame(frame, file.path(folder, "frame.rds.gz")), "not known",
    class = "ronda_error_file"
  )
  con <- gzfile(file.path(folder, "zero.csv.gz"), "wb")
  writeBin(as.raw(c(97, 10, 0, 10)), con)
  close(con)
  expect_error(read_frame(file.path(folder, "zero.csv.gz")), "byte 3 is 0",
    class = "ronda_error_file"
  )
})

test_that("days and times are read in all their forms, or stay text", {
  path <- withr::local_tempfile(fileext = ".csv")
  read_cells <- function(cells) {
    writeLines(c("cell,n", paste0(cells, ",1")), path)
    read_frame(path)$cell
  }
  days <- as.Date("1899-12-28") + c(0:5, 60000:60500, 36524, 2e5)
  expect_identical(read_cells(format(days)), days)
  at <- as.POSIXct("2031-02-28 23:59:59", tz = "UTC") + c(0, 1, 0.25, 86400 * 500)
  for (form in c("%Y-%m-%dT%H:%M:%OS2Z", "%Y-%m-%d %H:%M:%OS2")) {
    expect_identical(read_cells(format(at, form)), at)
  }
  expect_identical(read_cells(c("2031-05-01T10:05", "2031-05-01T10:06Z")),
    as.POSIXct("2031-05-01 10:05", tz = "UTC") + c(0, 60)
  )
  expect_identical(read_cells("2031-05-01T10:05:00+02:00"),
    as.POSIXct("2031-05-01 08:05", tz = "UTC")
  )
  for (cell in c("2100-02-29", "2031-13-01", "2031-00-01", "2031-05-01T24:30",
    "2031-05-01T10:60", "2031-05-01x", "2031-5-1x", "2031-05-01 10:05:61"
  )) {
    expect_identical(read_cells(cell), cell)
  }
})

test_that("days and times of all years are written as R writes them", {
  days <- c(-354285:-354200, -800000, seq(-35e4, 29e5, by = 997), 2932896, 2932897, NA, 0.75)
  dates <- structure(days, class = "Date")
  expect_identical(ronda:::day_texts(days), format(dates))
  at <- as.POSIXct(days[is.finite(days)] * 86400 + 86399, origin = "1970-01-01", tz = "UTC")
  expect_identical(ronda:::time_texts(as.numeric(at)), format(at, "%Y-%m-%dT%H:%M:%OS0Z"))
  # (years below 1000 with all four digits, so that they are read again)
  path <- withr::local_tempfile(fileext = ".csv")
  early <- data.frame(day = structure(c(-719162, -500000, -354286), class = "Date"))
  write_frame(early, path)
  expect_identical(read_frame(path), early)
})
