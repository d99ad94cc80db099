# The command line says nothing in R code: in no stop, warning or note of the sources that a
# command can reach, and in nothing that commands print.

sources <- testthat::test_path("..", "..", "R")

# calls, assignments, arguments in backticks or with their values
r_code <- paste(sep = "|",
  "\\b[A-Za-z_.]+\\((?!s\\))", "[a-z_]+ = [\"a-z0-9~]", "<-",
  "\\b(left|right|[a-z]{3,})\\$[a-z]", "\\bNULL\\b",
  sprintf("`(%s)`", paste(setdiff(names(argument_options), side_names), collapse = "|"))
)

tellers <- c("stop_ronda", "stop_argument", "stop_file", "stop_unread", "stop_usage",
  "stop_expectation", "warn_ronda", "say_classed", "failure"
)

# what has code for R alone, or values that no text is made of
silent <- c("setting", "reading_setting", "argument_said", "value_said", "write_line",
  "lines_for_unknown", "conversion_lines", "shown", "any_of", "function", "quote", "inherits",
  "==", "!=", "%in%", "$", "[[", "identical", "grepl", "sub", "gsub"
)

# The texts in a call as the command line says them
texts_said <- function(x) {
  if (is.character(x)) {
    return(x)
  }
  if (!is.call(x)) {
    return(NULL)
  }
  name <- if (is.name(x[[1L]])) as.character(x[[1L]]) else ""
  parts <- as.list(x)[-1L]
  if (name %in% silent) {
    return(NULL)
  }
  if (name == "either") {
    return(texts_said(parts[[2L]]))
  }
  if (name %in% c("if", "switch")) parts <- parts[-1L]
  texts <- unlist(lapply(parts, texts_said))
  if (name == "said" && length(texts)) in_options(said(texts)) else texts
}

# The texts of all calls that tell something: a named vector, by the function they are in
told_in <- function(x, home = "") {
  if (!is.call(x)) {
    return(NULL)
  }
  name <- if (is.name(x[[1L]])) as.character(x[[1L]]) else ""
  if (name == "<-" && is.name(x[[2L]])) home <- as.character(x[[2L]])
  own <- if (name %in% tellers) {
    parts <- as.list(x)[-1L]
    parts <- parts[!names(parts) %in% c("call", "data", "class")]
    texts <- unlist(lapply(parts, texts_said))
    if (length(texts)) stats::setNames(texts, rep(home, length(texts)))
  }
  parts <- Filter(function(part) !identical(part, quote(expr = )), as.list(x))
  c(own, unlist(lapply(parts, told_in, home)))
}

# Functions of R's own users: they check what no command gives them.
for_r_alone <- c(
  write_review = "nothing in place of near misses",
  check_review_columns = "a number in place of names of columns",
  check_frame = "a matrix in place of a frame", check_pairing = "something else than a pairing",
  pairing_given = "the same", tell_unquoted = "names of columns without quotes",
  frame_files = "paths that are no text", ronda_cli = "words that are no text",
  side_given = "something else than files",
  join_many_files = "a star of frames in R alone", frames_at_hand = "the same",
  check_star_before_reading = "the same",
  explain_row = "both rows or none, which the command refuses itself",
  check_frames = "a list of something else than frames", corrections = "frames of corrections",
  new_choice = "a formula in place of a column", receipt_json = "something else than a receipt",
  split_frames = "`rows`, which ronda split has not", check_where = "something else than code",
  made_by_function = "a function of `collisions`",
  check_fold_value = "a formula that the command does not take",
  in_turn = "a single key, which the command refuses itself",
  check_ledger_arguments = "arguments of ledger()", check_dots_empty = "arguments without a name",
  need_packages = "(a shell command that has the call of R)"
)

test_that("no stop, warning or note that a command can reach has R code in it", {
  skip_if_not(dir.exists(sources))
  not_reached <- "^(ledger|row_labels|report_page|knit_print|plot.*)[.]R$"
  files <- list.files(sources, "[.]R$", full.names = TRUE)
  files <- files[!grepl(not_reached, basename(files))]
  told <- unlist(lapply(files, function(file) {
    unlist(lapply(parse(file, keep.source = FALSE), told_in))
  }))
  expect_gt(length(told), 500L)
  wrong <- told[grepl(r_code, told, perl = TRUE) & !names(told) %in% names(for_r_alone)]
  expect_identical(wrong, wrong[0L])
})

test_that("what commands print has no R code in it, whatever the data", {
  in_demo_folder()
  odd <- list(
    numbers = data.frame(k = 1:6, at = 0.5, v = letters[1:6]),
    texts = data.frame(k = c("1", "02", "x", NA, "4 ", "4"), at = "05.05.2031", v = "a"),
    days = data.frame(k = as.Date("2031-05-05") + 0:5, at = as.Date("2031-05-05"), v = 1),
    times = data.frame(k = as.POSIXct("2031-05-05", tz = "UTC") + 0:5, at = 1, v = TRUE),
    flags = data.frame(k = c(TRUE, FALSE, NA), at = 1:3, v = "b"),
    forms = data.frame(k = sprintf("%02d/%02d/2031", 1:6, 5), at = 1, v = "c"),
    none = data.frame(k = character(), at = character(), v = character())
  )
  for (name in names(odd)) {
    suppressMessages(write_frame(odd[[name]], paste0(name, ".csv")))
  }
  pairs <- expand.grid(left = names(odd), right = names(odd), stringsAsFactors = FALSE)
  commands <- list(
    c("join", "--on", "k"), c("join", "--on", "k", "--expect", "left-complete,one-to-one"),
    c("pair", "--nearest", "k=k"), c("join", "--around", "k=k", "--before", "1 day"),
    c("join", "--on", "k", "--rows", "full", "--collisions", "fill"), c("diagnose"),
    c("diagnose", "--on", "k"), c("near-misses", "--on", "k"), c("keys"),
    c("explain", "--on", "k", "--left", "1"), c("compare", "--on", "k"),
    c("join", "--on", "k", "--if-absent", "v=q,.other=1"), c("join", "--relate", "k<k"),
    c("join", "--on", "k", "--missing-keys", "stop"), c("join", "--on", "k", "--max-rows", "1"),
    c("join", "--on", "v", "--repeats", "stop"), c("many", "--on", "k", "--expect", "one-to-one"),
    c("join", "--on", "k", "--fold", "s=sum(v)"),
    c("join", "--on", "k", "--where", "left.v = right.v")
  )
  printed <- 0
  set.seed(5)
  for (k in seq_len(nrow(pairs))) {
    for (command in commands[sample(length(commands), 4L)]) {
      files <- paste0(unlist(pairs[k, ]), ".csv")
      if (command[1L] == "many" && files[1L] == files[2L]) next
      run <- run_cli(command[1L], files, command[-1L])
      lines <- c(run$err, if (command[1L] != "join" && command[1L] != "many") run$out)
      label <- paste(c(command[1L], files, command[-1L]), collapse = " ")
      odd <- grep(paste0(r_code, "|", base_messages), lines, perl = TRUE, value = TRUE)
      expect_identical(odd, character(), label = label)
      printed <- printed + length(lines)
    }
  }
  expect_gt(printed, 500)
})
