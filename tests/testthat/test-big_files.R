# Text files in pieces: cut between rows wherever quotes and line breaks stand, and typed
# over all pieces as one file is.

random_cells <- function(n) {
  kinds <- list(
    function() sample(-5:5, n, TRUE), function() round(stats::runif(n, -2, 2), 2),
    function() sample(c("a", "b,c", "say \"so\"", "two\nlines", "", NA), n, TRUE),
    function() as.Date("2031-05-01") + sample(0:9, n, TRUE),
    function() as.POSIXct("2031-05-01", tz = "UTC") + sample(0:9, n, TRUE),
    function() sample(c(TRUE, FALSE, NA), n, TRUE), function() rep(NA, n),
    function() sample(c("007", "8", "x"), n, TRUE, c(8, 8, 1)),
    function() bit64::as.integer64(sample(c("1", "9007199254740993"), n, TRUE)),
    # mostly one kind, and one cell of another
    function() replace(sample(1:9, n, TRUE), sample.int(n, 1L), 2.5),
    function() replace(as.character(sample(1:9, n, TRUE)), sample.int(n, 1L), "none"),
    function() replace(as.character(sample(1:9, n, TRUE)), sample.int(n, 1L),
      "99999999999999999999"
    )
  )
  columns <- lapply(sample(kinds, 4L), function(make) make())
  names(columns) <- c("a", "b", "c d", "e")
  as.data.frame(columns, check.names = FALSE)
}

# the side with its types, and with copies of the pieces that have these by themselves
looked_at <- function(side, frame = parent.frame(2L)) {
  folder <- withr::local_tempdir(.local_envir = frame)
  job <- list(work = folder, token = "token")
  make_work_folders(folder, NULL)
  writeLines(job$token, file.path(folder, "lock"))
  looks <- lapply(seq_len(nrow(side$chunks)), look_at_chunk, job = job, side = side)
  finished_side(with_text_copies(job, settle_text_side(side, looks), looks))
}

read_in_pieces <- function(file, size) {
  files <- frame_files(file)
  side <- side_of_files(files, "left", size, NULL)
  side <- looked_at(side)
  side$wanted <- side$names
  chunks <- lapply(seq_len(nrow(side$chunks)), read_chunk, side = side)
  columns <- lapply(side$names, function(name) {
    dressed(unlist(lapply(chunks, function(chunk) strip_class(chunk$columns[[name]]))),
      side$settled[[name]]
    )
  })
  names(columns) <- side$names
  list(
    frame = as_base_frame(columns, side$rows), pieces = nrow(side$chunks),
    copies = sum(!is.na(side$chunks$copy))
  )
}

test_that("a file read in pieces is the file read at once, wherever it is cut", {
  skip_if_not_installed("bit64")
  skip_if_not_installed("readr")
  file <- withr::local_tempfile(fileext = ".csv")
  pieces <- copies <- 0
  for (seed in 1:60) {
    set.seed(seed)
    frame <- random_cells(sample(1:25, 1L))
    suppressMessages(write_frame(frame, file))
    whole <- suppressMessages(read_frame(file))
    found <- read_in_pieces(file, sample(c(1, 10, 40, 200, 1e6), 1L))
    expect_identical(found$frame, whole, label = paste("seed", seed))
    pieces <- pieces + found$pieces
    copies <- copies + found$copies
  }
  expect_gt(pieces, 300)
  # Both happen: copies are read, and pieces whose cells alone have other types anew.
  expect_gt(copies, 100)
  expect_gt(pieces - copies, 20)
})

test_that("pieces end between rows, whatever the line ends and quotes", {
  lines <- c("a,b", "1,\"x\ny\"", "2,\"q\"\"uote\"", "", "3,plain")
  for (ending in c("\n", "\r\n")) {
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(charToRaw(paste0(paste(lines, collapse = ending), ending)), file)
    cuts <- cut_into_pieces(file, reading_asked(delimiter = ","), 1)
    expect_identical(cuts$to[nrow(cuts)], as.double(file.size(file)))
    expect_identical(cuts$from[-1L], cuts$to[-nrow(cuts)])
    expect_identical(read_in_pieces(file, 1)$frame, read_frame(file))
  }
  # no line break at the end, names alone, a mark at the beginning
  for (text in c("a,b\n1,2", "a,b\n", "\ufeffa,b\n1,2\n", "\n\na,b\n1,2\n3,4")) {
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(charToRaw(enc2utf8(text)), file)
    expect_identical(read_in_pieces(file, 1)$frame, read_frame(file), label = shown(text))
  }
})

test_that("faults are told with the line of the file, not of the piece", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("a,b", "1,2", "3,\"4", "5\"", "6", "7,8"), file)
  expect_error(read_in_pieces(file, 1), "line 5 has 1 column instead of 2")
  writeLines(c("a,b", rep("1,2", 20), "3,\"4"), file)
  expect_error(read_in_pieces(file, 8), "the quote opened in line 22 is never closed")
  writeBin(raw(), file)
  expect_error(frame_files(file), "it is empty", class = "ronda_error_file")
})

test_that("cells that are not of the type asked for name their line", {
  skip_if_not_installed("readr")
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("a,b", "1,2", "3,x", "5,6"), file)
  side <- side_of_files(frame_files(file, types = c(b = "number")), "left", 1, NULL)
  side <- finished_side(settle_text_side(side, list(look_at_piece(side, side$chunks[1L, ])$look)))
  expect_identical(read_chunk(side, 1L, c("a", "b"))$columns$b, 2)
  expect_error(read_chunk(side, 2L, c("a", "b")), "column `b` has \"x\" in line 3")
})
