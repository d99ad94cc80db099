# Aimed cases: each stands for a small change of the code that generated cases don't see.

by_words <- function(frame, columns) {
  do.call(paste, c(lapply(columns, function(name) oracle_words(frame[[name]])), sep = "\r"))
}

shown_receipt <- function(pairing) {
  withr::local_options(ronda.receipt = TRUE, cli.unicode = FALSE)
  expect_message(build_frame(pairing))
  paste(format(last_receipt()), collapse = " ")
}

# first right row of each left row's keys, by plain text
expect_first_partner <- function(left, right, columns) {
  right$row <- seq_len(nrow(right))
  joined <- join_frames(left, right, on = columns, repeats = "first", take = "row")
  expect_identical(joined$row, match(by_words(left, columns), by_words(right, columns)))
}

test_that("several keys are packed without a false match", {
  set.seed(1)
  texts <- function(n, many) sprintf("%s%d", sample(c("a", "b"), n, TRUE), sample(many, n, TRUE))
  for (k in 1:20) {
    left <- data.frame(a = texts(400, 300), b = texts(400, 300))
    right <- data.frame(a = texts(60, 40), b = texts(60, 40))
    left[sample(400, 60), ] <- right
    expect_first_partner(left, right, c("a", "b"))
  }
  # spans that multiply past 2^63
  wide <- function(n) sample(c(-.Machine$integer.max, 0L, 1L, .Machine$integer.max), n, TRUE)
  left <- data.frame(a = wide(300), b = wide(300), c = sample(3L, 300, TRUE))
  expect_first_partner(left, left[sample(300, 40), ], c("a", "b", "c"))
  expect_first_partner(left, left[sample(300, 40), ], c("a", "b"))
})

test_that("texts in mixed encodings match under two keys, and all of latin1 does", {
  latin <- function(x) iconv(x, "UTF-8", "latin1")
  words <- c("caf\u00e9", "\u00e4rger", "plain")
  left <- data.frame(a = words, b = c("x", "y", "z"))
  right <- data.frame(a = latin(words), b = c("x", "y", "z"))
  expect_first_partner(left, right, c("a", "b"))
  expect_first_partner(left, right, c("b", "a"))
  letters_of <- vapply(0xA0:0xFF, function(code) paste0("12", intToUtf8(code)), "")
  left <- data.frame(k = letters_of)
  expect_identical(
    join_frames(left, data.frame(k = latin(letters_of), n = seq_along(letters_of)), on = "k")$n,
    seq_along(letters_of)
  )
})

test_that("a copy of a deferred column is a copy, and a pairing can be built twice", {
  withr::local_options(ronda.deferred = "always")
  right <- data.frame(k = 1:9, a = 1:9 + 0.5, b = letters[1:9])
  joined <- join_frames(data.frame(k = 9:1), right, on = "k")
  before <- joined$a + 0
  copy <- joined$a
  copy[1L] <- -1
  expect_identical(joined$a, before)
  n <- 70000L
  pairing <- pair_rows(data.frame(k = seq_len(n), v = 1), data.frame(k = n:1, w = 1:n),
    on = "k"
  )
  right_first <- build_frame(pairing, "right")
  expect_identical(build_frame(pairing, "full")$w, n:1)
  expect_identical(right_first$w, n:1)
})

test_that("missing keys are told, repeated or not", {
  expect_false(key_account(data.frame(k = c(1, 2, NA)), "k")$unique)
  expect_true(key_account(data.frame(k = c(1, 2)), "k")$unique)
  expect_error(repeated_keys(data.frame(k = 1, times = 1), "k"), "times",
    class = "ronda_error_collision"
  )
  left <- data.frame(k = c(NA, 1, 2), v = 1:3)
  account <- receipt(pair_rows(left, left, on = "k", where = ~ left$v == right$v))
  expect_equal(c(account$missing_left, account$missing_right), c(1, 1))
  for (expected in c("one-to-one", "one-to-many")) {
    expect_error(pair_rows(left[c(2, 2, 3), ], left, on = "k", expect = expected),
      class = "ronda_error_expectation"
    )
  }
  expect_s3_class(pair_rows(left, left[c(2, 2, 3), ], on = "k", expect = "one-to-many"),
    "ronda_pairing"
  )
})

