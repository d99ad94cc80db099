# What somebody could do who wants to do harm: each with what must not happen.

# The bytes of an rds file whose column is a promise of some code
promised_rds <- function(path, code) {
  x <- list(v = 1:2, k = code)
  attributes(x) <- list(names = c("v", "k"), class = "data.frame", row.names = 1:2)
  lines <- strsplit(rawToChar(serialize(x, NULL, ascii = TRUE)), "\n")[[1L]]
  # (a call as R writes it, and before it: a promise in the global environment, without value)
  at <- which(lines == "6")[1L]
  lines <- append(lines, c("1029", "253", "252"), at - 1L)
  con <- gzfile(path, "wb")
  on.exit(close(con))
  writeBin(charToRaw(paste0(paste(lines, collapse = "\n"), "\n")), con)
}

test_that("an rds file runs nothing, whatever it holds and however deep", {
  folder <- withr::local_tempdir()
  mark <- file.path(folder, "ran")
  file <- file.path(folder, "strange.rds")
  promised_rds(file, bquote({
    file.create(.(mark))
    1:2
  }))
  expect_error(read_frame(file), "`k` is a promise", class = "ronda_error_file")
  run <- run_cli("join", file, file, "--on", "k")
  expect_identical(run$code, 1L)
  expect_match(run$err, "holds more than data", all = FALSE)
  expect_false(file.exists(mark))
  frame <- data.frame(k = 1:2)
  with_attribute <- function(value) {
    attr(frame$k, "odd") <- value
    frame
  }
  in_list <- function(value) {
    frame$deep <- list(1, list("a", list(value)))
    frame
  }
  gone <- list(f = function(x) x, e = globalenv(), code = quote(a + b), name = quote(a),
    text = expression(a), s4 = methods::new("standardGeneric", .Data = function(x) x,
      generic = structure("x", package = "p"), package = "p", group = list(),
      valueClass = character(), signature = "x", default = NULL, skeleton = quote(x())
    ), bytecode = compiler::compile(quote(a + 1))
  )
  for (make in list(with_attribute, in_list)) {
    for (name in names(gone)) {
      saveRDS(make(gone[[name]]), file)
      error <- expect_error(read_frame(file), class = "ronda_error_file")
      expect_match(conditionMessage(error), "holds more than data")
      expect_match(conditionMessage(error), "`k`|`deep`")
    }
  }
  # what is data comes through, classes and all
  frame$day <- as.Date("2031-05-01") + 0:1
  frame$cells <- list(1, NULL)
  attr(frame$day, "note") <- list(a = 1, b = "c")
  saveRDS(frame, file)
  expect_identical(read_frame(file), frame)
})

test_that("a work folder is believed only where it is what was written", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "state")
  write_state(list(a = 1, b = c("x", NA)), file)
  expect_identical(read_state(file), list(a = 1, b = c("x", NA)))
  bytes <- readBin(file, raw(), 1e5)
  for (at in c(1L, 20L, length(bytes))) {
    changed <- bytes
    changed[at] <- xor(changed[at], as.raw(1L))
    writeBin(changed, file)
    expect_error(read_state(file))
  }
  writeBin(bytes[-length(bytes)], file)
  expect_error(read_state(file), "is not what was written")
  write_state(list(function(x) 1), file)
  expect_error(read_state(file), "more than data")
  skip_on_os("windows")
  real <- file.path(folder, "real")
  dir.create(real)
  work <- file.path(folder, "out.work")
  file.symlink(real, work)
  expect_error(open_work(work, list(a = 1), TRUE, NULL), "is a link", class = "ronda_error_file")
  unlink(work)
  opened <- open_work(work, list(a = 1), TRUE, NULL)
  expect_identical(as.character(file.mode(c(work, file.path(work, c("lock", "facts"))))),
    c("700", "600", "600")
  )
})

