# What is read is never replaced by what is written, and who stops a command is told what
# there is.

test_that("a file that is read is not replaced but by --overwrite, by whatever path or link", {
  skip_on_os("windows")
  in_demo_folder()
  dir.create("sub")
  file.symlink("ports.csv", "link.csv")
  file.symlink(file.path(getwd(), "ports.csv"), "sub/deep.csv")
  file.link("ports.csv", "hard.csv")
  write_frame(data.frame(from = "x", to = "Ambrel"), "fixes.csv")
  before <- readLines("ports.csv")
  two <- c("closures.csv", "ports.csv", "--on", "port")
  others <- c("ports.csv", "./ports.csv", "sub/../ports.csv", "link.csv", "sub/deep.csv",
    "hard.csv", file.path(getwd(), "ports.csv")
  )
  refused <- function(...) {
    run <- run_cli(...)
    expect_identical(run$code, 2L, label = paste(c(...), collapse = " "))
    expect_match(run$err, "is read[.]$", all = FALSE)
    expect_identical(run$out, character())
    run$err
  }
  for (out in others) {
    for (command in list(c("join", two), c("compare", two), c("near-misses", two),
      c("many", two))) {
      expect_match(refused(command, "--out", out), "--overwrite", all = FALSE)
    }
  }
  refused("join", two, "--corrections", "fixes.csv", "--out", "fixes.csv")
  # a folder of files that are joined is replaced when the join is whole
  skip_if_not_installed("nanoparquet")
  dir.create("parts")
  file.copy("closures.csv", "parts/1.csv")
  join_parts <- c("join-files", "parts", two[-1L], "--out", "parts/")
  expect_match(refused(join_parts)[2L], "--overwrite")
  expect_identical(run_cli(join_parts, "--overwrite", "--expect", "right-complete")$code, 3L)
  expect_identical(readLines("parts/1.csv"), readLines("closures.csv"))
  expect_identical(run_cli(join_parts, "--overwrite")$code, 0L)
  expect_equal(read_frame("parts"), join_frames(read_frame("closures.csv"), read_frame("ports.csv"),
    on = "port"
  ), ignore_attr = TRUE)
  expect_identical(list.files(pattern = "^parts"), "parts")
  unlink("parts", recursive = TRUE)
  for (name in c("matched", "left_alone", "right_alone")) {
    parts <- file.path("sub", paste0(name, ".csv"))
    file.copy("closures.csv", parts)
    refused("split", parts, two[-1L], "--out", "sub")
    unlink(parts)
  }
  expect_match(refused("join", two, "--ledger", "link.csv")[2L], "Name another file")
  # what a figure or a report would replace
  file.rename("link.csv", "link.png")
  file.rename("hard.csv", "hard.html")
  refused("plot", two, "--out", "link.png")
  refused("report", two, "--out", "hard.html")
  skip_if_not_installed("nanoparquet")
  dir.create("folder")
  write_frame(ports, "folder/a.parquet")
  refused("join", "closures.csv", "folder", "--on", "port", "--out", "folder/a.parquet")
  expect_identical(readLines("ports.csv"), before)
  # other files are replaced as ever, and the file itself when that is asked for
  writeLines("old", "other.csv")
  expect_identical(run_cli("join", two, "--out", "other.csv")$code, 0L)
  expect_identical(run_cli("join", two, "--out", "ports.csv", "--overwrite")$code, 0L)
  expect_identical(readLines("ports.csv"), readLines("other.csv"))
})

test_that("one of the files may be stdin, compressed or not, and both may not", {
  skip_on_os("windows")
  in_demo_folder()
  for (files in list(c("-", "-"), c("/dev/stdin", "-"))) {
    run <- run_cli("join", files, "--on", "port")
    expect_identical(run$code, 2L)
    expect_match(run$err, "stdin can be read once")
  }
})