test_that("join_many() does what its options say, in every step", {
  a <- data.frame(k = c(1, NA), a = 1:2)
  b <- data.frame(k = c(1, 1, NA), b = 1:3)
  c <- data.frame(k = c(1, NA), c = 1:2)
  frames <- list(a = a, b = b, c = c)
  expect_error(join_many(frames, on = "k", missing_keys = "stop"),
    class = "ronda_error_expectation"
  )
  expect_identical(nrow(join_many(frames, on = "k", missing_keys = "match")), 3L)
  expect_identical(nrow(join_many(frames, on = "k")), 5L)
  expect_identical(join_many(frames, on = "k", rows = "left", repeats = "last")$b, c(2L, NA))
  expect_error(join_many(frames, on = "k", repeats = "stop"),
    class = "ronda_error_expectation"
  )
  expect_error(join_many(frames, on = "k", max_rows = 1), class = "ronda_error_too_many_rows")
  held <- list(a = data.frame(k = 1, v = "a"), b = data.frame(k = 1, v = "b"),
    c = data.frame(k = 1, v = "c")
  )
  expect_identical(join_many(held, on = "k", collisions = "right")$v, "c")
  expect_identical(join_many(held, on = "k", collisions = "left")$v, "a")
})

test_that("limits hold at the limit, and where an option sets them", {
  many <- data.frame(k = rep(1, 4))
  join <- function(...) join_frames(many, many, on = "k", expect = "rows-multiply", ...)
  expect_identical(nrow(join(max_rows = 16)), 16L)
  expect_error(join(max_rows = 15), class = "ronda_error_too_many_rows")
  expect_error(join(max_rows = 0), class = "ronda_error_too_many_rows")
  expect_identical(nrow(join(max_rows = 4, repeats = "first")), 4L)
  withr::with_options(list(ronda.max_rows = 15), {
    expect_error(join(), class = "ronda_error_too_many_rows")
    expect_identical(nrow(join(max_rows = 16)), 16L)
  })
  # ten times the rows of both frames, where that is more than a million
  n <- 60000L
  rows <- data.frame(k = rep(seq_len(n / 20L), each = 20L))
  pairing <- pair_rows(rows, rows, on = "k", expect = "rows-multiply")
  expect_equal(receipt(pairing)$pairs, 20 * n)
  expect_identical(nrow(build_frame(pairing, "inner")), 20L * n)
  # the condition's own limit is on what it lets through, and `repeats` lifts it
  expect_error(join(where = ~ TRUE, max_rows = 3), class = "ronda_error_too_many_rows")
  expect_identical(nrow(join(where = ~ TRUE, max_rows = 4, repeats = "first")), 4L)
})

test_that("a difference far down is found by \"agree\"", {
  n <- 1500000L
  left <- data.frame(k = seq_len(n), v = 0)
  right <- left
  right$v[n] <- 1
  expect_error(join_frames(left, right, on = "k", collisions = "agree"),
    sprintf("row %d of `left`", n),
    class = "ronda_error_collision"
  )
})

test_that("64-bit integers below zero agree, or don't", {
  long <- function(...) bit64::as.integer64(c(...))
  left <- data.frame(k = 1:2)
  right <- data.frame(k = 1:2)
  left$v <- long(-1, 2)
  right$v <- long(-1, 2)
  join <- function() join_frames(left, right, on = "k", collisions = "agree")$v
  expect_identical(join(), left$v)
  right$v <- long(-2, 2)
  expect_error(join(), "row 1 of `left` has -1, row 1 of `right` has -2",
    class = "ronda_error_collision"
  )
})

test_that("ordered rules of 64-bit integers and of doubles stand side by side", {
  long <- function(...) bit64::as.integer64(c(...))
  left <- data.frame(a = c(-2.5, -0.5, 0.5, 2.5))
  left$b <- long(-5, 5, -5, 5)
  right <- data.frame(c = c(-3, -1, 1, 3), r = 1:4)
  right$d <- long(-6, 6, -6, 6)
  found <- join_frames(left, right, rows = "inner",
    on = list(relate("a", ">", "c"), relate("b", ">", "d"))
  )
  expected <- expand.grid(r = 1:4, l = 1:4)
  expected <- expected[left$a[expected$l] > right$c[expected$r] &
    as.double(left$b)[expected$l] > as.double(right$d)[expected$r], ]
  expect_identical(found$r, expected$r)
  small <- data.frame(k = long("-9223372036854775807", "-9007199254740993"))
  expect_identical(
    nrow(join_frames(small, small, on = relate("k", "<"), rows = "inner")), 1L
  )
  expect_identical(join_frames(data.frame(k = -2^63), small, on = "k", rows = "semi")$k,
    numeric()
  )
})

