# Columns with what is hard about their types, in an order of their own
hard_columns <- function(n, seed) {
  set.seed(seed)
  pick <- function(x) sample(x, n, TRUE)
  at <- as.POSIXct("2031-05-01 10:00", tz = "UTC") + runif(n, -2e9, 2e9)
  list(
    words = pick(c("a", " b ", "=1+1", "", NA, "NA", "a\"b", "c,d\te", "two\nlines", "\u00e9")),
    codes = pick(c("1", "20", NA)), flags_as_text = pick(c("TRUE", "FALSE", NA)),
    days_as_text = pick(c("2031-05-01", "2032-02-29")), zeros = pick(c("007", "8", "+1")),
    lone = c(NA, rep("x", n - 1L)), empty_alone = rep("", n), infinite_text = rep("Inf", n),
    whole = c(0.5, pick(c(1, 1e5, -3, 1e15, 2^53 + 2, NA))[-1L]),
    integer = pick(c(1:3, NA, -2147483647L)),
    number = c(1 / 3, exp(rnorm(n - 1L, 0, 60))), few = pick(c(0.1, -2.75, NA, 1e-300)),
    odd = pick(c(-0.5, Inf, -Inf, NaN, NA, -0, 5e-324)), flag = pick(c(TRUE, FALSE, NA)),
    long = bit64::as.integer64(c("9007199254740993", rep(c("-4", NA), length.out = n - 1L))),
    day = as.Date("2031-05-01") + pick(c(-5e5, 0, 365, NA)), time = at,
    second = as.POSIXct("2031-05-01", tz = "UTC") + pick(c(0, 59, 0.25, 0.123456, NA)),
    micro = structure(round(as.numeric(at) * 1e6) / 1e6, class = class(at), tzone = "UTC"),
    zoned = structure(at, tzone = "Europe/Oslo"), local = structure(at, tzone = NULL),
    label = factor(pick(c("x", "y", NA)), c("z", "y", "x")),
    rank = factor(pick(c("low", "high", NA)), c("low", "mid", "high"), ordered = TRUE),
    took = as.difftime(pick(c(0.1, 90, NA, 1 / 3)), units = "mins"),
    part = as.Date("2031-05-01") + pick(c(0.5, 0))
  )
}

test_that("frames go through every kind of file and come back as they were", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  # (text has no zones, levels, units or parts of days; JSON no infinite numbers)
  typed <- c("zoned", "local", "label", "rank", "took", "part")
  kinds <- list(csv = typed, tsv = typed, csv.gz = typed, jsonl = c(typed, "odd"),
    jsonl.gz = c(typed, "odd"), rds = character(), parquet = character()
  )
  for (seed in 1:7) {
    all <- hard_columns(sample(2:30, 1L), seed)
    for (kind in names(kinds)) {
      columns <- all[sample(setdiff(names(all), kinds[[kind]]))]
      frame <- as.data.frame(columns[seq_len(sample(c(1L, 2L, length(columns)), 1L))])
      frame <- frame[rep(seq_len(nrow(frame)), if (seed == 1) 500 else 1), , drop = FALSE]
      rownames(frame) <- NULL
      names(frame)[1L] <- sample(
        c("a,b", "q\"q", "two words", "\u00e9", "NA", "1", " x", "  ", "\ufeffx"), 1L
      )
      path <- file.path(folder, paste0("frame.", kind))
      # (few cells are read and written by R's own functions, many by readr's)
      withr::local_options(ronda.few_cells = if (seed %% 2) 0 else 1e5)
      expect_invisible(suppressMessages(write_frame(frame, path)))
      # (cells have no types, and don't tell an empty text from a missing one)
      is_text <- vapply(frame, is.character, NA) & grepl("^[ct]sv", kind)
      types <- vapply(frame[is_text], function(x) "text", "")
      frame[is_text] <- lapply(frame[is_text], function(x) replace(x, x %in% c("", "NA"), NA))
      back <- read_frame(path, types = if (length(types)) types)
      expect_identical(names(back), names(frame))
      if (kind %in% c("csv", "tsv")) {
        suppressMessages(write_frame(frame, path))
        bytes <- readBin(path, "raw", 1e6)
        withr::local_options(ronda.few_cells = if (seed %% 2) 1e5 else 0)
        expect_identical(read_frame(path, types = if (length(types)) types), back)
        suppressMessages(write_frame(frame, path))
        expect_identical(readBin(path, "raw", 1e6), bytes)
      }
      # (a column of no value has no type in a text file)
      some <- vapply(frame, function(x) !all(is.na(x)), NA) | kind %in% c("rds", "parquet")
      for (name in names(frame)[some]) {
        expect_identical(back[[name]], frame[[name]],
          label = paste(kind, seed, name), ignore_attr = FALSE
        )
      }
    }
  }
})

