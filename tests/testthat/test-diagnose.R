# what the call that a diagnosis hands back gives, run where its frames are
run_call <- function(found, frames) {
  place <- list2env(c(frames, list(join_frames = join_frames, same = same)),
    parent = asNamespace("ronda")
  )
  eval(parse(text = found$call), place)
  get("joined", place)
}

planted <- function(seed) {
  set.seed(seed)
  # keys that lie far apart, so that what is planted is the only likeness
  key <- function(n) vapply(seq_len(n), function(k) {
    paste(c(sample(letters, 12L, TRUE), sample(0:9, 3L, TRUE)), collapse = "")
  }, "")
  keys <- unique(key(900L))
  good <- keys[1:600]
  counts <- c(case = 30L, blanks = 20L, unknown = 14L, missing = 10L, typed = 12L)
  damaged <- c(
    toupper(keys[601:630]), paste0(" ", keys[631:650], " "), paste0("zz", key(14L)),
    rep(NA, 10L), sub("^(...).", "\\1", keys[651:662])
  )
  left <- data.frame(id = c(sample(good, 700L, TRUE), damaged))
  left <- left[sample(nrow(left)), , drop = FALSE]
  row.names(left) <- NULL
  list(
    left = left, right = data.frame(id = keys[1:700], name = seq_len(700L)), counts = counts
  )
}

test_that("reasons are counted one by one, and the pasted call gives what was said", {
  for (seed in 1:6) {
    case <- planted(seed)
    left <- case$left
    right <- case$right
    found <- diagnose(left, right, on = "id")
    lines <- found$reasons[found$reasons$side == "left", ]
    count <- function(words) sum(lines$rows[grepl(words, lines$reason)])
    expect_identical(count("letter case"), case$counts[["case"]])
    expect_identical(count("white space"), case$counts[["blanks"]])
    expect_identical(count("missing"), case$counts[["missing"]])
    expect_gte(count("typing error"), 0.95 * case$counts[["typed"]])
    expect_identical(sum(lines$rows), sum(case$counts))
    expect_identical(
      sum(found$reasons$rows[found$reasons$side == "right"]), found$pairing$sizes[2L] -
        as.integer(found$pairing$counts$matched_right)
    )
    expect_identical(sum(found$steps$adds), as.integer(diff(found$matched)))
    expect_identical(sum(lines$adds), as.integer(diff(found$matched)))
    joined <- run_call(found, list(left = left, right = right))
    expect_identical(sum(!is.na(joined$name)), as.integer(found$matched[2L]))
  }
})

test_that("keys are found without `on`, with what makes them meet", {
  orders <- data.frame(customer = c("0007", "0012", "0013", "0999"), amount = 1:4 + 0.5)
  customers <- data.frame(id = c(7, 12, 13, 14), city = letters[1:4])
  found <- diagnose(orders, customers)
  expect_match(found$status, "^25% of orders is unmatched: 1 of 4 rows")
  expect_match(found$keys$on[1L], "customer")
  joined <- run_call(found, list(orders = orders, customers = customers))
  expect_identical(joined$city, c("a", "b", "c", NA))
  expect_identical(found$matched, c(3, 3))
  # the same where `on` names the two columns
  again <- diagnose(orders, customers, on = c(customer = "id"))
  expect_identical(again$call, found$call)
  # days as text
  left <- data.frame(day = c("2031-05-01", "2031-05-02", "2031-05-09"), fare = 1:3)
  right <- data.frame(on_day = as.Date("2031-05-01") + 0:4, tide = 5:1)
  found <- diagnose(left, right)
  expect_identical(run_call(found, list(left = left, right = right))$tide, c(5L, 4L, NA))
  none <- diagnose(data.frame(a = 1:3), data.frame(b = letters))
  expect_match(none$status, "^No key found")
  expect_identical(none$call, character())
  expect_identical(nrow(as.data.frame(none)), 0L)
  expect_output(print(none), "Compared: 1 column of left and 1 column of right")
  expect_error(plot(none), "no key was found", class = "ronda_error_argument")
})