test_that("rows passed over are counted whichever way nearest() looks", {
  left <- data.frame(t = c(10, 20))
  right <- data.frame(t = c(9, 9, 11, 12, 21, 40))
  passed <- function(...) {
    receipt(pair_rows(left, right, on = nearest("t", ...)))$passed_over_right
  }
  reach <- function(within, look) {
    gap <- outer(left$t, right$t, `-`)
    near <- abs(gap) <= within & switch(look, back = gap >= 0, ahead = gap <= 0,
      either = TRUE
    )
    sum(colSums(near) > 0)
  }
  for (look in c("back", "ahead", "either")) {
    for (within in c(1, 2, 5, 30)) {
      matched <- receipt(pair_rows(left, right,
        on = nearest("t", look = look, within = within)
      ))$matched_right
      expect_equal(passed(look = look, within = within), reach(within, look) - matched)
    }
  }
  expect_equal(nrow(join_frames(left, right, on = nearest("t", ties = "all"),
    repeats = "first"
  )), 2)
})

test_that("of many rows the highest and the lowest text stay", {
  right <- data.frame(k = rep(1:3, 3000), v = sample(c("a", "b", "c"), 9000, TRUE))
  left <- data.frame(k = 1:3)
  expect_identical(join_frames(left, right, on = "k", repeats = highest("v"))$v,
    rep("c", 3)
  )
  expect_identical(join_frames(left, right, on = "k", repeats = lowest("v"))$v,
    rep("a", 3)
  )
})

test_that("every word for a unit means it, on the command line too", {
  seconds <- c(s = 1, sec = 1, secs = 1, second = 1, seconds = 1, min = 60, mins = 60,
    minute = 60, minutes = 60, h = 3600, hour = 3600, hours = 3600, day = 86400,
    days = 86400, week = 604800, weeks = 604800
  )
  start <- as.POSIXct("2031-05-01", tz = "UTC")
  for (word in names(seconds)) {
    right <- data.frame(t = start - seconds[[word]] * c(1, 1.001), n = 1:2)
    found <- join_frames(data.frame(t = start), right, rows = "inner",
      on = around("t", before = paste("1", word))
    )
    expect_identical(found$n, 1L, label = word)
  }
  in_demo_folder()
  write_frame(data.frame(k = 1, t = 5), "l.csv")
  write_frame(data.frame(k = 1, t = c(4, 7), v = 1:2, from = c(5, 7), to = c(7, 9)), "r.csv")
  value <- function(...) {
    out <- run_cli("join", "l.csv", "r.csv", "--quiet", "--rows", "inner", "--take", "v", ...)
    utils::read.csv(text = out$out)$v
  }
  expect_identical(value("--on", "k", "--repeats", "lowest:v"), 1L)
  expect_identical(value("--on", "k", "--repeats", "highest:v"), 2L)
  expect_identical(value("--nearest", "t=t"), 1L)
  expect_identical(value("--nearest", "t=t", "--look", "ahead"), 2L)
  expect_identical(value("--nearest", "t=t", "--look", "either", "--not-equal"), 1L)
  expect_identical(value("--inside", "t=from..to"), 1L)
  expect_length(value("--inside", "t=from..to", "--ends", "()"), 0L)
  covers <- run_cli("join", "r.csv", "l.csv", "--quiet", "--rows", "semi", "--covers",
    "from..to=t", "--ends", "(]"
  )
  expect_length(covers$out, 1L)
})

