# Every option, given words that it can't take, and every command, given files
# that are none: each must end with its exit code and one clear message, at
# once, and leave no file behind.

test_that("wrong words of every option and command are told", {
  in_demo_folder()
  writeLines(c("port,port", "a,b"), "twice.csv")
  writeLines(c("port,n", "a"), "ragged.csv")
  writeLines("x", "letter.doc")
  file.create("empty.csv")
  odd_words <- c("no such", "", ",", "a=b=c", "-1", "1e999", "NA", "\u00e4", "x..y",
    strrep("x", 2000)
  )
  odd_files <- c("nothing.csv", "twice.csv", "ragged.csv", "letter.doc",
    "empty.csv", ".", "", "ports", "http://ports.csv"
  )
  two <- c("ports.csv", "closures.csv", "--on", "port")
  base <- list(
    join = c(two, "--quiet"), many = c(two, "--quiet"), keys = "ports.csv",
    split = c(two, "--quiet", "--out", withr::local_tempdir()), pair = two,
    plot = c(two, "--out", "x.png"), report = c(two, "--out", "x.html")
  )
  pinned <- surprises <- character()
  wrong <- 0L
  try_words <- function(command, given, odd) {
    # (of the processor: the machine may have other work)
    seconds <- sum(system.time(run <- run_cli(command, given), gcFirst = FALSE)[1:2])
    bad <- !run$code %in% 0:3 || seconds >= 3 || any(grepl(base_messages, run$err)) ||
      (run$code && (!length(run$err) || length(run$out)))
    if (bad) surprises <<- c(surprises, paste(c(command, odd, run$err), collapse = " "))
    wrong <<- wrong + (run$code > 0)
    # (files and the first word of each option, as a page to read)
    if (length(odd) == 1L || identical(odd[2L], odd_words[1L])) {
      pinned <<- c(pinned, sprintf("%s %s -> %d %s", command,
        paste(encodeString(odd, quote = "\""), collapse = " "), run$code,
        substr(c(run$err, "")[1L], 1L, 200L)
      ))
    }
  }
  before <- list.files(all.files = TRUE)
  tried <- character()  # an option means the same in all commands but `many`
  for (command in names(base)) {
    for (option in ronda:::commands[[command]]$options()) {
      if (is.null(option$value) || option$name %in% c("out", "ledger", "title", "note", tried)) next
      rest <- base[[command]]
      if (option$name == "on") rest <- setdiff(rest, c("--on", "port"))
      for (word in odd_words) {
        odd <- c(paste0("--", option$name), word)
        try_words(command, c(rest, odd), odd)
      }
      if (command == "join") tried <- c(tried, option$name)
    }
    if (command %in% c("join", "many", "plot", "report")) {
      for (out in c("", "x", "x.doc", "no/folder/x.csv", ".")) {
        rest <- setdiff(base[[command]], c("--out", "x.png", "x.html"))
        try_words(command, c(rest, "--out", out), c("--out", out))
      }
    }
    for (file in odd_files) {
      try_words(command, replace(base[[command]], 1L, file), file)
    }
  }
  expect_identical(surprises, character())
  expect_gt(wrong, 300L)
  # (a name that is there twice is no fault: figure and report were made)
  expect_setequal(setdiff(list.files(all.files = TRUE), before), c("x.png", "x.html"))
  expect_lines(pinned)
})

test_that("words that are right alone and wrong together are told", {
  in_demo_folder()
  dir.create("a.csv")
  dir.create("twin")
  file.copy("ports.csv", "twin/ports.csv")
  writeLines("taken", "file")
  calls <- list(
    c("keys", "sailings.csv", "vessels.csv", "--on", "vessel"),
    c("keys", "ports.csv"),
    c("keys", "ports.csv", "--on", "prot"),
    c("many", "ports.csv", "closures.csv", "twin/ports.csv", "--on", "port"),
    c("many", "ports.csv", "closures.csv"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--types", "vesel=text"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--types", "qqq=text"),
    c("join", "a.csv", "vessels.csv", "--on", "port"),
    c("join", "ports.csv", "closures.csv", "--on"),
    c("join", "ports.csv", "closures.csv", "--on", "port", "--repeats", "lowest:berth"),
    c("split", "ports.csv", "closures.csv", "--on", "port", "--out", "file"),
    c("split", "ports.csv", "closures.csv", "--on", "port", "--out", "no/such/folder"),
    c("demo", "--out", "file"),
    c("join", "ports.csv", "closures.csv", "--on", "port", "--out", "ports.csv/x.csv"),
    c("join", "ports.csv"), c("join", "a", "b", "c"), "jion"
  )
  before <- list.files(all.files = TRUE, recursive = TRUE)
  told <- lapply(calls, function(words) {
    run <- run_cli(words)
    expect_gt(run$code, 0L, label = paste(words, collapse = " "))
    expect_identical(run$out, character())
    c(paste(c("> ronda", words), collapse = " "), paste("exit", run$code), run$err, "")
  })
  expect_lines(unlist(told))
  expect_identical(list.files(all.files = TRUE, recursive = TRUE), before)
  # and what looks wrong but is not
  lowest <- run_cli("join", "ports.csv", "closures.csv", "--on", "port",
    "--repeats", "lowest:closed_from", "--quiet"
  )
  highest <- run_cli("join", "ports.csv", "closures.csv", "--on", "port",
    "--repeats", "highest:closed_from", "--quiet"
  )
  expect_identical(c(lowest$code, highest$code), c(0L, 0L))
  expect_length(lowest$out, length(highest$out))
  twins <- run_cli("join", "ports.csv", "twin/ports.csv", "--on", "port",
    "--origin", "from_file", "--rows", "full", "--quiet"
  )
  expect_identical(twins$code, 0L)
})
