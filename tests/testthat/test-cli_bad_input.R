# Every option, given words that it can't take, and every command, given files
# that are none: each must end with its exit code and one clear message, at
# once, and leave no file behind.

test_that("wrong words of every option and command are told", {
  in_demo_folder()
  writeLines(c("port,port", "a,b"), "twice.csv")
  writeLines(c("port,n", "a"), "ragged.csv")
  writeLines("x", "letter.doc")
  file.create("empty.csv")
  odd_words <- c("", " ", ",", "=", "a=b=c", "no such", "-1", "1e999", "NA",
    "\u00e4", "x..y", "left=right", strrep("x", 2000)
  )
  odd_files <- c("nothing.csv", "twice.csv", "ragged.csv", "letter.doc",
    "empty.csv", ".", "", "ports", "http://ports.csv"
  )
  two <- c("ports.csv", "closures.csv", "--on", "port")
  base <- list(
    join = c(two, "--quiet"), many = c(two, "--quiet"), keys = "ports.csv",
    split = c(two, "--quiet"), pair = two,
    plot = c(two, "--out", "x.png"), report = c(two, "--out", "x.html")
  )
  pinned <- character()
  wrong <- 0L
  try_words <- function(command, given, odd) {
    seconds <- system.time(run <- run_cli(command, given))[["elapsed"]]
    label <- paste(c(command, odd), collapse = " ")
    expect_true(run$code %in% 0:3, label = label)
    expect_no_match(paste(run$err, collapse = " "), base_messages, label = label)
    expect_lt(seconds, 3, label = label)
    if (run$code) {
      wrong <<- wrong + 1L
      expect_gt(length(run$err), 0L, label = label)
      expect_identical(run$out, character(), label = label)
    }
    pinned <<- c(pinned, sprintf("%s %s -> %d %s", command,
      paste(encodeString(substr(odd, 1, 40), quote = "\""), collapse = " "),
      run$code, substr(c(run$err, "")[1L], 1L, 200L)
    ))
  }
  before <- list.files(all.files = TRUE)
  tried <- character()  # an option means the same in all commands but `many`
  for (command in names(base)) {
    for (option in ronda:::cli_commands()[[command]]$options) {
      if (is.null(option$value) || option$name %in% c("out", tried)) next
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
        try_words(command, c(base[[command]], "--out", out), c("--out", out))
      }
    }
    for (file in odd_files) {
      try_words(command, replace(base[[command]], 1L, file), file)
    }
  }
  expect_gt(wrong, 300L)
  expect_identical(list.files(all.files = TRUE), before)
  expect_lines(pinned)
})