test_that("files of others stay as they are: links, modes, pipes, what lies beside", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  write_frame(ports, "target.csv")
  Sys.chmod("target.csv", "0640")
  file.symlink("target.csv", "link.csv")
  file.symlink("none.csv", "dangling.csv")
  write_frame(vessels, "link.csv")
  write_frame(vessels, "dangling.csv")
  expect_identical(Sys.readlink(c("link.csv", "dangling.csv")), c("target.csv", "none.csv"))
  expect_identical(as.character(file.mode("target.csv")), "640")
  expect_identical(read_frame("target.csv"), read_frame("none.csv"))
  Sys.chmod("none.csv", "0600")
  write_frame(ports, "none.csv")
  expect_identical(as.character(file.mode("none.csv")), "600")
  dir.create("folder.csv")
  expect_error(write_frame(ports, "folder.csv"), "is a folder", class = "ronda_error_file")
  file.symlink("/dev/null", "null.csv")
  write_frame(ports, "null.csv")
  expect_identical(Sys.readlink("null.csv"), "/dev/null")
  skip_if(!nzchar(Sys.which("mkfifo")))
  system2("mkfifo", "pipe.csv")
  system("cat pipe.csv > got.csv &")
  write_frame(ports, "pipe.csv")
  for (wait in 1:50) if (file.size("got.csv") == 0) Sys.sleep(0.1)
  expect_identical(read_frame("got.csv"), read_frame("none.csv"))
  # (what is compressed stays so)
  system2("mkfifo", "pipe.csv.gz")
  system("cat pipe.csv.gz > packed.csv.gz &")
  write_frame(ports, "pipe.csv.gz")
  for (wait in 1:50) if (file.size("packed.csv.gz") == 0) Sys.sleep(0.1)
  expect_identical(readBin("packed.csv.gz", raw(), 2L), as.raw(c(0x1f, 0x8b)))
  expect_identical(read_frame("packed.csv.gz"), read_frame("none.csv"))
  system("cat target.csv > pipe.csv &")
  expect_identical(read_frame("pipe.csv"), read_frame("target.csv"))
  system("cat packed.csv.gz > pipe.csv &")
  expect_message(read_frame("pipe.csv"), "^'pipe.csv' is compressed")
  # a folder that somebody else set aside is not ours to remove
  skip_without_files()
  dir.create("joined.work.before")
  writeLines("mine", file.path("joined.work.before", "notes"))
  future::plan("sequential")
  join_files(sailings, vessels, on = c(vessel = "code"), out = "joined")
  expect_true(file.exists(file.path("joined.work.before", "notes")))
  dir.create("plain")
  expect_identical(file.mode("joined"), file.mode("plain"))
})

test_that("a file larger than memory has room for is refused before it is there", {
  withr::local_dir(withr::local_tempdir())
  con <- gzfile("bomb.csv.gz", "wb")
  for (k in 1:30) writeBin(rep(charToRaw("0,1\n"), 2.5e5), con)
  close(con)
  expect_lt(file.size("bomb.csv.gz"), 1e5)
  withr::local_options(ronda.max_file_bytes = 5e6)
  expect_error(read_frame("bomb.csv.gz"), "holds more than 5 MB", class = "ronda_error_file")
  con <- gzfile("bomb.jsonl.gz", "wb")
  for (k in 1:30) writeBin(rep(charToRaw("{\"a\":1}\n"), 1e5), con)
  close(con)
  expect_error(read_frame("bomb.jsonl.gz"), "holds more than 5 MB", class = "ronda_error_file")
  writeLines(paste(seq_len(most_columns + 1), collapse = ","), "wide.csv")
  expect_error(read_frame("wide.csv"), "has 100,001 columns, and at most 100,000 are read",
    class = "ronda_error_file"
  )
  local_function("longest_header", 1000)
  writeLines(strrep("a", 2000), "long.csv")
  expect_error(read_frame("long.csv"), "first line is longer than", class = "ronda_error_file")
})

test_that("nothing that a terminal would obey is sent to one", {
  odd <- c("k\033[31mred", "a\nb", paste0("gnp", "\u202e", "fdp"), paste0("x", "\u200b"),
    "bell\a", paste0("c1", "\u009b", "2J"), "tab\there", paste0("bom", "\ufeff")
  )
  signs <- paste0("[\u0001-\u0009\u000b-\u001f\u007f-\u009f\u200b-\u200f\u2028-\u202e\ufeff]")
  is_clean <- function(lines) !any(grepl(signs, lines, perl = TRUE))
  told <- function(code) {
    lines <- character()
    out <- utils::capture.output(withCallingHandlers(
      tryCatch(invisible(code()), error = function(e) lines <<- c(lines, conditionMessage(e))),
      message = function(m) {
        lines <<- c(lines, conditionMessage(m))
        invokeRestart("muffleMessage")
      },
      warning = function(w) {
        lines <<- c(lines, conditionMessage(w))
        invokeRestart("muffleWarning")
      }
    ))
    c(lines, out)
  }
  withr::local_options(ronda.receipt = TRUE)
  withr::local_dir(withr::local_tempdir())
  for (name in odd) {
    left <- stats::setNames(data.frame(c("a", "b", name), c(1, 2, 2)), c(name, "v"))
    right <- stats::setNames(data.frame(c("A", name, name), c(1, 1, 3)), c(name, "v"))
    pairing <- pair_rows(left, right, on = name, sides = c(paste0("l", name), name))
    calls <- list(
      function() print(pairing), function() print(summary(pairing)),
      function() print(receipt(pairing)), function() print(near_misses(pairing)),
      function() print(explain_row(pairing, left = 1)),
      function() print(explain_row(pairing, right = 2)),
      function() print(differences(pairing)), function() print(suggest_keys(left, right)),
      function() join_frames(left, right, on = name) |> invisible(),
      function() join_frames(left, right, on = name, expect = c("one-to-one", "left-complete")),
      function() join_frames(left, right, on = paste0(name, "x")),
      function() join_frames(left, right, on = same(name, "v")),
      function() join_frames(left, right, on = name, take = stats::setNames(name, "v")),
      function() join_frames(left, right, on = name, rows = name),
      function() {
        join_frames(left, right, on = name, collisions = stats::setNames(list("stop"), name))
      },
      function() join_frames(left, right, on = name, collisions = list(v = "stop")),
      function() {
        join_many(stats::setNames(list(left, right), c(name, "b")), on = paste0(name, "q"))
      },
      function() read_frame(paste0(name, ".csv")), function() print(same(name, via = "trim")),
      function() ronda_cli(c("join", paste0(name, ".csv"), "b.csv", "--on", name)),
      function() ronda_cli(c("join", name)), function() ronda_cli(name)
    )
    for (k in seq_along(calls)) {
      lines <- told(calls[[k]])
      expect_true(is_clean(lines), info = encodeString(paste(c(k, name, lines), collapse = "\n")))
    }
    # and data stay as they are
    expect_identical(names(suppressMessages(join_frames(left, right, on = name)))[1L], name)
  }
})

