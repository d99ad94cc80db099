# Files as they come from spreadsheets, banks, sensors and a statistics office, made-up values
# only. Each is given to a command as it is: it is read right at first attempt, or the command
# says an option, and with that option typed it is read right.

# text as the bytes of a file
in_bytes <- function(lines, encoding = "UTF-8", mark = raw(), end = "\n") {
  text <- enc2utf8(paste0(paste(lines, collapse = end), end))
  c(mark, iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1L]])
}

ports_read <- data.frame(
  port = c("Ambrel", "S\u00f8rvik", "Osmere"), berths = c(4L, 12L, 1L),
  km = c(0.5, 12.25, 103)
)

as_lines <- function(sep = ",", quote = "", decimal = ".", frame = ports_read) {
  names <- names(frame)
  cells <- lapply(frame, function(x) {
    text <- sub(".", decimal, as.character(x), fixed = TRUE)
    paste0(quote, text, quote)
  })
  c(paste0(quote, names, quote, collapse = sep), do.call(paste, c(unname(cells), sep = sep)))
}

days <- data.frame(port = c("Ambrel", "Osmere"), d = as.Date(c("2031-04-03", "2031-06-05")))
euro <- as_lines(sep = ";", decimal = ",")
plain <- as_lines()

# `lines` or `bytes`; `wanted`: what is read; `options`: how many options had to be said
odd_file <- function(lines = NULL, wanted = ports_read, options = 0L, name = "odd.csv",
                     bytes = in_bytes(lines)) {
  list(bytes = bytes, wanted = wanted, options = options, name = name)
}

odd_files <- list(
  "a spreadsheet in England" = odd_file(bytes = in_bytes(plain, mark = as.raw(c(239, 187, 191)),
    end = "\r\n"
  )),
  "a spreadsheet in Germany, UTF-8" = odd_file(euro),
  "a spreadsheet in Germany, its own code page" = odd_file(options = 1L,
    bytes = in_bytes(euro, "windows-1252", end = "\r\n")
  ),
  "a spreadsheet in France, a separator line" = odd_file(c("sep=;", euro)),
  "a spreadsheet, as Unicode text" = odd_file(name = "odd.txt", bytes = in_bytes(
    as_lines(sep = "\t"), "UTF-16LE", as.raw(c(255, 254)), "\r\n"
  )),
  "UTF-16 of the other order" = odd_file(bytes = in_bytes(plain, "UTF-16BE",
    as.raw(c(254, 255))
  )),
  "UTF-16 without its mark" = odd_file(options = 1L, bytes = in_bytes(plain, "UTF-16LE")),
  "tabs in a .csv" = odd_file(as_lines(sep = "\t")),
  "a sensor, bars" = odd_file(as_lines(sep = "|")),
  "commas in a .tsv" = odd_file(plain, name = "odd.tsv"),
  "quoted everything" = odd_file(as_lines(quote = "\"")),
  "other quotes" = odd_file(c("port,berths,km,note", "Ambrel,4,0.5,'a, b'",
    "S\u00f8rvik,12,12.25,'it''s'", "Osmere,1,103,c"
  ), cbind(ports_read, note = c("a, b", "it's", "c")), 1L),
  "inches" = odd_file(c("port,berths,km,note", "Ambrel,4,0.5,\"5", "S\u00f8rvik,12,12.25,b",
    "Osmere,1,103,c"
  ), cbind(ports_read, note = c("\"5", "b", "c")), 1L),
  "trailing separators" = odd_file(paste0(euro, ";")),
  "trailing separators below the names" = odd_file(c(plain[1L], paste0(plain[-1L], ","))),
  "comments at the top" = odd_file(c("# ports of the line", "# made 2031-05-01", "", plain),
    options = 1L
  ),
  "a bank: a preamble of its own columns" = odd_file(c("Account;12345", "Period;2031", "", euro),
    options = 1L
  ),
  "a bank: decimal commas below a preamble" = odd_file(c("Export;2031", "", euro), options = 1L),
  "totals at the bottom" = odd_file(c("port,day", "Ambrel,2031-04-03", "Osmere,2031-06-05",
    "Total,2 days"
  ), stats::setNames(days, c("port", "day")), 1L),
  "a short line of totals" = odd_file(c(plain, "3 ports"), options = 1L),
  "units below the names" = odd_file(c(plain[1L], ",number,km", rep(plain[-1L], 4)),
    ports_read[rep(1:3, 4), ], 1L
  ),
  "names again in the middle" = odd_file(c(plain[1:2], plain[1L], plain[3:4]), options = 1L),
  "a statistics office: a name twice" = odd_file(c("port,berths,km,km", paste0(plain[-1L], ",1")),
    cbind(ports_read, km_2 = 1L)
  ),
  "a column without a name" = odd_file(paste0(c("", 1:3), ",", plain),
    cbind(column_1 = 1:3, ports_read)
  ),
  "thousands" = odd_file(c("port;amount", "Ambrel;1.234,50", "Osmere;12,00"),
    data.frame(port = c("Ambrel", "Osmere"), amount = c(1234.5, 12)), 1L
  ),
  "decimal commas between tabs" = odd_file(as_lines(sep = "\t", decimal = ","),
    options = 1L
  ),
  "days as in England" = odd_file(c("port,d", "Ambrel,03/04/2031", "Osmere,05/06/2031"), days, 1L),
  "days as in Germany" = odd_file(c("port;d", "Ambrel;03.04.2031", "Osmere;05.06.2031"), days, 1L),
  "times of a sensor" = odd_file(c("port,at", "Ambrel,13/04/2031 10:05", "Osmere,05/06/2031 9:00"),
    data.frame(port = c("Ambrel", "Osmere"),
      at = as.POSIXct(c("2031-04-13 10:05", "2031-06-05 09:00"), tz = "UTC")
    ), 1L
  ),
  "compressed" = odd_file(bytes = memCompress(in_bytes(plain), "gzip"), name = "odd.csv.gz"),
  "names alone" = odd_file(plain[1L], data.frame(port = NA, berths = NA, km = NA)[0L, ])
)
# (memCompress() writes no header of gzip)
odd_files$compressed$bytes <- local({
  file <- tempfile()
  con <- gzfile(file, "wb")
  writeBin(in_bytes(plain), con)
  close(con)
  readBin(file, raw(), 1e4)
})