test_that("a column alone keeps all of its rows, those without a value too", {
  path <- withr::local_tempfile(fileext = ".csv")
  all <- hard_columns(6L, 1)
  for (name in setdiff(names(all), c("zoned", "local", "label", "rank", "took", "part"))) {
    x <- all[[name]]
    x[c(1L, 4L, 6L)] <- NA
    for (few in c(0, 1e5)) {
      withr::local_options(ronda.few_cells = few)
      suppressMessages(write_frame(data.frame(x = x), path))
      expect_identical(is.na(suppressMessages(read_frame(path))$x), is.na(x) | x %in% c("", "NA"),
        label = name
      )
    }
  }
})

test_that("what a text file has no place for is said, and what can't be held refused", {
  folder <- withr::local_tempdir()
  path <- function(kind) file.path(folder, paste0("frame.", kind))
  all <- hard_columns(5L, 1)
  noted <- data.frame(zoned = all$zoned, took = all$took)
  texts <- data.frame(
    f = factor(c("1", "2"), c("1", "2", "z")), day = c("2031-05-01", NA), e = c("", "NA")
  )
  expect_message(write_frame(texts, path("csv")), paste(
    "`f` is text, and is read back as integer; with types = c\\(f = \"text\"\\) as text.*",
    "`day` is text, and is read back as date; .*",
    "`e` has 2 empty texts or \"NA\" that are read back as missing", sep = ""
  ), class = "ronda_message_note")
  expect_identical(read_frame(path("csv"), types = c(f = "text"))[1:2], data.frame(
    f = c("1", "2"), day = as.Date(c("2031-05-01", NA))
  ))
  for (kind in c("csv", "tsv", "jsonl")) {
    expect_message(write_frame(noted, path(kind)),
      "`zoned` \\(Europe/Oslo\\) is written in UTC.*`took` is written as a number of mins",
      class = "ronda_message_note"
    )
    back <- read_frame(path(kind))
    expect_identical(back$took, as.numeric(noted$took))
    expect_identical(back$zoned, structure(noted$zoned, tzone = "UTC"))
    late <- data.frame(at = as.POSIXct("2031-05-01", tz = "UTC") + c(0, 3e11))
    expect_error(write_frame(late, path(kind)), "`at` has a time outside of the years",
      class = "ronda_error_file"
    )
    expect_error(write_frame(data.frame(day = all$part), path(kind)),
      "`day` has a day with a part of a day in row", class = "ronda_error_file"
    )
    expect_error(write_frame(data.frame(row.names = 1:2), path(kind)),
      "rows without columns", class = "ronda_error_file"
    )
  }
  expect_message(write_frame(noted[0L, ], path("jsonl")), "no rows hold no names")
})

