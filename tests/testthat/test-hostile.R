# File names, files and cells from strangers: read as data, or refused with a
# message; never run, never cut short in silence.

test_that("file names are names, whatever is in them", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  write_frame(closures, "closures.csv")
  names <- c("a b", "quo'te", "dq\"", "new\nline", "$(touch run)", "`touch run`",
    "; touch run;", "uml\u00e4ut", "%s%03d", "tab\t", "{side}", "~tilde", "a*b?[c]",
    "back\\slash", "http:", "| touch run", "&", "#"
  )
  # (those that a device for figures could take for something else)
  drawn_names <- c("new\nline", "%s%03d", "a*b?[c]", "back\\slash", "uml\u00e4ut")
  for (name in names) {
    left <- paste0(name, ".csv")
    write_frame(ports, left)
    out <- paste0("out ", name, ".csv")
    run <- run_cli("join", left, "closures.csv", "--on", "port", "--rows",
      "semi", "--out", out
    )
    expect_identical(run$code, 0L, label = name)
    expect_identical(read_frame(out),
      join_frames(ports, closures, on = "port", rows = "semi")
    )
    for (ending in c(".png", ".pdf", ".svg", ".html")) {
      drawn <- paste0("out ", name, ending)
      command <- if (ending == ".html") "report" else "plot"
      if (name != "$(touch run)" && (ending != ".png" || !name %in% drawn_names)) next
      expect_identical(run_cli(command, left, "closures.csv", "--on", "port",
        "--out", drawn
      )$code, 0L)
      expect_true(file.exists(drawn), label = drawn)
    }
  }
  expect_false(file.exists("run"))
  for (name in c("-dash.csv", "--rows.csv")) {
    write_frame(ports, name)
    expect_identical(run_cli("pair", name, "closures.csv", "--on", "port")$err[2],
      sprintf("* If it is a file, write './%s'.", name)
    )
    pair <- run_cli("pair", "--on", "port", "--", name, "closures.csv")
    expect_identical(pair$code, 0L)
    expect_identical(run_cli("pair", paste0("./", name), "closures.csv", "--on",
      "port"
    )$out, pair$out)
  }
  odd <- run_cli("join", "a b.csv", "closures.csv", "--on", "port", "--take", "",
    "--name-pattern", "={side}{column}=", "--origin", "=from="
  )
  expect_match(odd$out[1L], ",=from=$")
})

# What reading some bytes gives, in a line
reading <- function(bytes, ending = "csv") {
  if (is.character(bytes)) bytes <- charToRaw(bytes)
  path <- withr::local_tempfile(fileext = paste0(".", ending))
  writeBin(bytes, path)
  frame <- tryCatch(suppressMessages(read_frame(path)), error = identity)
  if (inherits(frame, "error")) {
    expect_s3_class(frame, "ronda_error_file")
    return(sub("^'.*?' ", "", conditionMessage(frame)))
  }
  paste(names(frame), vapply(frame, function(x) {
    paste(encodeString(as.character(x), quote = "'"), collapse = " ")
  }, ""), sep = ": ", collapse = "; ")
}

test_that("what strangers write is read whole, or refused", {
  bom <- as.raw(c(0xef, 0xbb, 0xbf))
  wide <- function(bytes) as.raw(rbind(as.integer(charToRaw(bytes)), 0L))
  expect_lines(c(
    reading(c(bom, charToRaw("port,n\nA,1\n"))),
    reading(c(bom, charToRaw("\"port\",n\nA,1\n"))),
    reading("port,n\r\nA,1\r\nB,2\r\n"), reading("port,n\rA,1\rB,2\r"),
    reading("port,n\r\nA,1\nB,2"), reading("a,b\n\"x\r\ny\",\"q\"\"q\"\n"),
    reading("a,b\n5\" pipe,2\n\"it\"\"s\",4\n"), reading("a,b\n1,2\n\n3,4\n"),
    reading("a,b\n=1+1,@x\n-2+3,+4\n"), reading("a , b\n 1 , 2\n"),
    reading("port,n\nA\nB,2\n"), reading("port,n\nA,1,9\nB,2\n"),
    reading("a,b\n1,2\n\"x,2\n3,4\n"), reading(c(bom, charToRaw("\"a,b\n1,2\n"))),
    reading("a\tb\n1\t\"2\n", "tsv"),
    reading(c(charToRaw("port,n\nA"), as.raw(0), charToRaw("B,1\n"))),
    reading(wide("port,n\nA,1\n")),
    reading(c(as.raw(c(0xff, 0xfe)), wide("port,n\nA,1\n"))),
    reading(c(charToRaw("port,n\nHj"), as.raw(0xf8), charToRaw("r,1\n"))),
    reading(c(charToRaw("p"), as.raw(0xf8), charToRaw("rt,n\nHj,1\n"))),
    reading(raw()), reading("\n"), reading("a,b\n"), reading(",b\n1,2\n"),
    reading("a,a\n1,2\n"),
    reading("{\"a\":1}\n{\"a\":\"=x\"}", "jsonl"),
    reading(c(charToRaw("{\"a\":\"x"), as.raw(0), charToRaw("\"}\n")), "jsonl"),
    reading(as.raw(1:200), "rds"), reading(serialize(1:3, NULL), "rds")
  ))
  expect_match(reading("{\"a\":1}\n{\"a\":", "jsonl"), "^can't be read: parse")
  # UTF-16 by its mark, and where the mark says the other order
  lines <- wide("{\"a\":1}\n")
  expect_identical(reading(c(as.raw(c(0xff, 0xfe)), lines), "jsonl"), "a: '1'")
  expect_match(reading(c(as.raw(c(0xfe, 0xff)), lines), "jsonl"), "can't be read")
})