# the options that lines of a message say
options_said <- function(lines) {
  option <- "--(skip|delimiter|quote|encoding|types|decimal) ('[^']*'|[^ ]+)"
  found <- unlist(regmatches(lines, gregexpr(option, lines)))
  found
}

# Every other command with the same options: it reads the file, too, and join-files the same
# values from it; or it says why not (only UTF-8 is read in pieces, no lines left out among
# the rows, and decimal commas behind marks between thousands must be said).
other_commands_read <- function(one, words) {
  two <- c(one$name, "islands.csv")
  on <- c("--on", "port", words)
  commands <- list(
    c("pair", two, on), c("diagnose", two, words), c("near-misses", two, on),
    c("split", two, on, "--out", "parts"), c("keys", one$name, "--on", "port",
      sub("left[.=]", "", words)
    ), c("many", two, "--on", "port", sub("left([.=])", "odd\\1", words)),
    if (nrow(one$wanted)) c("explain", two, on, "--left", "1"),
    c("compare", one$name, one$name, "--on", "port", "--repeats", "first", words,
      sub("left([.=])", "right\\1", words)
    )
  )
  for (command in Filter(length, commands)) {
    run <- run_cli(command)
    expect_identical(run$code, 0L, label = paste(c(command, run$err), collapse = " | "))
  }
  skip_if_not_installed("nanoparquet")
  run <- run_cli("join-files", two, on, "--take=", "--out", "joined", "--row-order", "left",
    "--expect", "may-be-empty"
  )
  if (run$code == 0L) {
    joined <- read_frame("joined")
    expect_equal(joined, `rownames<-`(one$wanted, NULL),
      label = paste(c(one$name, words, run$err), collapse = " | ")
    )
  } else {
    expect_match(paste(run$err, collapse = " "),
      "only UTF-8 is read in pieces|can only be lines above the names|has a decimal comma: --dec"
    )
  }
  unlink(c("joined", "parts"), recursive = TRUE)
}

test_that("files of strangers are read right, or the option that cures it is said", {
  withr::local_dir(withr::local_tempdir())
  write_frame(data.frame(port = c("Ambrel", "Osmere"), island = c("A", "O")), "islands.csv")
  for (what in names(odd_files)) {
    one <- odd_files[[what]]
    writeBin(one$bytes, one$name)
    join <- function(...) {
      run_cli("join", one$name, "islands.csv", "--on", "port", "--take=", ...,
        "--out", "joined.rds", "--expect", "may-be-empty"
      )
    }
    wanted <- one$wanted
    rownames(wanted) <- NULL
    is_right <- function(run) {
      run$code == 0L && isTRUE(all.equal(read_frame("joined.rds"), wanted))
    }
    run <- join()
    words <- character()
    if (one$options > 0L) {
      expect_false(is_right(run), label = what)
      # one of the options that are said cures it
      said <- options_said(run$err)
      expect_gt(length(said), 0L, label = paste(what, paste(run$err, collapse = "\n")))
      cured <- FALSE
      for (option in said) {
        words <- scan(text = option, what = "", quiet = TRUE)
        run <- join(words)
        cured <- is_right(run)
        if (cured) break
      }
      expect_true(cured, label = paste(c(what, said, run$err), collapse = " | "))
    } else {
      expect_true(is_right(run), label = paste(c(what, run$err), collapse = " | "))
    }
    other_commands_read(one, words)
    unlink(c(one$name, "joined.rds"))
  }
})