test_that("intervals without an end, and values on an excluded one, are told", {
  left <- data.frame(x = c(5, 10, 15))
  right <- data.frame(from = c(0, 10), to = c(5, NA), n = 1:2)
  expect_identical(
    join_frames(left, right, on = inside("x", "from", "to", open_ended = TRUE))$n,
    c(NA, 2L, 2L)
  )
  pairing <- pair_rows(left, right, on = inside("x", "from", "to"))
  expect_match(receipt(pairing)$notes, "1 row of left lies exactly on an excluded end",
    all = FALSE
  )
  expect_match(receipt(pairing)$notes, "1 interval of right lacks a bound", all = FALSE)
  touched <- data.frame(from = c(0, 5), to = c(5, 20))
  expect_identical(
    receipt(pair_rows(left, touched, on = inside("x", "from", "to")))$notes, character()
  )
  expect_match(explain_row(pair_rows(left, data.frame(t = c(50, 60)),
    on = nearest("x", "t", within = 3)
  ), right = 1)$lines, "none of the 3 rows lies|outside 3 by", all = FALSE)
  left$k <- 1
  over <- data.frame(k = 1, from = c(0, 4), to = c(9, 8))
  notes <- function(...) receipt(pair_rows(left, over, on = list(...)))$notes
  within <- inside("x", "from", "to")
  expect_identical(notes("k", within), "1 row of left falls into more than one interval of over.")
  expect_identical(notes(within), notes("k", within))
  expect_identical(notes(within, relate("x", ">", "from")), character())
  same_time <- as.POSIXct("2031-05-01", tz = "UTC") + 0:3
  expect_identical(receipt(pair_rows(data.frame(t = same_time), data.frame(t = same_time),
    on = nearest("t")
  ))$notes, character())
})

test_that("what is said names the right side, column and word", {
  named <- function(.x) join_frames(.x, data.frame(q = 1), on = "q")
  expect_error(named(data.frame(k = 1)), "`left` has no column `q`")
  expect_match(format(nearest("a", look = "ahead")), "look = \"ahead\"")
  pairing <- pair_rows(data.frame(key = 1, code = 2), data.frame(code = c(1, 3), key = 5),
    on = c(key = "code"), sides = c("trips", "ships")
  )
  lines <- format(pairing)
  expect_match(lines, "<pairing> trips with ships", all = FALSE)
  expect_false(any(grepl("On both sides", lines)))
  expect_match(lines, "ships +2 +1 +1", all = FALSE)
  expect_match(shown_receipt(pairing), "1 trips, 2 ships -> 1 row: 1 paired")
  expect_false(is.null(near_misses(pair_rows(data.frame(k = c("amber", "osmer")),
    data.frame(k = c("amber", "osmere")), on = "k"
  ))$reason))
  typos <- function(left, right) {
    nrow(near_misses(pair_rows(data.frame(k = left), data.frame(k = right), on = "k")))
  }
  expect_identical(typos("abcde", "acdex"), 0L)
  expect_identical(typos("abcdefgh", "acdefghx"), 1L)
  expect_identical(typos("abc", "abd"), 0L)
  expect_identical(typos("abcd", "abce"), 1L)
  expect_identical(nrow(suggest_keys(data.frame(a = c(TRUE, FALSE)), data.frame(b = TRUE))), 0L)
  expect_error(join_frames(data.frame(k = 1), data.frame(k = 1, a = 1), on = "k",
    take = c("a", "a")
  ), class = "ronda_error_collision")
  expect_error(join_frames(data.frame(k = 1), data.frame(k = 1, a = 1), on = "k",
    take = list(right = "a", right = "a")
  ), class = "ronda_error_argument")
  expect_error(join_frames(data.frame(k = 1, v = 1), data.frame(k = 1, v = 1), on = "k",
    collisions = "fill", if_absent = list(v = 1)
  ), "merged from both frames")
})

test_that("what is printed and drawn is cut and coloured as it should be", {
  long <- c(strrep("a", 28), strrep("b", 29))
  misses <- near_misses(pair_rows(data.frame(k = long), data.frame(k = toupper(long)),
    on = "k"
  ))
  lines <- format(misses)[2:3]
  # (two quotes around at most 28 letters of the key)
  expect_identical(
    sort(unique(unlist(regmatches(lines, gregexpr("\"[aAbB]+[.]*", lines))))),
    sort(c(
      paste0("\"", strrep(c("a", "A"), 28L)), paste0("\"", strrep(c("b", "B"), 25L), "...")
    ))
  )
  skip_if_not_installed("ggplot2")
  figure <- plot_rows_guide()
  tiles <- ggplot2::ggplot_build(figure)$data[[1L]]
  colours <- ronda:::figure_colours
  expect_setequal(
    unique(tiles$fill), c("#ccd3db", NA, unname(colours[c("paired", "alone")]))
  )
})