test_that("times are parquet's own down to the microsecond, and stored as numbers below it", {
  skip_if_not_installed("nanoparquet")
  path <- withr::local_tempfile(fileext = ".parquet")
  set.seed(3)
  fine <- structure(runif(2000L, -2e9, 2e9), class = c("POSIXct", "POSIXt"), tzone = "UTC")
  micro <- structure(round(as.numeric(fine) * 1e6) / 1e6, class = class(fine), tzone = "UTC")
  expect_no_message(write_frame(data.frame(at = micro), path))
  expect_identical(read_frame(path)$at, micro)
  expect_s3_class(nanoparquet::read_parquet(path)$at, "POSIXct")
  expect_message(write_frame(data.frame(at = fine), path), "`at` is stored as numbers",
    class = "ronda_message_note"
  )
  expect_identical(read_frame(path)$at, fine)
})

test_that("large files are read in pieces", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeBin(as.raw(c(1:255, 1:100)), path)
  for (piece in c(1, 7, 100, 355)) {
    expect_identical(ronda:::file_bytes(path, piece), as.raw(c(1:255, 1:100)))
  }
})

test_that("a folder of parquet files is one frame", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  put <- function(frame, name) write_frame(frame, file.path(folder, paste0(name, ".parquet")))
  expect_error(read_frame(folder), "no .parquet file", class = "ronda_error_file")
  at <- as.POSIXct("2031-05-01", tz = "Europe/Oslo")
  put(data.frame(id = 1:2, kind = factor(c("b", "a")), x = NA, at = at), "part-2")
  put(data.frame(id = 0.5, kind = factor("c"), x = "t", at = at + 0.1), "part-10")
  put(data.frame(id = 9L), "_other")
  expect_identical(read_frame(folder), data.frame(id = c(0.5, 1, 2),
    kind = factor(c("c", "b", "a"), c("c", "a", "b")), x = c("t", NA, NA),
    at = at + c(0.1, 0, 0)
  ))
  put(data.frame(id = "x", kind = factor("c"), x = "t", at = at), "part-3")
  expect_error(read_frame(folder), "column `id` is double in part-10.parquet and text in part-3",
    class = "ronda_error_file"
  )
  put(data.frame(other = 1), "part-3")
  expect_error(read_frame(folder), "'part-3.parquet' has no column that 'part-10.parquet' has",
    class = "ronda_error_file"
  )
  expect_error(read_frame(folder, types = c(id = "text")), "`types` is for",
    class = "ronda_error_argument"
  )
})

test_that("quotes say nothing, and which texts mean missing is said", {
  path <- withr::local_tempfile(fileext = ".csv")
  for (cells in c(0, 1e5)) {
    withr::local_options(ronda.few_cells = cells)
    read_lines <- function(..., lines) {
      writeLines(lines, path)
      read_frame(path, ...)
    }
    expect_identical(read_lines(lines = c("id,n", "\"1\",2", "\"20\",\"\"", ",\"NA\"")),
      data.frame(id = c(1L, 20L, NA), n = c(2L, NA, NA))
    )
    expect_identical(read_lines(lines = c("id,n", "NA,2", "-,\"-\""), missing = "-"),
      data.frame(id = c("NA", NA), n = c(2L, NA))
    )
    # a blank line is a row of a file of one column, and so is one of tabs alone of a tsv
    expect_identical(read_lines(lines = c("", "id", "1", "", "3")), data.frame(id = c(1L, NA, 3L)))
    expect_identical(read_lines(lines = c("id,n", "", "1,2", " ", ",")),
      data.frame(id = c(1L, NA), n = c(2L, NA))
    )
    for (lines in list(c("id\tn", "1\t2", "\t"), c("id\tn", "", "1\t2", "\t"))) {
      tabs <- withr::local_tempfile(fileext = ".tsv")
      writeLines(lines, tabs)
      expect_identical(read_frame(tabs), data.frame(id = c(1L, NA), n = c(2L, NA)))
    }
  }
  expect_error(read_frame(path, missing = NA), "`missing` must be", class = "ronda_error_argument")
})

