# Files whose rows can't pair are not read, and nothing else changes by it.

lots <- function(n, as) {
  as(sample(c(2, 5, 8), n, TRUE))
}

# two frames whose rows stand in order of their lots, several files to a lot, and what their
# columns are
lotted_frames <- function() {
  as <- list(
    as.integer, function(x) bit64::as.integer64(x * 2^40), function(x) as.Date("2031-05-01") + x,
    function(x) as.POSIXct("2031-05-01", tz = "UTC") + x,
    function(x) c("a", "\u00e9", "z")[x %/% 3 + 1]
  )
  as <- as[[sample(length(as), 1L)]]
  frame <- function(n, name) {
    x <- data.frame(lot = lots(n, as), v = sample(0:9, n, TRUE))
    x <- x[order(x$lot), , drop = FALSE]
    x[[name]] <- seq_len(n)
    row.names(x) <- NULL
    if (stats::runif(1) < 0.4) x$lot[sample(n, 2L)] <- NA
    x
  }
  right <- frame(sample(3:20, 1L), "r")
  # often a lot that the left side alone has
  list(left = frame(sample(8:40, 1L), "l"), right = right[right$lot %in% unique(right$lot)[-1L], ])
}

# both sides in files of five rows, but for one without rows
lotted_files <- function(frames, folder) {
  lapply(side_names, function(side) {
    if (nrow(frames[[side]])) files_of(frames[[side]], file.path(folder, side), 5L) else {
      frames[[side]]
    }
  })
}

# conditions of every form: those that files can be left out by, alone and beside others, and
# those that say nothing of files
any_condition <- function(limit, most) {
  terms <- list(
    ~ right$v > limit, ~ left$l <= most, ~ right[["v"]] == limit, ~ limit >= right$v,
    ~ most < left$l, ~ right$v != limit, ~ !(right$v > limit), ~ right$v %in% c(limit, 3),
    ~ left$l < right$r, ~ right$v > limit | left$l < 5L, ~ right$v + 1 > limit, ~ is.na(left$v),
    ~ right$v >= limit & right$v < limit + 2, ~ right$v > NA, ~ left$l <= as.numeric(NA),
    # constants of other kinds: compared as R compares them
    ~ right$v > "4", ~ right$v >= TRUE, ~ right$v == as.complex(4), ~ left$l > factor("4")
  )
  parts <- lapply(terms[sample(length(terms), sample(3L, 1L))], `[[`, 2L)
  stats::as.formula(call("~", Reduce(function(a, b) call("&", a, b), parts)), environment())
}

test_that("a join of files that leaves files unread is the join in memory", {
  skip_without_files()
  local_pieces()
  unread <- 0
  for (seed in 1:16) {
    set.seed(seed)
    frames <- lotted_frames()
    row.names(frames$right) <- NULL
    folder <- withr::local_tempdir()
    files <- lotted_files(frames, folder)
    asked <- list(
      on = one_of(list("lot", c("lot", "v"))), rows = one_of(names(row_types)),
      missing_keys = one_of(c("match", "unmatched")), expect = "rows-multiply",
      where = maybe(0.8, any_condition(sample(0:9, 1L), sample(10:40, 1L)))
    )
    joined <- suppressMessages(suppressWarnings(do.call(join_files, c(files, asked, list(
      out = file.path(folder, "out"), row_order = "left"
    )))))
    expected <- suppressWarnings(do.call(join_frames, c(unname(frames), asked)))
    found <- read_frame(joined$out)
    expect_equal(as.list(found), as.list(expected), label = paste("seed", seed))
    receipt <- last_receipt()
    same <- c("pairs", "rows_left", "paired", "left_alone", "right_alone", "missing_left",
      "missing_right"
    )
    expect_equal(unclass(joined$receipt)[same], unclass(receipt)[same], label = paste("seed", seed))
    unread <- unread + any(grepl("left out", joined$receipt$notes))
  }
  expect_gt(unread, 3)
})

test_that("an expectation that fails names all rows at fault, of files that can't pair too", {
  skip_without_files()
  local_pieces()
  failed <- 0
  for (seed in 1:24) {
    set.seed(seed)
    frames <- lotted_frames()
    row.names(frames$right) <- NULL
    side <- one_of(side_names)
    frames[[side]]$lot[sample(nrow(frames[[side]]), 1L)] <- NA
    if (seed %% 4 == 0) frames[[side]] <- frames[[side]][0L, ]
    folder <- withr::local_tempdir()
    files <- lotted_files(frames, folder)
    asked <- list(on = "lot", rows = one_of(c("inner", "left", "right", "semi")),
      missing_keys = one_of(c("match", "unmatched", "stop")),
      expect = c(list("rows-multiply", "may-be-empty"), one_of(list(
        list(left_matched = 0.9), list(right_matched = 0.9), list("left-complete"),
        list("right-complete"), list("no-missing-keys"), list()
      )))
    )
    at_fault <- function(call) {
      stopped <- tryCatch(suppressMessages(call), ronda_error_expectation = identity)
      if (inherits(stopped, "error")) stopped[c("left_rows", "right_rows")]
    }
    found <- at_fault(do.call(join_files, c(files, asked, out = file.path(folder, "out"))))
    expected <- at_fault(do.call(join_frames, c(unname(frames), asked)))
    expect_equal(found, expected, label = paste("seed", seed))
    failed <- failed + !is.null(expected)
  }
  expect_gt(failed, 6)
})