test_that("documents show hostile names as text", {
  skip_if_not_installed("rmarkdown")
  skip_if(!rmarkdown::pandoc_available())
  odd <- c("<script>alert(1)</script>", "# x", "*b* _i_ `c`", "$x^2$ \\textbf{y}", "a|b&amp;c")
  folder <- withr::local_tempdir()
  for (k in seq_along(odd)) {
    name <- odd[k]
    left <- stats::setNames(data.frame(c("a", name), 1:2), c(name, "v"))
    right <- stats::setNames(data.frame(c("A", "b"), 3:4), c(name, "v"))
    pairing <- pair_rows(left, right, on = name, sides = c(name, "other"))
    text <- vapply(list(
      pairing, receipt(pairing), near_misses(pairing), differences(pairing), summary(pairing),
      explain_row(pairing, left = 1)
    ), function(x) as.character(knitr::knit_print(x)), "")
    source <- file.path(folder, "page.md")
    writeLines(text, source)
    for (form in c("html", "latex")) {
      out <- file.path(folder, paste0("page.", form))
      rmarkdown::pandoc_convert(source, to = form, output = out)
      page <- paste(readLines(out, encoding = "UTF-8"), collapse = "\n")
      expect_false(grepl("<script>alert", page, fixed = TRUE))
      expect_false(form == "latex" && grepl("\\textbf{y}", page, fixed = TRUE))
      expect_false(grepl("<strong>b</strong>|<em>b</em>|<h1[^>]*>x|\\\\emph\\{b\\}", page))
    }
  }
})

test_that("reports and figures show hostile names as text", {
  skip_if_not_installed("htmltools")
  skip_if_not_installed("ggplot2")
  report_of <- function(name, side) {
    left <- stats::setNames(data.frame(c("a", name, "c"), 1:3), c(name, "v"))
    right <- stats::setNames(data.frame(c("A", "b", name), 3:5), c(name, "v"))
    pairing <- pair_rows(left, right, on = name, sides = c(side, "other"))
    file <- withr::local_tempfile(fileext = ".html")
    write_report(pairing, file)
    expect_identical(pairing$sides, c(side, "other"))
    paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  }
  # tags by name, and whatever could run in one
  tags <- function(page) sort(unlist(regmatches(page, gregexpr("<[a-zA-Z/!]+", page))))
  plain <- report_of("plain", "side")
  for (odd in c("<script>alert(1)</script>'", "\"><img src=x onerror=alert(2)>&lt;b&gt;")) {
    page <- report_of(odd, odd)
    expect_setequal(tags(page), tags(plain))
    expect_false(grepl("<script>alert|<img src=x", page))
  }
})

test_that("SECURITY.md says what is run, started, read and removed", {
  file <- test_path("..", "..", "SECURITY.md")
  skip_if_not(file.exists(file), "the sources aren't here")
  sources <- list.files(test_path("..", "..", "R"), "[.]R$", full.names = TRUE)
  uses <- function(functions) {
    found <- lapply(sources, function(source) {
      code <- parse(source, keep.source = FALSE)
      intersect(functions, unlist(lapply(code, all.names)))
    })
    sort(paste(rep(basename(sources), lengths(found)), unlist(found)))
  }
  # no program is started
  expect_identical(uses(c("system", "system2", "shell", "pipe", "processx", "socketConnection")),
    character()
  )
  # code is run in the demo (its own), for formulas of the analyst, and to make formulas of
  # what --fold and --where were read as
  expect_identical(uses(c("eval", "evalq", "sys.source")), paste(c(
    "cli_demo.R", "cli_join.R", "cli_where.R", "frame_fold.R", "pair_where.R"
  ), "eval"))
  expect_identical(uses(c("readRDS", "unserialize", "load")),
    c("big_work.R unserialize", "io_read.R readRDS")
  )
  expect_identical(uses(c("Sys.getenv")), "base_options.R Sys.getenv")
})