test_that("texts are the same whoever reads them, however they are quoted", {
  path <- withr::local_tempfile(fileext = ".csv")
  pieces <- c("a", "b c", " ", "\"\"", "\"", ",", "\n", "\r", "\r\n", "\u00e9", "NA", "#",
    "'", "\\"
  )
  set.seed(5)
  read_with <- function(cells) {
    withr::local_options(ronda.few_cells = cells)
    tryCatch(read_frame(path), ronda_error = conditionMessage)
  }
  for (time in 1:100) {
    cells <- replicate(6, {
      text <- paste(sample(pieces, sample(0:3, 1L)), collapse = "")
      if (runif(1) < 0.6) paste0("\"", gsub("\"+", "\"\"", text), "\"") else text
    })
    lines <- paste(cells[c(1, 3, 5)], cells[c(2, 4, 6)], sep = ",")
    writeBin(charToRaw(paste0("x,y\n", paste(lines, collapse = "\n"), "\n")), path)
    expect_identical(read_with(1e5), read_with(0))
  }
})

test_that("cells are what was written, however lines end, are marked, coded or left blank", {
  folder <- withr::local_tempdir()
  cells_at <- c("Gull", "x y", " lead", "trail ", "007", "1.5", "caf\u00e9", "\u65e5\u672c",
    "say \"hi\"", "\"", "5\" pipe", "it's", "#5", ",", ";", "|", "a\rb", "a\nb", "\n", "  ",
    "TRUE", "2031-05-01"
  )
  for (seed in 1:32) {
    set.seed(seed)
    separator <- sample(c(",", ";", "\t", "|"), 1L)
    end <- sample(c("\n", "\r\n", "\r"), 1L)
    form <- sample(c("plain", "mark", "UTF-16LE", "latin1", "gz"), 1L)
    names <- c("k", "long name", "caf\u00e9", "v")[seq_len(sample(4L, 1L))]
    cells <- matrix(sample(cells_at, length(names) * sample(0:5, 1L), TRUE), ncol = length(names))
    if (form == "latin1") cells[cells == "\u65e5\u672c"] <- "\u00fc"
    cells[sample(c(TRUE, FALSE), length(cells), TRUE, c(0.15, 0.85))] <- ""
    quoted <- function(x) {
      must <- grepl("[\"\r\n,;\t|]|^ +$", x) | nzchar(x) & stats::runif(length(x)) < 0.3
      x[must] <- paste0("\"", gsub("\"", "\"\"", x[must], fixed = TRUE), "\"")
      x
    }
    lines <- apply(rbind(names, cells), 1L, function(row) {
      paste(quoted(row), collapse = separator)
    })
    # (in a file of one column a blank line is a row)
    if (length(names) > 1L) {
      for (at in sample(0:length(lines), sample(0:2, 1L))) lines <- append(lines, "", at)
    }
    is_ended <- length(names) == 1L || seed %% 3
    text <- enc2utf8(paste0(paste(lines, collapse = end), if (is_ended) end))
    path <- file.path(folder, paste0("odd.", if (separator == "\t") "tsv" else "csv"))
    if (form == "gz") path <- paste0(path, ".gz")
    con <- if (form == "gz") gzfile(path, "wb") else file(path, "wb")
    coded <- form %in% c("UTF-16LE", "latin1")
    writeBin(c(
      switch(form, mark = as.raw(c(0xef, 0xbb, 0xbf)), "UTF-16LE" = as.raw(c(0xff, 0xfe))),
      iconv(text, "UTF-8", if (coded) form else "UTF-8", toRaw = TRUE)[[1L]]
    ), con)
    close(con)
    cells[!nzchar(cells)] <- NA
    expected <- stats::setNames(as.data.frame(cells), names)
    read_with <- function(read, few, types = stats::setNames(rep("text", length(names)), names)) {
      withr::local_options(ronda.few_cells = few)
      suppressMessages(read(path, types, delimiter = separator,
        encoding = if (form == "latin1") "latin1", missing = "NA"
      ))
    }
    head_of <- function(...) head(frame_files(...), 100L)
    for (few in c(1e5, 0)) {
      expect_identical(read_with(read_frame, few), expected, label = encodeString(text))
    }
    types <- read_with(read_frame, 1e5, NULL)
    expect_identical(read_with(read_frame, 0, NULL), types)
    if (form != "UTF-16LE") {
      expect_identical(read_with(head_of, 1e5), expected, label = encodeString(text))
      expect_identical(read_with(head_of, 0, NULL), types)
    }
  }
})

