# Whatever the data are, what looks at a pairing answers, or stops with an error of
# ours: no message of R's own shows through.

# what was asked so far, and the errors that were not ours (all looked at at once: an
# expectation of its own for each takes longer than the asking)
asked <- new.env()
asked$count <- 0L
asked$others <- character()

answers <- function(code, label) {
  asked$count <- asked$count + 1L
  tryCatch(
    {
      force(code)
      NULL
    },
    error = function(e) {
      if (!inherits(e, "ronda_error")) {
        asked$others <- c(asked$others, paste(label, conditionMessage(e)))
      }
    }
  )
}

expect_all_answered <- function(least) {
  expect_gte(asked$count, least)
  expect_identical(asked$others, character())
  asked$count <- 0L
  asked$others <- character()
}

everything_asked <- function(left, right, on, label, drawn = FALSE,
                             reported = FALSE) {
  answers(suggest_keys(left, right), paste(label, "suggest_keys"))
  answers(format(suggest_keys(left, right)), paste(label, "suggestions"))
  pairing <- tryCatch(
    pair_rows(left, right, on = on, expect = "rows-multiply"),
    ronda_error = function(e) NULL
  )
  if (is.null(pairing)) {
    return(0L)
  }
  answers(format(pairing), paste(label, "print"))
  answers(format(receipt(pairing)), paste(label, "receipt"))
  answers(summary(pairing), paste(label, "summary"))
  answers(format(near_misses(pairing)), paste(label, "near_misses"))
  if (nrow(left)) answers(explain_row(pairing, left = 1), paste(label, "explain left"))
  if (nrow(right)) answers(explain_row(pairing, right = 1), paste(label, "explain right"))
  for (what in c("left-complete", "right-complete", "one-to-one", "no-missing-keys")) {
    answers(pair_rows(left, right, on = on, expect = what), paste(label, what))
  }
  if (drawn) {
    for (view in c("overlap", "join_types", "repeats", "timeline", "gaps")) {
      answers(
        ggplot2::ggplotGrob(plot(pairing, view = view)), paste(label, view)
      )
    }
  }
  if (reported) {
    file <- withr::local_tempfile(fileext = ".html")
    answers(write_report(pairing, file), paste(label, "report"))
  }
  1L
}

odd_columns <- list(
  none = function(n) rep(NA_character_, n), blank = function(n) rep("", n),
  blanks = function(n) rep("  ", n), dash = function(n) rep("-", n),
  bytes = function(n) rep_len(c("a\xff", "b", NA, "\xe9\xe9\xe9\xe9\xe9"), n),
  marked = function(n) {
    x <- rep_len(c("a\xff", "b"), n)
    Encoding(x) <- "bytes"
    x
  },
  long = function(n) rep_len(strrep("x", 2000), n),
  missing = function(n) rep(NA_real_, n), infinite = function(n) rep_len(c(Inf, -Inf), n),
  big = function(n) bit64::as.integer64(rep_len(c(big_numbers, NA), n)),
  level = function(n) structure(rep_len(1:3, n), levels = c("a", NA, "a"), class = "factor")
)

test_that("odd keys, of no rows and of some, are told of in every way", {
  pairings <- 0L
  kinds <- names(odd_columns)
  for (first in names(odd_columns)) {
    for (second in names(odd_columns)) {
      sizes <- if (first == second) c(0L, 1L, 5L) else 5L
      # (each kind with itself, and with every third of the others)
      if (first != second && (match(first, kinds) + match(second, kinds)) %% 3L) next
      for (n in sizes) {
        left <- as_frame(list(k = odd_columns[[first]](n), n = seq_len(n)), n)
        right <- as_frame(list(k = odd_columns[[second]](3L), n = 3:1 + 0), 3L)
        label <- paste(first, second, n)
        pairings <- pairings + everything_asked(left, right, "k", label)
        pairings <- pairings + everything_asked(left, right, c("n", "k"), label)
      }
    }
  }
  expect_gt(pairings, 40L)
  expect_all_answered(500L)
})

test_that("figures and reports are made of odd keys, and of no rows", {
  skip_if_not_installed("ggplot2")
  withr::local_pdf(NULL)
  local_reports_without_drawing()
  for (kind in c("none", "bytes", "missing", "infinite", "big", "level")) {
    for (n in if (kind %in% c("none", "infinite", "big")) c(0L, 4L) else 4L) {
      left <- as_frame(list(k = odd_columns[[kind]](n), n = seq_len(n)), n)
      everything_asked(left, left, "k", paste(kind, n), drawn = kind != "big" || n == 4L,
        reported = n == 4L || kind == "none"
      )
      if (kind %in% c("missing", "infinite", "big")) {
        everything_asked(left, left, nearest("k", within = 1), paste(kind, n, "nearest"),
          drawn = TRUE, reported = n == 0L
        )
      }
    }
  }
  expect_all_answered(80L)
})