test_that("one is told as one, and several as several", {
  notes <- function(from, to, ...) {
    right <- data.frame(from = from, to = to)
    receipt(pair_rows(data.frame(x = 1.5), right, on = inside("x", "from", "to", ...)))$notes
  }
  expect_identical(notes(2, 1), "1 interval of right ends before it starts, and matches nothing.")
  expect_identical(notes(c(2, 3), 1),
    "2 intervals of right end before they start, and match nothing."
  )
  expect_identical(notes(1, 1),
    "1 interval of right is empty with ends = \"[)\", and matches nothing."
  )
  expect_identical(notes(c(1, 2), c(1, 2)),
    "2 intervals of right are empty with ends = \"[)\", and match nothing."
  )
  lacks <- "a bound (open_ended = TRUE takes that as no bound)."
  expect_identical(notes(NA_real_, 1), paste("1 interval of right lacks", lacks))
  expect_identical(notes(c(1, NA), c(NA, 2)), paste("2 intervals of right lack", lacks))
  missing <- function(x) {
    receipt(pair_rows(data.frame(x = x), data.frame(y = 1), on = nearest("x", "y")))$notes
  }
  expect_identical(missing(c(1, NA)), "1 row of left has no value in `x`, and can't match.")
  expect_identical(missing(c(NA, NA, 1)), "2 rows of left have no value in `x`, and can't match.")
  complete <- function(n) {
    error <- expect_error(pair_rows(data.frame(k = seq_len(n)), data.frame(k = 0L), on = "k",
      expect = "left-complete"
    ), class = "ronda_error_expectation")
    strsplit(conditionMessage(error), "\n")[[1L]][1:2]
  }
  expect_identical(complete(1L), c(
    "Expected every row of `left` to have a partner, but 1 has none.", "* left: `k` = 1"
  ))
  expect_identical(complete(3L)[2L], "* left: `k` = 1; `k` = 2; `k` = 3")
  expect_identical(complete(4L)[2L], "* left: `k` = 1; `k` = 2; `k` = 3; ...")
  same <- data.frame(k = rep("x", 60))
  error <- expect_error(pair_rows(same, data.frame(k = "y"), on = "k",
    expect = "left-complete"
  ), class = "ronda_error_expectation")
  expect_match(conditionMessage(error), "`k` = \"x\"; ...", fixed = TRUE)
})

test_that("distances of 64-bit integers are told to the last digit", {
  long <- function(...) bit64::as.integer64(c(...))
  left <- data.frame(n = 1L)
  left$k <- long("4294967396")
  right <- data.frame(m = 1L)
  right$k <- long("100")
  pairing <- pair_rows(left, right, on = nearest("k", within = 10))
  expect_match(explain_row(pairing, left = 1)$lines,
    "4294967296 away: outside 10 by 4294967286", all = FALSE
  )
  expect_identical(near_misses(pairing)$reason,
    "4294967296 away, outside 10 by 4294967286"
  )
})

test_that("nine are too many to list, eight are not", {
  expect_match(ticked(letters[1:8]), "`g` and `h`", fixed = TRUE)
  expect_match(ticked(letters[1:9]), "`g` and 2 more", fixed = TRUE)
  expect_match(listed(letters[1:9], "and"), "g and 2 more", fixed = TRUE)
})

test_that("two values never share a text, and it reads back to the value", {
  set.seed(8)
  numbers <- c(0.1 + 0.2, 0.3, 1e15, 1234567890123456 + 0:1, 1e-300, 2^53 + 0:2, -1 / 3,
    runif(300, -1, 1) * 10^sample(-12:17, 300L, TRUE)
  )
  for (texts in list(value_texts(numbers), key_texts(numbers), vapply(numbers, shown, ""))) {
    expect_identical(as.numeric(texts), numbers)
  }
  seconds <- c(0, 1 / 3, 0.5, 1e9 + 1e-6 * 0:3, 1 - 2^-40, -0.25)
  times <- as.POSIXct(seconds, origin = "1970-01-01", tz = "UTC")
  expect_identical(anyDuplicated(value_texts(times)), 0L)
  expect_identical(time_texts(0.5), "1970-01-01T00:00:00.5Z")
  fraction <- as.numeric(sub(".*:([0-9.]+)Z", "\\1", time_texts(seconds)))
  expect_identical(fraction[1:3], seconds[1:3])
})