test_that("folders are read as far as they can match, and the receipt says so", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  folder <- withr::local_tempdir()
  for (year in 2029:2033) {
    of_year <- file.path(folder, sprintf("year=%d", year))
    dir.create(of_year)
    write_frame(vessels, file.path(of_year, "vessels.parquet"))
  }
  # files that were damaged after they were looked at would be noticed if they were read
  files <- frame_files(folder)
  # (2029 says what the types are)
  for (year in c(2031, 2033)) {
    writeBin(raw(9), file.path(folder, sprintf("year=%d", year), "vessels.parquet"))
  }
  asked <- data.frame(year = c(2030, 2032), code = c("HAV", "BRI"))
  for (rows in c("left", "inner", "semi", "anti")) {
    joined <- join_files(asked, files, on = c("year", "code"), rows = rows, out = tempfile())
    expect_match(joined$receipt$notes, "^3 of 5 files of files were left out", all = FALSE)
    expect_identical(joined$receipt$rows_right, 5 * nrow(vessels))
  }
  joined <- join_files(files, asked, on = "code", rows = "inner",
    where = ~ left$year == 2030L, out = tempfile()
  )
  expect_match(joined$receipt$notes, "4 of 5 files of files were left out", all = FALSE)
  # without any key a condition alone decides
  joined <- join_files(asked, files, on = nearest("year", "seats"), rows = "inner",
    where = ~ right$year == 2030L, out = tempfile()
  )
  expect_match(joined$receipt$notes, "4 of 5 files of files were left out", all = FALSE)
  expect_identical(joined$receipt$missing_right, 0)
  # unmatched rows of that side are in the result, or counted one by one
  expect_error(join_files(files, asked, on = "year", out = tempfile()), "changed after")
  expect_error(join_files(asked, files, on = "year", rows = "full", out = tempfile()),
    "changed after"
  )
  expect_error(join_files(asked, files, on = "year", expect = "right-complete",
    out = tempfile()
  ), "changed after")
  expect_error(join_files(asked, files, on = same("year", via = function(x) x), out = tempfile()),
    "changed after"
  )
})

test_that("what files say of their values is read as it is meant, or not at all", {
  stored <- function(type, logical = "", converted = NA_character_) {
    stored_as(list(type = type, logical = logical, converted = converted))
  }
  kind <- function(...) stored(...)$kind
  expect_identical(kind("INT64"), "number")
  expect_identical(kind("INT32", "INT 32 TRUE"), "number")
  expect_identical(kind("INT32", "INT 32 FALSE"), NA_character_)
  expect_identical(kind("INT32", converted = "UINT_32"), NA_character_)
  expect_identical(kind("INT32", "DECIMAL 2 9"), NA_character_)
  expect_identical(kind("INT32", converted = "DECIMAL"), NA_character_)
  expect_identical(kind("INT96"), NA_character_)
  expect_identical(kind("BOOLEAN"), NA_character_)
  expect_identical(kind("BYTE_ARRAY"), NA_character_)
  expect_identical(kind("BYTE_ARRAY", converted = "UTF8"), "text")
  expect_identical(stored("INT32", converted = "DATE")$kind, "date")
  expect_equal(stored("INT64", converted = "TIMESTAMP_MICROS"), list(kind = "time", scale = 1e6),
    ignore_attr = TRUE
  )
  expect_equal(stored("INT64", "TIMESTAMP TRUE MILLIS")$scale, 1e3, ignore_attr = TRUE)
  # milliseconds are not taken for seconds
  bytes <- writeBin(c(1L, 0L), raw(), endian = "little")
  expect_equal(end_value(bytes, "INT64", list(kind = "time", scale = 1000)), 0.001)
  # numbers beside a column of times say nothing of it
  side <- list(
    settled = list(at = as_utc(double())), chunks = data.frame(file = 1:2, rows = 5),
    ends = list(at = list(kind = c("time", "text"), low = c(1, 2), high = c(3, 4), nulls = c(0, 0)))
  )
  expect_identical(ends_of_side(side, "at")$low, c(1, NA))
})