test_that("times and intervals have reasons and steps of their own", {
  found <- diagnose(sailings, fare_bands, on = inside("km", "from_km", "to_km"))
  expect_match(found$reasons$reason[1L], "after the last of fare_bands")
  expect_identical(found$steps$step, "open_ended = TRUE")
  periods <- data.frame(from = c(0, 10, 30), to = c(10, 20, 40), tariff = letters[1:3])
  points <- data.frame(at = c(-5, 5, 20, 25, 40, 99))
  found <- diagnose(points, periods, on = inside("at", "from", "to"))
  reasons <- found$reasons[found$reasons$side == "left", ]
  rows <- structure(reasons$rows, names = sub(" of periods", "", reasons$reason))
  expect_identical(rows[c("on an excluded end", "in a gap", "before the first",
    "after the last"
  )], c("on an excluded end" = 2L, "in a gap" = 1L, "before the first" = 1L,
    "after the last" = 1L
  ))
  expect_identical(found$steps, data.frame(step = "ends = \"[]\"", adds = 2L))
  tides <- diagnose(sailings, tide_readings,
    on = list("port", nearest("departs", "read_at", within = "15 mins"))
  )
  expect_match(tides$steps$step[1L], "^within = ")
  expect_match(tides$call, tides$steps$step[1L], fixed = TRUE)
})

test_that("the status tells the worst first", {
  status <- function(...) diagnose(...)$status
  left <- data.frame(k = c(1, 1, 2, 3))
  right <- data.frame(k = c(1, 1, 2, 3))
  expect_match(status(left, right, on = "k"), "Rows multiply: 4 of left become 6")
  expect_match(status(left, data.frame(k = 9), on = "k"), "Nothing pairs")
  many <- data.frame(k = rep(1, 1500))
  found <- diagnose(many, many, on = "k")
  expect_match(found$call, "max_rows = 2250000")
  expect_identical(nrow(run_call(found, list(many = many))), 2250000L)
  expect_match(status(left[0, , drop = FALSE], right, on = "k"), "has no rows")
  expect_match(status(left, unique(right), on = "k"), "^Sound: every row of left has exactly one")
  expect_match(status(unique(left), right, on = "k"), "up to 2")
  expect_match(status(pair_rows(sailings, vessels, on = c(vessel = "code"))), "10% of sailings")
  expect_error(diagnose(pair_rows(left, unique(right), on = "k"), right), "give it alone",
    class = "ronda_error_argument"
  )
  expect_error(diagnose(left), "`right` is missing", class = "ronda_error_argument")
  expect_error(diagnose(left, right, on = "q"), "no column `q`", class = "ronda_error_key")
})

test_that("a diagnosis prints, is drawn, and is a table in documents", {
  found <- diagnose(sailings, vessels, on = c(vessel = "code"))
  expect_snapshot(writeLines(format(found)))
  expect_s3_class(plot(found), "ggplot")
  expect_match(knitr::knit_print(found), "join_frames(sailings, vessels", fixed = TRUE)
})

test_that("the command line diagnoses files, and its command gives what was said", {
  withr::local_dir(withr::local_tempdir())
  write_frame(data.frame(id = c("a1", "B2 ", "c3", "zz"), n = 1:4), "left.csv")
  write_frame(data.frame(code = c("A1", "B2", "C3"), v = 1:3), "right.csv")
  for (more in list(character(), c("--on", "id=code"))) {
    run <- run_cli("diagnose", "left.csv", "right.csv", more)
    expect_identical(run$code, 0L)
    command <- sub("^ *ronda ", "", utils::tail(run$out, 1L))
    again <- do.call(run_cli, as.list(c(strsplit(command, " ")[[1L]], "--quiet")))
    expect_identical(again$code, 0L)
    matched <- as.integer(sub(".*[(]([0-9]+) of 4 rows.*", "\\1", grep("To paste", run$out,
      value = TRUE
    )))
    expect_identical(sum(!is.na(utils::read.csv(text = again$out)$v)), matched)
    expect_identical(matched, 3L)
  }
  run <- run_cli("diagnose", "left.csv", "right.csv", "--on", "id=code", "--expect",
    "left-complete"
  )
  expect_identical(run$code, 3L)
  run <- run_cli("diagnose", "left.csv", "right.csv", "--expect", "left-complete")
  expect_identical(run$code, 2L)
})