test_that("what is text for the sake of a few cells is said once, with the line", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("id,note,amount,day", "1,\"two\nlines\",1.5,2031-05-01", "",
    "2,b,\"1.234,56\",2031-02-30", "x,c,3,2031-05-02"
  ), path)
  name <- encodeString(path, quote = "'")
  kept <- function(column, what) {
    sprintf("Column `%s` of %s is kept as text: 1 of 3 cells is not %s.", column, name, what)
  }
  expect_message(frame <- read_frame(path), paste(sep = "\n",
    kept("id", "a plain number; line 6 has \"x\""),
    kept("amount", "a plain number; line 5 has \"1.234,56\""),
    kept("day", "a day such as 2031-05-01; line 5 has \"2031-02-30\""),
    "* If text is right: types = c(id = \"text\")", "* If line 6 holds no row: skip = 6"
  ), fixed = TRUE, class = "ronda_message_note")
  expect_identical(frame$amount, c("1.5", "1.234,56", "3"))
  expect_no_message(read_frame(path, types = c(id = "text", amount = "text", day = "text")))
  expect_error(read_frame(path, types = c(amount = "number")),
    "column `amount` has \"1.234,56\" in line 5 \\(row 2\\), which is not a number",
    class = "ronda_error_file"
  )
  # (all rows are looked at, and words are no numbers gone wrong)
  writeLines(c("n,word", paste0(1:50000, ",v", 1:50000), "12E4,1"), path)
  expect_message(frame <- read_frame(path), "1 of 50,001 cells .*line 50002 has \"12E4\"")
  expect_type(frame$n, "character")
})

test_that("a cell that is none is told by its line, as perhaps no row at the ends alone", {
  path <- withr::local_tempfile(fileext = ".csv")
  for (row in 1:12) {
    cells <- as.character(1:12)
    cells[row] <- "total"
    writeLines(c("n,m", paste0(cells, ",x")), path)
    text <- paste(testthat::capture_messages(frame <- read_frame(path)), collapse = "")
    expect_identical(frame$n, cells)
    expect_match(text, sprintf("line %d has \"total\"", row + 1L))
    expect_identical(grepl(sprintf("line %d holds no row: skip = %d", row + 1L, row + 1L), text),
      row %in% c(1L, 12L), label = paste("row", row)
    )
  }
})

test_that("a few odd cells are pointed out, where they are one, or a tenth at most", {
  path <- withr::local_tempfile(fileext = ".csv")
  for (n in c(3L, 5L, 9L, 10L, 20L, 29L, 30L)) {
    for (odd in seq_len(min(4L, n %/% 2L))) {
      cells <- as.character(seq_len(n))
      cells[2L * seq_len(odd)] <- paste("about", seq_len(odd))
      writeLines(c("n,m", paste0(cells, ",x")), path)
      said <- paste(testthat::capture_messages(read_frame(path)), collapse = "")
      expect_identical(grepl("is kept as text", said), odd <= max(1, n / 10),
        label = paste(odd, "of", n)
      )
    }
  }
})

test_that("several odd cells are told in words of what the others are", {
  path <- withr::local_tempfile(fileext = ".csv")
  columns <- list(
    "TRUE or FALSE" = rep(c("TRUE", "FALSE"), 15L), "plain numbers" = 1:30,
    "days such as 2031-05-01" = format(as.Date("2031-05-01") + 0:29),
    "times such as 2031-05-01 10:05" = sprintf("2031-05-01 10:%02d", 0:29)
  )
  for (words in names(columns)) {
    cells <- replace(as.character(columns[[words]]), c(7L, 9L), c("unknown", "none yet"))
    writeLines(c("n,m", paste0(cells, ",x")), path)
    expect_message(frame <- read_frame(path), fixed = TRUE, class = "ronda_message_note",
      sprintf("2 of 30 cells are not %s; line 8 has \"unknown\".", words)
    )
    expect_identical(frame$n, cells)
  }
})