test_that("a quote that is never closed is found", {
  path <- withr::local_tempfile(fileext = ".csv")
  set.seed(61)
  for (round in 1:60) {
    cells <- sample(c("a", "\"x\ny\"", "\"q\"\"q\"", "5\"", "\"\"", "\"\"\"\""), 12L,
      TRUE
    )
    lines <- paste(cells[1:6], cells[7:12], sep = ",")
    broken <- round %% 2 == 0
    if (broken) lines[6L] <- one_of(c("\"open,1", "1,\"o\"\"", "a,\""))
    writeLines(c("u,v", lines), path)
    frame <- tryCatch(read_frame(path), error = conditionMessage)
    if (!broken) {
      expect_identical(nrow(frame), 6L)
      back <- gsub("\"\"", "\"", sub("^\"(.*)\"$", "\\1", cells))
      expect_identical(c(frame$u, frame$v), replace(back, back == "", NA))
    } else {
      expect_match(frame, "the quote opened in line \\d+ is never closed")
    }
  }
})

test_that("cells come out as they went in, and pages show them as text", {
  withr::local_dir(withr::local_tempdir())
  cells <- c("=1+1", "=HYPERLINK(\"http://x\")", "@SUM(A1)", "+4", "-x", "\t=1",
    "<script>alert(1)</script>", "</td></table><img src=x onerror=alert(1)>",
    "&lt;", "'; DROP TABLE x; --", "$(touch run)", "\u202eabc", "a,b;c\td",
    "line\nbreak", "{column}", "%d%s", "\\", "\\n"
  )
  left <- data.frame(key = cells, n = seq_along(cells))
  names(left)[2] <- "<b>n</b>"
  right <- data.frame(key = rev(cells), m = letters[seq_along(cells)])
  for (ending in c("csv", "tsv", "jsonl", "rds")) {
    files <- paste0(c("left.", "right.", "out."), ending)
    write_frame(left, files[1L])
    write_frame(right, files[2L])
    expect_identical(run_cli("join", files[1:2], "--on", "key", "--out",
      files[3L]
    )$code, 0L)
    expect_identical(read_frame(files[3L]), join_frames(left, right, on = "key"))
  }
  expect_identical(run_cli("report", "left.csv", "right.csv", "--on", "key",
    "--nearest", "<b>n</b>=m", "--out", "page.html"
  )$code, 1L)
  expect_identical(run_cli("report", "left.csv", "right.csv", "--on", "key=m",
    "--out", "page.html"
  )$code, 0L)
  page <- paste(readLines("page.html", encoding = "UTF-8", warn = FALSE), collapse = "\n")
  expect_match(page, "&lt;script&gt;", fixed = TRUE)
  expect_no_match(page, "<script>(?!\n?\\(function)|<script [^>]|<img src=x|<b>n", perl = TRUE)
  expect_false(file.exists("run"))
})

test_that("thousands of columns are no trouble", {
  withr::local_dir(withr::local_tempdir())
  wide <- as.data.frame(c(list(key = 1:2), setNames(
    rep(list(c("x", "=y")), 2500L), paste0("c", seq_len(2500L))
  )))
  write_frame(wide, "wide.tsv")
  write_frame(data.frame(key = 2:1, c7 = 3:4), "narrow.csv")
  expect_identical(run_cli("join", "wide.tsv", "narrow.csv", "--on", "key",
    "--out", "out.rds"
  )$code, 0L)
  out <- read_frame("out.rds")
  expect_identical(dim(out), c(2L, 2502L))
  expect_identical(out$narrow.c7, NULL)
  expect_identical(out$right.c7, 4:3)
  expect_identical(out$c2500, c("x", "=y"))
})

test_that("a folder that may not be written to keeps its files", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  folder <- file.path(getwd(), "locked")
  dir.create(folder)
  write_frame(ports, file.path(folder, "ports.csv"))
  Sys.chmod(folder, "0555")
  withr::defer(Sys.chmod(folder, "0755"))
  # (the superuser may write everywhere but among the processes)
  if (file.access(folder, 2L) == 0L) folder <- "/proc"
  before <- list.files(folder, pattern = "ports|ronda", all.files = TRUE)
  pairing <- pair_rows(ports, closures, on = "port")
  for (ending in c("csv", "tsv", "rds", "jsonl")) {
    out <- file.path(folder, paste0("ports.", ending))
    error <- expect_error(write_frame(vessels, out), class = "ronda_error_file")
    expect_match(conditionMessage(error), out, fixed = TRUE)
  }
  expect_error(write_report(pairing, file.path(folder, "x.html")),
    class = "ronda_error_file"
  )
  write_frame(ports, "ports.csv")
  write_frame(closures, "closures.csv")
  files <- c("ports.csv", "closures.csv", "--on", "port", "--out")
  for (out in c("x.png", "x.pdf", "x.svg")) {
    run <- run_cli("plot", files, file.path(folder, out))
    expect_identical(run$code, 1L)
    expect_match(run$err[1L], folder, fixed = TRUE)
    expect_no_match(run$err[1L], base_messages)
  }
  expect_identical(run_cli("split", files, folder)$code, 1L)
  expect_identical(list.files(folder, pattern = "ports|ronda", all.files = TRUE),
    before
  )
})
