# Many files as one frame: folders, patterns, folders named by values, columns that some files
# lack or have elsewhere.

# the sailings by harbour and year; those whose file lacks `km` are its attribute "lacks"
local_harbours <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  parts <- split(sailings, list(sailings$port, sailings$sailing %% 2), drop = TRUE)
  for (k in seq_along(parts)) {
    into <- file.path(folder, paste0("port=", utils::URLencode(parts[[k]]$port[1L], TRUE)),
      sprintf("year=%d", 2031 + parts[[k]]$sailing[1L] %% 2)
    )
    dir.create(into, recursive = TRUE)
    rows <- parts[[k]][setdiff(names(sailings), "port")]
    if (k == 2L) rows$km <- NULL
    if (k == 3L) rows <- rows[rev(names(rows))]
    write_frame(rows, file.path(into, "0.parquet"))
  }
  structure(folder, lacks = parts[[2L]]$sailing)
}

by_sailing <- function(frame) {
  frame <- frame[order(frame$sailing), sort(names(frame))]
  row.names(frame) <- NULL
  frame
}

test_that("folders named by values make columns, whoever reads them", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  folder <- local_harbours()
  expect_message(read_frame(folder), "missing there: `km` in 1 file")
  found <- suppressMessages(read_frame(folder))
  expected <- transform(sailings, year = 2031L + sailing %% 2L)
  expected$km[expected$sailing %in% attr(folder, "lacks")] <- NA
  expect_equal(by_sailing(found), by_sailing(expected))
  files <- suppressMessages(frame_files(folder))
  expect_identical(files$columns$type[match(c("port", "year"), files$columns$name)],
    c("text", "integer")
  )
  joined <- suppressMessages(join_files(folder, vessels,
    on = c(vessel = "code"), take = "seats", out = withr::local_tempfile()
  ))
  in_memory <- join_frames(expected, vessels, on = c(vessel = "code"), take = "seats")
  expect_equal(by_sailing(read_frame(joined$out)), by_sailing(in_memory))
  # a pattern, several folders, and types of folders' columns
  one <- suppressMessages(frame_files(file.path(folder, "port=*", "year=2032"),
    types = c(year = "text")
  ))
  expect_identical(one$folders$year, rep("2032", nrow(one$files)))
  expect_equal(sum(one$files$rows), sum(expected$year == 2032L))
  some <- list.files(folder, full.names = TRUE)[1:2]
  expect_length(unique(suppressMessages(frame_files(some))$folders$port), 2L)
})

test_that("what the files of a frame disagree in is told", {
  skip_without_files()
  folder <- withr::local_tempdir()
  at <- function(...) file.path(folder, ...)
  dir.create(at("year=2031"))
  dir.create(at("notes"))
  write_frame(vessels, at("year=2031", "a.parquet"))
  write_frame(vessels, at("notes", "old.parquet"))
  expect_message(frame_files(folder), "1 folder of '.*' is not read: 'notes'[.]")
  expect_error(frame_files(at("*.csv")), "No file or folder is named like",
    class = "ronda_error_file"
  )
  expect_error(suppressMessages(frame_files(c(folder, at("year=2031")))), "is named twice",
    class = "ronda_error_file"
  )
  unlink(at("year=2031"), recursive = TRUE)
  expect_error(frame_files(folder), "no .*file in it.*It has folders in it, such as '.*notes'",
    class = "ronda_error_file"
  )
  write_frame(vessels, at("a.parquet"))
  dir.create(at("year=2032"))
  write_frame(vessels, at("year=2032", "b.parquet"))
  expect_error(suppressMessages(frame_files(folder)), "folders that name `year`.* name none",
    class = "ronda_error_file"
  )
  unlink(at("a.parquet"))
  # the files are believed where they have the column themselves
  write_frame(transform(vessels, year = 1L), at("year=2032", "b.parquet"))
  expect_message(files <- frame_files(at("year=2032")), "`year` stands in the files themselves")
  expect_identical(files$folders, structure(list(), names = character()))
  # types that don't go together: the file, the column and both types
  dir.create(at("types"))
  write_frame(data.frame(k = 1:2, day = 1:2), at("types", "1.parquet"))
  write_frame(data.frame(k = 1:2, day = c("x", "y")), at("types", "2.parquet"))
  withr::local_options(ronda.receipt = FALSE)
  expect_error(join_files(at("types"), data.frame(k = 1L), on = "k", out = at("out")),
    "column `day` is integer in 1.parquet and text in 2.parquet", class = "ronda_error_file"
  )
})

test_that("a large parquet file is cut into pieces, one column after the other", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  set.seed(3)
  n <- 4e5
  left <- data.frame(k = sample.int(50L, n, TRUE), a = runif(n), b = runif(n), s = "x")
  left$s[5] <- NA
  right <- data.frame(k = 1:50, x = as.numeric(1:50))
  file <- withr::local_tempfile(fileext = ".parquet")
  write_frame(left, file)
  for (way in c("parts", "right_whole")) {
    joined <- join_files(file, right,
      on = same("k", via = function(x) x + 0), out = withr::local_tempfile(), memory = "213 MB",
      way = way, row_order = "left", omit = "nothing"[0L]
    )
    expect_equal(sum(joined$tasks$kind == "unpack"), 1)
    found <- read_frame(joined$out)
    expect_equal(found$x, right$x[left$k])
    expect_identical(found[names(left)], left)
  }
  write_frame(data.frame(k = rep(1, 9e5)), file)
  expect_error(join_files(file, right, on = "k", out = tempfile(), memory = "211 MB"),
    "takes 7.2 MB in memory when one column is read, and `memory` has room for 7 MB"
  )
})
