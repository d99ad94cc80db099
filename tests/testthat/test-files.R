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
  json <- file.path(folder, "frame.jsonl")
  write_frame(frame[c("text", "whole", "number", "flag")], json)
  expect_identical(read_frame(json), frame[c("text", "whole", "number", "flag")])
  skip_if_not_installed("nanoparquet")
  parquet <- file.path(folder, "frame.parquet")
  write_frame(frame[1:6], parquet)
  expect_equal(read_frame(parquet), frame[1:6])
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