test_that("a key column without values is no error, whatever the rule and the side", {
  withr::local_dir(withr::local_tempdir())
  writeLines("k,from,to,v", "none.csv")
  writeLines(c("k,from,to,v", "1,2,3,a", "2,3,4,b"), "some.csv")
  writeLines(c("k,from,to,v", "x,2031-05-01,2031-05-02,a"), "other.csv")
  rules <- list(
    c("--on", "k"), c("--nearest", "from=to"), c("--around", "from=to"),
    c("--inside", "from=from..to"), c("--covers", "from..to=from"),
    c("--overlap", "from..to=from..to"), c("--relate", "from<to"), c("--in-turn", "k",
      "--in-turn", "v"
    )
  )
  for (rule in rules) {
    for (other in c("some.csv", "other.csv", "none.csv")) {
      for (files in list(c("none.csv", other), c(other, "none.csv"))) {
        run <- run_cli("join", files, rule, "--rows", "full", "--expect", "may-be-empty")
        rows <- sum(vapply(files, function(file) length(readLines(file)) - 1L, 0L))
        expect_identical(run$code, 0L, label = paste(c(rule, files, run$err), collapse = " "))
        expect_length(run$out, rows + 1L)
      }
    }
  }
})

test_that("how a file is read can be said for one file alone", {
  withr::local_dir(withr::local_tempdir())
  # one thing after the other: what was said is said again
  writeLines(c("by hand", "a,n", "1,2", "x,km", "2,3", "2 rows"), "left.csv")
  writeLines("a\n1\n2", "right.csv")
  words <- character()
  for (try in 1:4) {
    run <- run_cli("join", "left.csv", "right.csv", "--on", "a", words)
    said <- grep("--skip", run$err, value = TRUE)
    if (!length(said)) break
    words <- c("--skip", sub(".*--skip ", "", said[length(said)]))
  }
  expect_identical(words, c("--skip", "left=1,6"))
  writeLines(c("a;n", "1;2,5"), "left.csv")
  writeLines(c("a|d", "1|03/04/2031"), "right.csv")
  run <- run_cli("join", "left.csv", "right.csv", "--on", "a", "--delimiter", "left=;",
    "--delimiter", "right=|", "--decimal", "left=,", "--types", "right.d=date:%d/%m/%Y"
  )
  expect_identical(run$out, c("a,n,d", "1,2.5,2031-04-03"))
  expect_length(run$err, 1L)
  # corrections have options of their own
  writeLines(c("from|to", "9|1"), "fixes.csv")
  writeLines(c("a;n", "9;2"), "left.csv")
  run <- run_cli("join", "left.csv", "right.csv", "--on", "a", "--quiet", "--delimiter", "left=;",
    "--delimiter", "corrections=|", "--corrections", "fixes.csv", "--rows", "inner"
  )
  expect_identical(run$out, c("a,n,d", "9,2,03/04/2031"))
  writeLines(c("a;n", "1;2,5"), "left.csv")
  # by the name of the file, in many; and what is wrong
  expect_identical(run_cli("many", "left.csv", "right.csv", "--on", "a", "--quiet",
    "--types", "right.d=text,left.n=text"
  )$out, c("a,n,d", "1,\"2,5\",03/04/2031"))
  wrong <- list(
    c("--types", "right.x=text"), c("--types", "x=text"), c("--delimiter", ";", "--delimiter", "|"),
    c("--skip", "left=0"), c("--skip", "1-x"), c("--encoding", "left=nowhere")
  )
  for (words in wrong) {
    run <- run_cli("join", "left.csv", "right.csv", "--on", "a", words)
    expect_identical(run$code, 2L, label = paste(words, collapse = " "))
  }
})

