# What a session is set to, options of R and its locale, changes no pair, no file and no
# sentence.

# calls that tell numbers of all sizes: sentences, code to paste, what is printed
what_is_said <- function() {
  keys <- c(1e5, 1e15, 123456.789, 0.1 + 0.2, 1e-7, 100000.5, seq_len(400L))
  left <- data.frame(k = keys, v = keys / 7)
  right <- data.frame(k = c(1e5, 0.3, 1e-7, rep(2e5, 3L), 2 * seq_len(400L)), v = 1 / 3)
  said <- function(code) {
    lines <- character()
    keep <- function(restart) function(condition) {
      lines <<- c(lines, conditionMessage(condition))
      invokeRestart(restart)
    }
    shown <- utils::capture.output(withCallingHandlers(
      tryCatch(print(code), error = function(e) lines <<- c(lines, conditionMessage(e))),
      message = keep("muffleMessage"), warning = keep("muffleWarning")
    ))
    c(lines, shown)
  }
  pairing <- pair_rows(left, right, on = "k")
  near <- pair_rows(left, right, on = nearest("k", within = 0.25))
  # most are far beyond the others
  far <- pair_rows(data.frame(k = c(keys, 1e7 + 0.125)), data.frame(k = seq_len(400L) - 0.375),
    on = nearest("k")
  )
  timed <- pair_rows(sailings, tide_readings,
    on = list("port", nearest("departs", "read_at", within = "100000 secs"))
  )
  expected <- function(...) join_frames(left, right, on = "k", ...)
  list(
    said(pairing), said(summary(timed)), said(receipt(pairing)), said(near), said(diagnose(near)),
    said(near_misses(near)), said(diagnose(pairing)), said(explain_row(near, left = 4)),
    said(explain_row(timed, left = 3)), said(expected(max_rows = 100)),
    said(expected(expect = list(left_matched = 0.9995))), said(expected(expect = "one-to-one")),
    said(expected(collisions = list(v = "agree"))), said(expected(if_absent = list(v = "1"))),
    said(pair_rows(left, right, on = around("k", before = 100000.5, after = 1e-5))),
    said(pair_rows(left, right, on = nearest("k", within = "1.5 tides"))),
    said(differences(left, right, on = "k", tolerance = 1e-5)), said(suggest_keys(left, right)),
    said(join_frames(left, data.frame(k = c("100000", "1e5")), on = "k")),
    said(key_account(right, "k")),
    if (requireNamespace("ggplot2", quietly = TRUE)) {
      figures <- list(plot_gaps(near), plot_gaps(far), plot_join_types(near),
        plot_repeats(pairing), plot_overlap(pairing)
      )
      said(lapply(figures, function(figure) {
        built <- ggplot2::ggplot_build(figure)
        axes <- built$layout$panel_params[[1L]][c("x", "y")]
        c(figure$labels, lapply(built$data, `[[`, "label"),
          lapply(axes, function(axis) as.character(axis$get_labels()))
        )
      }))
    }
  )
}

test_that("numbers are said alike whatever the options say of numbers", {
  withr::local_options(ronda.receipt = TRUE, digits = 7, scipen = 0, OutDec = ".", width = 80)
  usual <- what_is_said()
  expect_gt(length(unlist(usual)), 150L)
  for (set in list(list(OutDec = ",", digits = 3, scipen = -1), list(scipen = 999))) {
    expect_identical(withr::with_options(set, what_is_said()), usual)
  }
})