test_that("a column is read as numbers or days only where no cell changes by it", {
  path <- withr::local_tempfile(fileext = ".csv")
  read_cells <- function(...) {
    cells <- c(...)
    odd <- grepl(",", cells)
    cells[odd] <- paste0("\"", cells[odd], "\"")
    writeLines(c("cell,n", paste0(cells, ",1")), path)
    suppressMessages(read_frame(path))$cell
  }
  as_text <- list(
    c("1,5", "2,75"), "1.234,56", c("+9007199254740993", "1"),
    "9,007,199,254,740,993", c("2024-01-31", "2024-02-30"), "2023-02-29",
    c("007", "8"), c("12E4", "100"), c("1e5", "2"), "F", c("T", "F"), "9007199254740993.5",
    "0x1A", "5.", "1 000", c("2031-05-01", "2031-05-01 10:00"),
    "123456789012345678901", "1e", "-", ".", c("10:30", "11:00")
  )
  for (cells in as_text) expect_identical(read_cells(cells), cells)
  expect_identical(read_cells("2024-01-31", "2024-02-29"),
    as.Date(c("2024-01-31", "2024-02-29"))
  )
  expect_identical(read_cells("1.50", "-2", "3e-7", ".5", "1e+05", "1.5e3"),
    c(1.5, -2, 3e-7, 0.5, 1e5, 1500)
  )
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
  refused(c(id = "integer"), "\"4294967298\" in line 2 .row 1., which is not an integer")
  refused(c(amount = "integer"), "\"1.5\" in line 2 .row 1., which is not an integer")
  refused(c(id = "number"), "in line 3 .row 2., which a number would round: read it as text")
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
  # no number of R is one of these
  for (number in c("12345678901234567890", "-18446744073709551617", "1e400", "-2.5E+999")) {
    writeLines(sprintf('{"n": %s, "m": 1}', c(number, "null", "7")), path)
    expect_identical(read_frame(path), data.frame(n = c(number, NA, "7"), m = 1L))
  }
  writeLines(sprintf('{"n": %s}', c("1e300", "100000000000000000000", "0.5")), path)
  expect_identical(read_frame(path)$n, c(1e300, 1e20, 0.5))
  # nor has a text the character 0
  writeLines('{"n": "a\\\\u0000b"}', path)
  expect_identical(read_frame(path)$n, "a\\u0000b")
  writeLines(c('{"n": "x"}', '{"n": "a\\u0000b"}'), path)
  expect_error(read_frame(path), "row 2 has a text with the character 0",
    class = "ronda_error_file"
  )
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
  latin <- stats::setNames(frame, iconv(c("caf\u00e9", "n"), "UTF-8", "latin1"))
  latin[[1L]] <- iconv(latin[[1L]], "UTF-8", "latin1")
  withr::local_locale(LC_CTYPE = "C")
  for (cells in c(0, 1e5)) {
    withr::local_options(ronda.few_cells = cells)
    for (extension in c("csv", "tsv", "jsonl", "parquet", "rds")) {
      path <- file.path(folder, paste0("frame.", extension))
      write_frame(frame, path)
      expect_identical(read_frame(path), frame, label = extension)
    }
    # (texts of another encoding are written in UTF-8)
    path <- file.path(folder, "latin.csv")
    write_frame(latin, path)
    expect_identical(read_frame(path), stats::setNames(frame, enc2utf8(names(latin))))
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
    "column `code` has \" A \" in line 2 .row 1.",
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
    "\"31.02.2031\" in line 2 .row 1., which is not a date", class = "ronda_error_file"
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

# the bytes of these lines, compressed
packed <- function(lines) {
  file <- withr::local_tempfile()
  con <- gzfile(file, "wb")
  writeLines(lines, con)
  close(con)
  readBin(file, raw(), file.size(file))
}

test_that("compressed files are read whole, of one part or several, or refused", {
  folder <- withr::local_tempdir()
  rows <- data.frame(a = sprintf("%x", 1:40 * 7919L), n = 1:40 %% 7L)
  lines <- list(
    csv.gz = c("a,n", paste0("x", rows$a, ",", rows$n)),
    tsv.gz = c("a\tn", paste0("x", rows$a, "\t", rows$n)),
    jsonl.gz = sprintf("{\"a\":\"x%s\",\"n\":%d}", rows$a, rows$n)
  )
  rows$a <- paste0("x", rows$a)
  for (ending in names(lines)) {
    several <- list(packed(utils::head(lines[[ending]], -15L)),
      packed(utils::tail(lines[[ending]], 15L)), packed(character())
    )
    path <- file.path(folder, paste0("rows.", ending))
    for (parts in list(list(packed(lines[[ending]])), several[1:2], several)) {
      bytes <- unlist(parts)
      n <- length(bytes)
      writeBin(bytes, path)
      expect_identical(read_frame(path), rows)
      # where a part ends, a file may end
      ends <- utils::head(cumsum(lengths(parts)), -1L)
      for (cut in c(ends, 3, 9, 12, n - c(1, 4, 8:10), sample(13:(n - 11L), 4L))) {
        writeBin(bytes[seq_len(cut)], path)
        read <- tryCatch(read_frame(path), error = identity)
        if (cut %in% ends) {
          expect_identical(read, rows[seq_len(nrow(read)), ])
        } else {
          expect_match(conditionMessage(read), "compressed data is (missing|damaged)")
          expect_s3_class(read, "ronda_error_file")
        }
        if (ending != "jsonl.gz") {
          read <- tryCatch(head(frame_files(path), 50L), error = identity)
          expect_identical(inherits(read, "ronda_error_file"), !cut %in% ends)
        }
      }
      # (one byte that is another)
      for (at in seq.int(20L, n - 8L, by = 59L)) {
        changed <- bytes
        changed[at] <- xor(changed[at], as.raw(4L))
        writeBin(changed, path)
        read <- tryCatch(read_frame(path), error = identity)
        expect_true(inherits(read, "ronda_error_file") || identical(read, rows))
      }
    }
  }
  # (one that is more than its first bytes)
  path <- file.path(folder, "long.csv.gz")
  bytes <- packed(c("a,n", sprintf("%x,%d", 1:9000 * 7919L, 1:9000)))
  writeBin(bytes[seq_len(length(bytes) - 20L)], path)
  expect_error(head(frame_files(path), 3L), "compressed data is missing",
    class = "ronda_error_file"
  )
})

test_that("what another program compressed is refused, and text that begins like it is not", {
  folder <- withr::local_tempdir()
  for (ending in c("csv", "csv.gz", "tsv", "jsonl")) for (way in c("bzip2", "xz")) {
    path <- file.path(folder, paste0("rows.", ending))
    con <- switch(way, bzip2 = bzfile(path, "wb"), xz = xzfile(path, "wb"))
    writeLines(if (ending == "jsonl") "{\"a\":1}" else c("a", 1:20), con)
    close(con)
    said <- sprintf("compressed by %s, and only gzip is read\n.*%s -dc old > new", way, way)
    expect_error(read_frame(path), said, class = "ronda_error_file")
    if (ending != "jsonl") expect_error(frame_files(path), said, class = "ronda_error_file")
  }
  csv <- file.path(folder, "named.csv")
  writeBin(packed(c("a", 1)), csv)
  expect_error(frame_files(csv), "compressed by gzip.*\n.*name in .gz", class = "ronda_error_file")
  for (name in c("PAR1", "PK", "BZ", "xz")) {
    writeLines(c(paste0(name, ",n"), "1,2"), csv)
    expect_identical(names(read_frame(csv)), c(name, "n"))
    expect_identical(names(head(frame_files(csv), 1L)), c(name, "n"))
  }
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

test_that("texts of `missing` are missing, and codes among which NA is one are pointed out", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("cc,n", "NA,1", "DE,-", "NO,3", ",4"), file)
  for (types in list(NULL, c(cc = "text"))) {
    said <- testthat::capture_messages(found <- read_frame(file, types))
    expect_match(said, "`cc` of .* two-letter codes.*missing = \"\"", all = FALSE)
    expect_identical(found$cc, c(NA, "DE", "NO", NA))
  }
  expect_message(found <- read_frame(file, missing = "-"), NA)
  expect_identical(found$cc, c("NA", "DE", "NO", NA))
  expect_identical(found$n, c(1L, NA, 3L, 4L))
  run <- run_cli("join", file, file, "--on", "cc", "--missing", "-", "--take", "")
  expect_match(run$out[2L], "NA")
  skip_without_files()
  joined <- join_files(frame_files(file, missing = "-"), frame_files(file, missing = "-"),
    on = "cc", rows = "inner", out = withr::local_tempfile()
  )
  expect_identical(sort(read_frame(joined$out)$cc), c("DE", "NA", "NO"))
})

test_that("a separator in the names alone is none", {
  file <- withr::local_tempfile(fileext = ".csv")
  for (values in list(c("1", "2", "3.5"), letters[1:5])) {
    writeLines(c("km; total", values), file)
    expect_identical(names(read_frame(file)), "km; total")
    expect_identical(nrow(read_frame(file)), length(values))
  }
})

test_that("lines of `skip` are left out, wherever they stand and however lines end", {
  set.seed(77)
  file <- withr::local_tempfile(fileext = ".csv")
  for (turn in 1:24) {
    rows <- c("vessel,km", sprintf("%s,%d", sample(LETTERS, 4L), sample(9L, 4L)))
    above <- sample(0:3, 1L)
    # every second one has such a line at its end, half of these with a blank one below
    within <- sort(union(sample(0:4, sample(0:2, 1L)), if (turn %% 4 < 2) 4L))
    lines <- c(rep("made by hand; \"", above), rows)
    for (at in rev(within)) lines <- append(lines, "--- km of a day", above + 1L + at)
    for (at in sample(above:length(lines), sample(0:2, 1L))) lines <- append(lines, "", at)
    if (turn %% 4 == 1) lines <- c(lines, "")
    skip <- which(!lines %in% c(rows, ""))
    ends <- sample(c("\n", "\r\n", "\r"), 1L)
    text <- paste0(paste(lines, collapse = ends), if (turn %% 2) ends)
    # the last line that is not blank also counted from the end
    if (turn %% 3) skip[skip == max(which(nzchar(lines)))] <- -1
    writeBin(charToRaw(text), file)
    expected <- utils::read.csv(text = rows)
    skip <- if (length(skip)) skip[sample.int(length(skip))]
    expect_equal(suppressMessages(read_frame(file, skip = skip)), expected,
      label = paste(encodeString(text), paste(skip, collapse = " "))
    )
    expect_error(read_frame(file, skip = 99), "names line 99, and it has [1-9][0-9]* lines")
    if (length(within)) next
    skip_without_files()
    files <- frame_files(file, skip = skip)
    joined <- suppressMessages(join_files(files, expected, on = c("vessel", "km"),
      expect = "one-to-one", rows = "inner", out = withr::local_tempfile()
    ))
    expect_setequal(read_frame(joined$out)$vessel, expected$vessel)
  }
  writeLines(c("a,b", "1,2"), file)
  expect_error(frame_files(file, skip = 2), "Write, for example: skip = 1:3")
  for (none in list(0, 1.5, c(1, NA), "2", TRUE)) {
    expect_error(read_frame(file, skip = none), "must be the numbers of lines",
      class = "ronda_error_argument"
    )
  }
})