test_that("a condition that names a column by [[ fetches it alone", {
  frame <- list2DF(list(k = 1:2, km = c(3, 1), poison = structure(1:2, class = "poison")))
  base::registerS3method("[", "poison", function(x, ...) stop("looked at"))
  found <- pair_rows(frame[c("k", "km")], frame,
    on = "k", where = ~ right[["km"]] > left[["km"]] - 1
  )
  expect_identical(receipt(found)$pairs, 2)
})

test_that("a column that one side gave in place of both can't be set where absent", {
  left <- data.frame(k = 1:2, v = 1:2)
  for (how in c("left", "right", "fill", "update")) {
    expect_error(
      join_frames(left, left, on = "k", collisions = how, if_absent = list(v = 0L)),
      "merged from both frames", class = "ronda_error_argument"
    )
  }
})

test_that("files are written without a word, numbers to their last digit", {
  file <- withr::local_tempfile(fileext = ".jsonl")
  values <- data.frame(x = c(0.1 + 0.2, NA, 1 / 3), y = c(NA, 1, 2.5))
  expect_silent(write_frame(values, file))
  expect_identical(read_frame(file)$x, values$x)
  expect_false(needs_all_digits(c(NA, 1.5)))
  expect_true(needs_all_digits(c(NA, 1 / 3)))
})

test_that("what comes on stdin is read to its end, and a reader that left is noticed", {
  bytes <- as.raw(rep_len(1:200, 2500000))
  copy <- kept_stream(rawConnection(bytes), "odd.name")
  expect_identical(readBin(copy, raw(), 3e6), bytes)
  expect_identical(tools::file_ext(copy), "csv")
  unlink(copy)
  skip_if(interactive() || sink.number() > 0L)
  gone <- function(problem) {
    local_function("write_stdout_", function(text) problem)
    noticed <- FALSE
    withCallingHandlers(try(to_stdout("x"), silent = TRUE), cli_reader_gone = function(c) {
      noticed <<- TRUE
    })
    noticed
  }
  expect_true(gone("EPIPE"))
  expect_false(gone("ENOSPC"))
  expect_false(gone(""))
})

test_that("two files of one name are the left and the right one", {
  expect_identical(file_labels(c("may/trips.csv", "june/trips.csv")), c("left", "right"))
  expect_identical(file_labels(c("trips.csv", "ports.csv")), c("trips", "ports"))
  file <- withr::local_tempfile(fileext = ".html")
  write_report(pair_rows(ports, closures, on = "port"), file)
  page <- paste(readLines(file, warn = FALSE), collapse = "")
  for (head in c("column", "ports", "closures", "note")) {
    expect_match(page, sprintf("<th scope=\"col\"[^>]*>%s</th>", head))
  }
})

test_that("found rows are counted once, however they are shared out", {
  withr::local_options(ronda.threads = 2L, ronda.chunk_rows = 16L)
  for (path in c("direct", "hashed")) {
    withr::local_options(ronda.path = path)
    counts <- receipt(pair_rows(data.frame(k = 1:4000), data.frame(k = 2:4001), on = "k"))
    expect_identical(c(counts$matched_left, counts$matched_right, counts$pairs),
      c(3999, 3999, 3999)
    )
  }
})

test_that("every road through the engine has a name of its own", {
  names <- names(road_uses_())
  expect_true(all(grepl("^[a-z]", names)))
  expect_false(anyDuplicated(names) > 0L)
})

test_that("one element of the partners is the first only where it is asked for", {
  left <- data.frame(k = c(1, 2, 3))
  right <- data.frame(k = c(1, 1, 1, 2), x = c(5, 7, 9, 4))
  folded <- join_frames(left, right, on = "k", fold = list(
    first = ~ right$x[1], also = ~ right$x[1L], second = ~ right$x[2], third = ~ right$x[3L],
    last = ~ right$x[nrow(right)]
  ))
  expect_identical(unclass(folded)[-1L], list(
    first = c(5, 4, NA), also = c(5, 4, NA), second = c(7, NA, NA), third = c(9, NA, NA),
    last = c(9, 4, NA)
  ), ignore_attr = TRUE)
})

test_that("arguments asked for by other words are named", {
  meant <- function(...) {
    problem <- tryCatch(join_frames(ports, closures, on = "port", ...), error = conditionMessage)
    sub(".*Did you mean `([a-z_]+)`.*", "\\1", problem)
  }
  expect_identical(
    c(meant(data = 1), meant(type = 1), meant(select = 1), meant(filter = 1), meant(fill = 1),
      meant(sort = 1), meant(check = 1), meant(source = 1), meant(limit = 1)
    ),
    c("left", "rows", "take", "where", "if_absent", "row_order", "expect", "origin", "max_rows")
  )
})