test_that("a join of files that is interrupted goes on by the same command", {
  skip_on_os("windows")
  for (package in c("nanoparquet", "future", "globals", "digest")) skip_if_not_installed(package)
  withr::local_dir(withr::local_tempdir())
  withr::local_envvar(R_LIBS = paste(.libPaths(), collapse = ":"), RONDA = paste(
    shQuote(file.path(R.home("bin"), "Rscript")), shQuote(system.file("exec", "ronda",
      package = "ronda"
    ))
  ))
  frame <- data.frame(k = 1:2e5, x = (1:2e5) %% 7L)
  write_frame(frame, "a.parquet")
  write_frame(frame[2e5:1, ], "b.parquet")
  # interrupted as soon as a part is done
  command <- paste(
    "eval exec $RONDA join-files a.parquet b.parquet --on k --out joined --way parts --parts 90",
    "--quiet 2>err"
  )
  code <- sprintf(paste(
    "%s & for i in $(seq 1 600); do ls joined.work/done 2>/dev/null | grep -q '^part' && break;",
    "sleep 0.05; done; kill -INT $!; wait $!; echo $?"
  ), command)
  run <- function(code) suppressWarnings(system2("bash", c("-c", shQuote(code)), stdout = TRUE))
  expect_identical(run(code), "130")
  expect_identical(readLines("err"),
    "Stopped; what was done is kept in 'joined.work': the same command goes on."
  )
  expect_false(file.exists("joined"))
  expect_identical(run(paste0("(", command, "); echo $?")), "0")
  expect_false(file.exists("joined.work"))
  joined <- read_frame("joined")
  expect_identical(sort(joined$k), frame$k)
  expect_identical(joined$right.x, joined$x)
})

test_that("an interrupt says what was written, and ends with code 130", {
  skip_on_os("windows")
  skip_if_not_installed("nanoparquet")
  in_demo_folder()
  withr::local_envvar(R_LIBS = paste(.libPaths(), collapse = ":"), RONDA = paste(
    shQuote(file.path(R.home("bin"), "Rscript")), shQuote(system.file("exec", "ronda",
      package = "ronda"
    ))
  ))
  # The command waits for a pipe; it is interrupted, then the pipe gives all it has.
  stopped <- function(command) {
    code <- sprintf(paste(
      "rm -f pipe.csv; mkfifo pipe.csv; eval exec $RONDA %s 2>err >out & exec 3>pipe.csv;",
      "kill -INT $!; cat sailings.csv >&3; exec 3>&-; wait $!; echo $?"
    ), command)
    status <- suppressWarnings(system2("bash", c("-c", shQuote(code)), stdout = TRUE))
    list(status = status, err = readLines("err"), out = readLines("out"))
  }
  before <- list.files()
  for (command in c("join pipe.csv vessels.csv --on vessel=code --out new.csv",
    "pair pipe.csv vessels.csv --on vessel=code",
    "join vessels.csv pipe.csv --on code=vessel")) {
    run <- stopped(command)
    expect_identical(run$status, "130", label = command)
    expect_identical(utils::tail(run$err, 1L), "Stopped; nothing was written.")
    expect_identical(run$out, character())
  }
  expect_setequal(setdiff(list.files(), before), c("err", "out", "pipe.csv"))
  # what the words are made of
  under <- ronda:::under_way
  ronda:::watch_outputs("join", "new.csv")
  writeLines("a", "new.csv")
  expect_match(ronda:::interrupted_words(), "Stopped; 'new.csv' was written before")
  ronda:::watch_outputs("join", NULL)
  expect_output(ronda:::to_stdout("a"), "a")
  expect_match(ronda:::interrupted_words(), "the output is not whole")
  ronda:::watch_outputs("join-files", "joined")
  expect_match(ronda:::interrupted_words(), "nothing was written")
  dir.create("joined.work")
  expect_match(ronda:::interrupted_words(),
    "what was done is kept in 'joined.work': the same command goes on"
  )
})
