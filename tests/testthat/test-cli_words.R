# What the command line says to write can be typed, and does what it says.

# a line of options as the shell gives it
shell_words <- function(line) {
  system2("bash", c("-c", shQuote(paste("printf '%s\\n'", line))), stdout = TRUE)
}

# rules as the command line writes them
on_in_options <- function(on) {
  rules <- if (is.list(on)) list_rules(on, NULL) else name_rules(on, NULL)
  in_options(paste(vapply(rules, rule_text, ""), collapse = " "))
}

test_that("rules are told as options that mean the same", {
  in_demo_folder()
  skip_on_os("windows")
  rules <- list(
    list("sailings", "vessels", c(vessel = "code")),
    list("sailings", "vessels", list(c(vessel = "code"), "status")),
    list("sailings", "tide_readings",
      list("port", nearest("departs", "read_at", look = "either", within = "15 mins"))
    ),
    list("sailings", "tide_readings",
      list("port", nearest("departs", "read_at", look = "ahead", equal = FALSE, n = 2, gap = "d"))
    ),
    list("sailings", "tide_readings",
      list("port", around("departs", "read_at", before = "1 hour", after = 600))
    ),
    list("sailings", "tide_readings", list("port", relate("departs", "<=", "read_at"))),
    list("sailings", "fare_bands", inside("km", "from_km", "to_km", open_ended = TRUE)),
    list("crew_shifts", "sailings",
      list("vessel", covers("starts", "ends", "departs", ends = "[]"))
    ),
    list("vessels", "ports", cross()), list("boardings", "card_holders", in_turn("card", "name")),
    list("sailings", "vessels", same("vessel", "code", via = c("trim", "lower")))
  )
  for (one in rules) {
    line <- on_in_options(one[[3L]])
    expect_no_match(line, "[(] | = ")
    files <- paste0(one[1:2], ".csv")
    run <- run_cli("pair", files, shell_words(line), "--json", "--expect", "rows-multiply")
    expect_identical(run$code, 0L, label = line)
    counts <- receipt(pair_rows(read_frame(files[1L]), read_frame(files[2L]), one[[3L]],
      expect = "rows-multiply"
    ))
    told <- jsonlite::fromJSON(run$out)
    expect_equal(told$pairs, counts$pairs, label = line)
    expect_equal(told$matched_left, counts$matched_left, label = line)
  }
})

test_that("arguments and their values are told in R, or as options", {
  settings <- function() {
    c(
      setting("expect", "rows-multiply"), setting("max_rows", 5e5),
      setting("where", ~ left$length <= right$max_length),
      setting("fold", list(rows = ~ nrow(right), km = ~ sum(right$km))),
      setting("collisions", list(`max status` = "rename")), setting("ends", "[]"),
      setting("open_ended", TRUE), setting("sides", c("left", "right")), setting("on", "port"),
      said("`on` has %s beside nearest(), `take` none: join_many()", "`rows`"),
      argument_said(c("row_order", "port"))
    )
  }
  expect_identical(settings(), c(
    "expect = \"rows-multiply\"", "max_rows = 500000",
    "where = ~ left$length <= right$max_length",
    "fold = list(rows = ~ nrow(right), km = ~ sum(right$km))",
    "collisions = list(`max status` = \"rename\")", "ends = \"[]\"", "open_ended = TRUE",
    "sides = c(\"left\", \"right\")", "on = \"port\"",
    "`on` has `rows` beside nearest(), `take` none: join_many()", "`row_order`", "`port`"
  ))
  # (a name in backticks that comes with the data stays a name)
  expect_identical(in_options(settings()), c(
    "--expect rows-multiply", "--max-rows 500000", "--where 'left.length <= right.max_length'",
    "--fold 'rows=nrow(),km=sum(km)'", "--collisions 'max status=rename'", "--ends '[]'",
    "--open-ended", "--sides left,right", "--on port",
    "--on has `rows` beside --nearest, --take none: ronda many", "--row-order", "`port`"
  ))
  # what stands for an argument is an option of some command
  known <- unlist(lapply(commands, function(command) {
    vapply(command$options(), `[[`, "", "name")
  }))
  expect_identical(setdiff(sub("^--", "", argument_options), known), character())
  expect_false(speaks_options())
})

test_that("help pages and options name every word that an argument takes", {
  pages <- testthat::test_path("..", "..", "man")
  skip_if_not(dir.exists(pages))
  page_of <- c(look = "rules", ties = "rules", ends = "rules", many_rows = "join_many")
  words <- c(argument_words, list(
    rows = names(row_types), collisions = names(collision_kinds), expect = expected_words
  ))
  for (name in names(words)) {
    page <- if (name %in% names(page_of)) page_of[[name]] else "join_frames"
    text <- paste(readLines(file.path(pages, paste0(page, ".Rd"))), collapse = " ")
    for (word in words[[name]]) expect_match(text, sprintf("\"%s\"", word), fixed = TRUE)
  }
  options <- commands$join$options()
  names(options) <- gsub("-", "_", vapply(options, `[[`, "", "name"))
  for (name in setdiff(names(words), "many_rows")) {
    expect_identical(setdiff(words[[name]], options[[name]]$choices), character(), label = name)
  }
})