test_that("what a file is says more than its name", {
  skip_if_not_installed("nanoparquet")
  withr::local_dir(withr::local_tempdir())
  write_frame(ports_read, "true.parquet")
  file.copy("true.parquet", "odd.csv")
  run <- run_cli("join", "odd.csv", "true.parquet", "--on", "port", "--take=")
  expect_identical(run$code, 0L)
  expect_match(run$err, "'odd.csv' is a parquet file", all = FALSE)
  saveRDS(ports_read, "rds.csv")
  writeBin(as.raw(c(0x50, 0x4b, 3, 4, 20, 0)), "sheet.csv")
  writeLines("a,b", "text.parquet")
  for (file in c("rds.csv", "sheet.csv", "text.parquet")) {
    run <- run_cli("join", file, "true.parquet", "--on", "port")
    expect_identical(run$code, 1L)
    expect_match(run$err[1L], "it is (an rds file|a spreadsheet|not a parquet file)")
  }
  # compressed, in a name that doesn't say so
  con <- gzfile("packed.csv", "wb")
  writeBin(in_bytes(plain), con)
  close(con)
  expect_message(expect_identical(read_frame("packed.csv"), ports_read), "is compressed")
})

test_that("names of any kind stand in backticks, in every option", {
  withr::local_dir(withr::local_tempdir())
  odd <- c("a,b", "x=y", "t:z", "two words", "f..t", "b`t")
  left <- as_frame(stats::setNames(list(1:3, c(2L, 3L, 9L), 3:1, 4:6, 7:9, 1:3), odd), 3L)
  right <- as_frame(stats::setNames(list(3:1, 1:3, 1:3, 6:4, 9:7, 3:1), odd), 3L)
  write_frame(left, "left.csv")
  write_frame(right, "right.csv")
  ticked <- paste0("`", gsub("`", "``", odd, fixed = TRUE), "`")
  join <- function(...) {
    run <- run_cli("join", "left.csv", "right.csv", ..., "--out", "out.rds", "--quiet")
    expect_identical(run$code, 0L, label = paste(c(run$err, ...), collapse = " "))
    read_frame("out.rds")
  }
  for (k in seq_along(odd)) {
    expect_identical(join("--on", ticked[k]), join_frames(left, right, on = odd[k]))
    by_rule <- join_frames(left, right, on = nearest(odd[2L], odd[k], gap = "g,:"),
      take = structure("x=y", names = "n,w"), origin = "o=r"
    )
    expect_identical(join("--nearest", paste0(ticked[2L], "=", ticked[k]), "--gap", "`g,:`",
      "--take", "`n,w`=`x=y`", "--origin", "`o=r`"
    ), by_rule)
  }
  expect_identical(
    join("--on", "`a,b`=`t:z`,`two words`", "--collisions", "`x=y`=fill",
      "--omit", "`f..t`,`b``t`"
    ),
    join_frames(left, right, on = c(`a,b` = "t:z", "two words"), omit = c("f..t", "b`t"),
      collisions = list("x=y" = "fill")
    )
  )
  expect_identical(
    join("--inside", "`t:z`=`f..t`..`two words`", "--repeats", "lowest:`a,b`", "--rows", "full",
      "--if-absent", "`right.x=y`=7"
    ),
    join_frames(left, right, on = inside("t:z", "f..t", "two words"), repeats = lowest("a,b"),
      rows = "full", if_absent = list("right.x=y" = 7)
    )
  )
  expect_identical(
    join("--relate", "`t:z`<=`x=y`", "--types", "`a,b`=text", "--fold", "`n,1`=sum(`x=y`)"),
    {
      left$`a,b` <- as.character(left$`a,b`)
      join_frames(left, right, on = relate("t:z", "<=", "x=y"),
        fold = list(`n,1` = ~ sum(right$`x=y`))
      )
    }
  )
  # and what is advised is said so
  run <- run_cli("keys", "left.csv", "right.csv")
  line <- sub("^1[.] ", "", run$out[1L])
  words <- system2("bash", c("-c", shQuote(paste("printf '%s\\n'", line))), stdout = TRUE)
  expect_identical(run_cli("pair", "left.csv", "right.csv", words)$code, 0L)
})

test_that("a tab is written as such, by name or by its sign", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("port\tnote", "Ambrel\ta,b"), "left.csv")
  write_frame(data.frame(port = "Ambrel", berths = 4L), "right.csv")
  for (tab in c("tab", "\\t", "\t")) {
    run <- run_cli("join", "left.csv", "right.csv", "--on", "port", "--delimiter",
      paste0("left=", tab), "--quiet"
    )
    expect_identical(run$out, c("port,note,berths", "Ambrel,\"a,b\",4"), label = tab)
  }
})