test_that("lines go by right row whether right rows are many or few beside them", {
  for (n in c(3L, 200L)) {
    left <- data.frame(k = c(4L, 9L, 2L, 4L, 1L), l = 1:5)
    right <- data.frame(k = rev(seq_len(n)), r = seq_len(n))
    joined <- join_frames(left, right, on = "k", row_order = "right")
    partner <- match(left$k, right$k)
    expect_identical(joined$l, order(partner))
    expect_identical(joined$r, sort(partner, na.last = TRUE))
  }
})

test_that("the highest of many partners is found on every thread, whatever its type", {
  set.seed(4)
  n <- 5000L
  left <- data.frame(k = sample(60L, 300L, TRUE))
  right <- data.frame(k = sample(50L, n, TRUE), row = seq_len(n))
  values <- list(
    number = round(stats::runif(n), 2), whole = sample(99L, n, TRUE),
    text = sprintf("q%02d", sample(60L, n, TRUE)), flag = stats::runif(n) < 0.5,
    level = factor(sample(c("low", "mid", "top"), n, TRUE), c("top", "mid", "low")),
    day = as.Date("2031-05-01") + sample(300L, n, TRUE),
    long = bit64::as.integer64(sample(99L, n, TRUE))
  )
  for (name in names(values)) {
    x <- values[[name]]
    x[sample(n, 900L)] <- NA
    right$x <- x
    rank <- if (name == "long") as.double(x) else xtfrm(x)
    for (highest in c(TRUE, FALSE)) {
      order <- order(right$k, if (highest) -rank else rank, na.last = TRUE, method = "radix")
      best <- order[!duplicated(right$k[order])]
      choice <- if (highest) ronda::highest("x") else lowest("x")
      joined <- join_frames(left, right, on = "k", repeats = choice)
      expect_identical(joined$row, best[match(left$k, right$k[best])], label = name)
    }
  }
})

test_that("a fold of a matrix, or of a class with a `[` of its own, is what R gives", {
  left <- data.frame(k = 1:2)
  right <- data.frame(k = c(1, 1, 2))
  right$v <- structure(c("a", "b", "c"), class = "shouted_berth")
  right$m <- matrix(1:6, 3L)
  local_mocked_s3("[.shouted_berth", function(x, i, ...) {
    structure(toupper(unclass(x)[i]), class = "shouted_berth")
  })
  first <- join_frames(left, right, on = "k", fold = list(v = ~ right$v[1], m = ~ sum(right$m)))
  expect_identical(first$v, c("A", "C"))
  expect_identical(first$m, c(12L, 9L))
})

test_that("a missing number has no text, and a large one has all its digits", {
  expect_identical(ronda:::key_texts(c(NA, NaN, 0.5, 1e14, 3)),
    c(NA, NA, "0.5", "100000000000000", "3")
  )
})

test_that("a distance beyond 2^32 is told with what it is too far by", {
  skip_if_not_installed("bit64")
  at <- function(text) data.frame(k = bit64::as.integer64(text))
  misses <- near_misses(pair_rows(at("0"), at("8589934597"),
    on = nearest("k", look = "ahead", within = 2^33)
  ))
  expect_identical(misses$reason, "8589934597 away, outside 8589934592 by 5")
})

test_that("distances of numbers are written out where they are of a size to be read so", {
  within <- c("1e-07" = 1e-7, "0.25" = 0.25, "123456" = 123456, "2e+19" = 2e19)
  for (text in names(within)) {
    far <- pair_rows(data.frame(k = 10 * within[[text]]), data.frame(k = 7 * within[[text]]),
      on = nearest("k", within = within[[text]])
    )
    expect_match(receipt(far)$notes, sprintf("nothing within %s:", text), fixed = TRUE)
  }
})

test_that("the row name of a single row is left behind with a word, too", {
  one <- data.frame(port = "A", row.names = "first")
  build_frame(pair_rows(one, data.frame(port = "A"), on = "port"))
  expect_identical(unname(last_receipt()$row_names_left_behind), c(TRUE, FALSE))
})