test_that("what keys and near misses advise can be typed", {
  in_demo_folder()
  told <- run_cli("keys", "sailings.csv", "vessels.csv")$out
  line <- sub("^1[.] ", "", told[1L])
  expect_identical(line, "--on vessel=code --clean trim,lower")
  run <- run_cli("pair", "sailings.csv", "vessels.csv", strsplit(line, " ")[[1L]])
  expect_match(run$out, "sailings +60 +56", all = FALSE)
  told <- run_cli("near-misses", "sailings.csv", "vessels.csv", "--on", "vessel=code")$out
  all <- sub(".*: ", "", grep("all of these", told, value = TRUE))
  expect_identical(all, "--clean spaces,lower")
  run <- run_cli("pair", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    strsplit(all, " ")[[1L]]
  )
  expect_match(run$out, "sailings +60 +56", all = FALSE)
  # written, read by somebody, given back
  expect_identical(run_cli("near-misses", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--out", "misses.csv"
  )$code, 0L)
  run <- run_cli("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--corrections", "misses.csv", "--out", "joined.csv"
  )
  expect_match(run$err, "60 sailings, 9 vessels .* 60 rows: 56 paired")
  write_frame(data.frame(id = c("A-1", "\u00e9b", "007", "O1"), n = 1:4), "a.csv")
  write_frame(data.frame(id = c("a1", "EB", "7", "0L"), m = 1:4), "b.csv")
  pairs <- function(...) {
    out <- run_cli("pair", "a.csv", "b.csv", "--on", "id", "--json", ...)$out
    jsonlite::fromJSON(out)$pairs
  }
  expect_identical(pairs(), 0L)
  expect_identical(pairs("--clean", "signs,lower"), 1L)
  expect_identical(pairs("--clean", "zeros"), 1L)
  expect_identical(pairs("--clean", "id=look_alike"), 1L)
  skip_if_not_installed("stringi")
  expect_identical(pairs("--clean", "accents", "--clean", "lower,zeros,signs"), 3L)
})

test_that("conditions of --where choose the pairs that R's conditions choose", {
  withr::local_dir(withr::local_tempdir())
  set.seed(7)
  frame <- function() {
    data.frame(
      k = sample(3L, 20L, TRUE), n = sample(c(1:5, NA), 20L, TRUE) / 2,
      "odd name" = sample(c("a", "b'c", NA), 20L, TRUE),
      day = as.Date("2031-05-01") + sample(c(0:3, NA), 20L, TRUE),
      at = as.POSIXct("2031-05-01", tz = "UTC") + 3600 * sample(0:60, 20L, TRUE),
      open = sample(c(TRUE, FALSE), 20L, TRUE), check.names = FALSE
    )
  }
  left <- frame()
  right <- frame()
  write_frame(left, "left.csv")
  write_frame(right, "right.csv")
  # each piece as --where has it, and as R has it
  pieces <- list(
    c("left.n <= right.n", "left$n <= right$n"), c("1.5 < left.n", "1.5 < left$n"),
    c("left.`odd name` = right.`odd name`", "left$`odd name` == right$`odd name`"),
    c("right.`odd name` != 'b''c'", "right$`odd name` != \"b'c\""),
    c("left.`odd name` == \"a\"", "left$`odd name` == \"a\""),
    c("left.day >= 2031-05-02", "left$day >= as.Date(\"2031-05-02\")"),
    c("right.at < 2031-05-02", "right$at < as.POSIXct(\"2031-05-02\", tz = \"UTC\")"),
    c("left.at > 2031-05-01T10:30", "left$at > as.POSIXct(\"2031-05-01 10:30\", tz = \"UTC\")"),
    c("left.open", "left$open"), c("left.open = right.open", "left$open == right$open"),
    c("right.open != TRUE", "right$open != TRUE"), c("left.n!=-1", "left$n != -1")
  )
  grow <- function(depth) {
    if (depth == 0L) {
      return(pieces[[sample(length(pieces), 1L)]])
    }
    one <- grow(sample(0:(depth - 1L), 1L))
    other <- grow(sample(0:(depth - 1L), 1L))
    sign <- sample(c("&", "|"), 1L)
    switch(sample(3L, 1L), paste(one, sign, other), paste0("(", one, sign, other, ")"),
      paste0("!(", one, ") ", sign, " ", other)
    )
  }
  for (round in 1:60) {
    condition <- grow(sample(0:3, 1L))
    run <- run_cli("join", "left.csv", "right.csv", "--on", "k", "--rows", "inner", "--where",
      condition[1L], "--expect", "rows-multiply", "--row-numbers", "l,r", "--out", "out.csv"
    )
    expect_identical(run$code, 0L, label = condition[1L])
    wanted <- join_frames(left, right, on = "k", rows = "inner", expect = "rows-multiply",
      where = eval(parse(text = paste("~", condition[2L]))), row_numbers = c("l", "r")
    )
    found <- read_frame("out.csv")
    expect_equal(unname(as.list(found[c("l", "r")])), unname(as.list(wanted[c("l", "r")])),
      label = condition[1L]
    )
  }
  wrong <- c(
    "left.n < system('touch x')" = "can't be read from \"system", "left.n" = "comparison",
    "left.n <" = "ends where a column", "left.nn < 1" = "column `nn`.*Did you mean `n`",
    "left.n < 'a'" = "can't compare left.n .double. with 'a' .text.",
    "left.`odd name` < 'a'" = "texts by = and != only", "(left.n < 1" = "closing bracket",
    "left.n < 1 left.n" = "has \"left.n\" where & or |",
    "left.day > 2031-02-30" = "not a day or time",
    "left.day = 2031-05-01T10:00" = "can't compare left.day .date. with"
  )
  for (condition in names(wrong)) {
    run <- run_cli("join", "left.csv", "right.csv", "--on", "k", "--where", condition)
    expect_identical(run$code, 2L)
    expect_match(paste(run$err, collapse = "\n"), wrong[[condition]])
  }
  expect_false(file.exists("x"))
})
