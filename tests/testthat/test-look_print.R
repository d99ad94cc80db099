in_terminal <- function(kind, code) {
  withr::local_options(
    width = 80L, cli.unicode = kind != "no unicode",
    cli.num_colors = if (kind == "ansi") 8L else 1L
  )
  c(sprintf("--- %s", kind), utils::capture.output(code))
}

test_that("pairings print alike in three kinds of terminal", {
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  timed <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  for (kind in c("plain", "ansi", "no unicode")) {
    lines <- in_terminal(kind, {
      print(pairing)
      print(timed)
      print(pair_rows(sailings[0, ], vessels, on = cross(), where = ~TRUE))
      print(receipt(pairing))
      print(summary(pairing))
      print(explain_row(timed, left = 2))
      print(near_misses(pairing))
      print(suggest_keys(sailings, vessels))
    })
    expect_lines(lines)
    expect_true(all(nchar(cli::ansi_strip(lines), "width") <= 80L))
  }
})

test_that("the account adds up, and no pair is written out for it", {
  set.seed(21)
  for (round in 1:60) {
    case <- if (round %% 2L) make_case() else make_ordered_case()
    spec <- if (round %% 2L) make_spec(case) else make_ordered_spec(case)
    pairing <- pair_rows(case$left, case$right, on = spec_rules(spec),
      expect = "rows-multiply", repeats = spec$repeats
    )
    account <- ronda:::account_frame(pairing)
    expect_equal(account$matched + account$unmatched,
      c(nrow(case$left), nrow(case$right))
    )
    spec[c("where", "condition")] <- NULL
    spec$missing_keys <- "unmatched"
    pairs <- oracle_pairs(case$left, case$right, spec)
    expect_equal(account$several, c(
      sum(table(pairs$left) > 1L), sum(table(pairs$right) > 1L)
    ))
    sizes <- summary(pairing)
    expect_equal(sizes$result_rows,
      sizes$paired + sizes$left_alone + sizes$right_alone
    )
    expect_equal(sizes$result_rows[1:4], vapply(sizes$rows[1:4], function(rows) {
      nrow(build_frame(pairing, rows, keys = "both"))
    }, 0), ignore_attr = TRUE)
  }
  huge <- data.frame(k = rep(1L, 2e5))
  huge <- pair_rows(huge, huge, on = "k", expect = "rows-multiply")
  expect_match(format(huge), "40,000,000,000 pairs", all = FALSE)
})

test_that("receipts are JSON, and stages are announced when asked for", {
  pair_rows(sailings, vessels, on = c(vessel = "code"))
  json <- receipt_json(last_receipt())
  content <- jsonlite::fromJSON(json)
  expect_identical(content$matched_left, 54L)
  expect_identical(content$labels, c("sailings", "vessels"))
  expect_named(content$seconds, c("check", "align", "match", "count"))
  expect_errors(receipt_json(1), receipt_json())
  slowly <- function(left, right) {
    Sys.sleep(2.1)
    TRUE
  }
  withr::local_options(ronda.progress = TRUE)
  expect_message(pair_rows(ports, ports, on = "port", where = slowly),
    "Counting"
  )
  expect_silent(pair_rows(ports, ports, on = "port"))
  withr::local_options(ronda.progress = FALSE)
  expect_silent(pair_rows(ports, ports, on = "port", where = slowly))
})

test_that("lines of text are no wider than the terminal, or than 79 letters", {
  set.seed(48)
  for (width in c(40L, 60L, 79L, 80L, 81L, 200L)) {
    withr::local_options(width = width)
    words <- strrep("a", sample(9L, 2000L, TRUE))
    lines <- ronda:::folded(paste(words, collapse = " "))
    expect_identical(unlist(strsplit(trimws(lines), " ")), words)
    expect_identical(max(nchar(lines)), min(width, 80L) - 1L)
  }
})