test_that("generated pairings have near misses and suggestions, or none", {
  for (seed in 1:50) {
    case <- seeded_case(seed, ordered = seed %% 2 == 0)
    pairing <- pair_spec(case, case$spec)
    answers(format(near_misses(pairing)), paste(seed, "near_misses"))
    answers(suggest_keys(case$left, case$right), paste(seed, "suggest_keys"))
    answers(format(pairing), paste(seed, "print"))
    answers(summary(pairing), paste(seed, "summary"))
  }
  expect_all_answered(200L)
})

test_that("a column name that is no text in its encoding can be told of", {
  frame <- data.frame(a = 1, b = 2)
  names(frame) <- c("k", "b\xff")
  expect_error(join_frames(frame, frame, on = "q"), class = "ronda_error_key")
  expect_error(join_frames(frame, frame, on = "b"), "no column `b`", class = "ronda_error_key")
  expect_error(join_frames(frame, frame), class = "ronda_error_key")
  expect_error(join_frames(frame, frame, on = "k", take = "z"),
    class = "ronda_error_argument"
  )
  expect_identical(nrow(join_frames(frame, frame, on = "b\xff")), 1L)
})

test_that("64-bit integers keep their digits and sign in errors without their package", {
  frame <- data.frame(k = bit64::as.integer64(c("-1", "-2", "-1", "9007199254740993")))
  error <- expect_error(
    join_frames(frame, data.frame(k = bit64::as.integer64(5)), on = "k",
      expect = "left-complete"
    ),
    "`k` = -1; `k` = -2; `k` = 9007199254740993",
    class = "ronda_error_expectation"
  )
  expect_identical(error$keys$k, frame$k[c(1, 2, 4)])
})

test_that("an option that is no limit is named", {
  frame <- data.frame(k = 1)
  for (wrong in list(NA, "many", -1, c(1, 2))) {
    withr::with_options(list(ronda.max_rows = wrong), {
      expect_error(join_frames(frame, frame, on = "k"), "options\\(ronda.max_rows\\)",
        class = "ronda_error_argument"
      )
    })
  }
})

test_that("64-bit integers are told by their digits in a session without their package", {
  file <- withr::local_tempfile(fileext = ".R")
  writeLines(c(
    "library(ronda)",
    "options(ronda.receipt = FALSE, warn = 1)",
    "long <- function(x) structure(ronda:::int64_from_number_(x)$values, class = 'integer64')",
    "l <- data.frame(v = 1:4); l$k <- long(c(-1, -2, 5e9, NA)); l$s <- long(c(1, NA, -5, 2))",
    "r <- data.frame(w = 1:3); r$k <- long(c(-2, -2, 7)); r$s <- long(c(3, -9, 1))",
    "p <- pair_rows(l, r, on = 'k'); print(p); print(near_misses(p)); print(suggest_keys(l, r))",
    "for (row in 1:4) print(explain_row(p, left = row))",
    "n <- pair_rows(l, r, on = nearest('k', within = 3)); print(n); print(explain_row(n, 3))",
    "page <- tempfile(fileext = '.html'); write_report(p, page)",
    "page <- paste(readLines(page, warn = FALSE), collapse = '\\n')",
    "cat(gsub('<[^>]*>', ' ', sub('<script>.*', '', page)), '\\n')",
    "for (e in c('one-to-one', 'left-complete'))",
    "  print(tryCatch(pair_rows(l, r, on = 'k', expect = e), error = identity))",
    "cat('loaded:', 'bit64' %in% loadedNamespaces(), '\\n')",
    "f <- build_frame(p, 'full', collisions = 'fill', row_order = 'keys')",
    "for (type in c('csv', 'jsonl')) {",
    "  path <- tempfile(fileext = paste0('.', type))",
    "  write_frame(f, path); cat(type, readLines(path), '', sep = '\\n')",
    "}"
  ), file)
  out <- withr::with_envvar(
    c(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep)),
    system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", file),
      stdout = TRUE, stderr = TRUE
    )
  )
  expect_identical(grep("e-3[0-9][0-9]|NaN|e[+]", out, value = TRUE), character())
  expect_true("loaded: FALSE " %in% out)
  rows <- c("2,-2,3,1", "2,-2,-9,2", "1,-1,1,", ",7,1,3", "3,5000000000,-5,", "4,,2,")
  expect_identical(out[match("csv", out) + 1:7], c("v,k,s,w", rows))
  expect_identical(out[match("jsonl", out) + 1L], '{"v":2,"k":-2,"s":3,"w":1}')
})