# pairs, near misses and the bytes of files, of names and texts beyond ASCII
what_is_done <- function() {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  size <- "Gr\u00f6\u00dfe"
  left <- data.frame(k = c("\u00c5LAND", "\u00d6re", "a\u2014b", "I\u2192j", "x"), n = 1:5 / 3)
  right <- data.frame(k = c("\u00e5land", "\u00f6RE", "ab", "i\u2192J", "x"), s = 5:1)
  names(right)[2L] <- size
  latin <- right
  names(latin) <- iconv(names(latin), "UTF-8", "latin1")
  latin$k <- iconv(latin$k, "UTF-8", "latin1")
  pairs <- function(...) {
    found <- join_frames(left, right, on = same("k", ...), rows = "inner",
      row_numbers = c("i", "j"), expect = "may-be-empty"
    )
    unlist(found[c("i", "j")])
  }
  words <- intersect(names(ronda:::cleaning_steps), c("signs", "trim", "lower", "look_alike"))
  found <- list(lapply(words, function(word) pairs(via = word)), pairs(via = c("signs", "lower")))
  misses <- near_misses(pair_rows(left, right, on = "k"))
  found$misses <- lapply(misses[c("from", "to", "reason")], enc2utf8)
  found$suggested <- suggest_keys(left, stats::setNames(right, c("k", toupper(size))))$left
  endings <- c("csv", "tsv", "csv.gz", if (can_read("jsonlite")) "jsonl",
    if (can_read("nanoparquet")) "parquet"
  )
  frames <- list(left = left, right = right, latin = latin)
  for (ending in endings) {
    for (name in names(frames)) {
      file <- paste0(name, ".", ending)
      write_frame(frames[[name]], file)
      back <- read_frame(file)
      found[[file]] <- list(back, charToRaw(enc2utf8(names(back)[2L])))
      if (ending != "csv.gz") found$bytes[[file]] <- readBin(file, raw(), 1e5)
    }
  }
  if (can_read("htmltools")) {
    write_review(misses, "review.html")
    found$review <- readBin("review.html", raw(), 1e6)
  }
  if (can_read("nanoparquet") && can_read("future")) {
    join_files("right.csv", "latin.parquet", on = c("k", size), rows = "full", out = "out",
      origin = "\u00f6rt"
    )
    out <- read_frame(file.path("out", list.files("out", "parquet$")[1L]))
    found$out <- list(out, lapply(enc2utf8(names(out)), charToRaw))
  }
  found
}

can_read <- function(package) requireNamespace(package, quietly = TRUE)

test_that("letters beyond ASCII are what they are in every locale and encoding", {
  skip_on_os(c("windows", "mac"))
  withr::local_options(ronda.receipt = FALSE)
  usual <- what_is_done()
  # signs, trim, look_alike, lower; signs and lower
  expect_identical(unname(lengths(c(usual[[1L]], usual[2L]))) / 2, c(2, 1, 4, 4, 5))
  expect_identical(withr::with_options(list(encoding = "latin1"), what_is_done()), usual)
  withr::with_locale(c(LC_CTYPE = "C"), in_c <- what_is_done())
  expect_identical(in_c, usual)
})

test_that("a call leaves the session as it was: its random numbers, options, files and the rest", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  withr::local_options(ronda.receipt = FALSE, ronda.progress = FALSE)
  withr::local_seed(1)
  set <- names(options())
  state <- function() {
    list(
      .Random.seed, options()[set], Sys.getlocale(), getwd(), Sys.getenv(), ls(globalenv()),
      showConnections(), grDevices::dev.list(), list.files(tempdir(), all.files = TRUE)
    )
  }
  n <- 3000
  left <- data.frame(k = sample.int(n), t = paste0("x", seq_len(n)), at = seq_len(n) / 7)
  right <- data.frame(k = sample.int(n), t = paste0("X", seq_len(n)), at = seq_len(n) / 9)
  pairing <- pair_rows(left, right, on = list("k", nearest("at")), expect = "may-be-empty")
  by_text <- pair_rows(left, right, on = "t", expect = "may-be-empty")
  small <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  for (call in expression(
    join_frames(left, right, on = "k", fold = list(n = ~ nrow(right)), origin = "from"),
    near_misses(by_text), suggest_keys(left, right), diagnose(by_text),
    explain_row(pairing, left = 9), differences(left, right, on = "k"), split_frames(small),
    key_account(left, "k"),
    join_many(list(a = left[1:9, ], b = right), on = "k", rows = "left"), last_receipt(), ledger(),
    with_ledger(join_frames(sailings, vessels, on = c(vessel = "code"))),
    plot(pairing, view = "gaps"), plot(pairing, view = "timeline"), plot(diagnose(small)),
    write_report(pairing, "report.html"), write_review(near_misses(small), "review.html"),
    write_frame(left, "left.csv"), read_frame("left.csv"), write_frame(sailings, "s.jsonl"),
    read_frame("s.jsonl"), write_frame(left, "left.parquet"), frame_files("left.parquet"),
    join_files("left.csv", "left.parquet", on = "k", out = "out", way = "parts", parts = 2)
  )) {
    before <- state()
    made <- suppressMessages(eval(call))
    # (a figure that is printed opens a page)
    if (!inherits(made, "ggplot")) utils::capture.output(print(made))
    expect_identical(state(), before, label = deparse(call[[1L]]))
  }
})
