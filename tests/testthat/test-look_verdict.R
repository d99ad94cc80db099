options(ronda.receipt = FALSE)

# the whole call runs as it stands, and matches what the steps add up to
expect_tried <- function(pairing, place) {
  found <- diagnose(pairing)
  joined <- eval(parse(text = found$call), new.env(parent = place))
  pairing <- eval(parse(text = sub("join_frames", "pair_rows", found$call, fixed = TRUE)),
    new.env(parent = place)
  )
  expect_equal(receipt(pairing)$matched_left, found$matched[2L])
  expect_equal(sum(found$steps$adds), found$matched[2L] - found$matched[1L])
  found$steps
}

test_that("what is advised has been tried, and its code gives the same", {
  place <- environment()
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  expect_identical(as.list(expect_tried(tide, place)), list(step = "within = \"25 mins\"",
    adds = 11L
  ))
  vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  expect_identical(expect_tried(vessel, place)$adds, 2L)
  # mistyped keys are corrected by a table that is read first
  set.seed(7)
  names <- unique(replicate(60, paste(sample(letters, 9), collapse = "")))
  right <- data.frame(name = names, id = seq_along(names))
  left <- data.frame(name = c(names[1:40], "zz", sub("(.)(.)", "\\2\\1", names[41:46])))
  typed <- expect_tried(pair_rows(left, right, on = "name"), place)
  expect_match(typed$step, "6 corrections, to be read first")
  # distances of numbers, days and seconds
  days <- function(x) as.Date(x, origin = "1970-01-01")
  seconds <- function(x) as.POSIXct(x, tz = "UTC", origin = "1970-01-01")
  for (scale in list(identity, days, seconds)) {
    left <- data.frame(at = scale(c(100, 200, 300, 400)))
    right <- data.frame(at = scale(c(99, 196, 295, 391)))
    near <- pair_rows(left, right, on = nearest("at", within = 1))
    expect_gt(nrow(expect_tried(near, place)), 0L)
  }
  # nothing is advised that helps nobody
  nobody <- diagnose(pair_rows(data.frame(k = 1:5), data.frame(k = 11:15), on = "k"))
  expect_identical(nrow(nobody$steps), 0L)
})

test_that("the verdict says shares, what was expected, and what was lost", {
  said <- function(pairing) {
    unlist(ronda:::verdict_of(pairing, ronda:::unmatched_reasons(pairing)), use.names = FALSE)
  }
  expect_identical(said(pair_rows(sailings, vessels, on = c(vessel = "code"),
    expect = list("many-to-one", left_matched = 0.5)
  ))[1:2], c(
    "Checks passed: \"many-to-one\" and left_matched = 0.5.", "The keys are many-to-one."
  ))
  expect_identical(said(pair_rows(sailings[0, ], vessels, on = c(vessel = "code"),
    sides = c("a", "b")
  )), c(
    "No expectations were checked.", "There is no pair.",
    "9 rows of b are unmatched (a has no rows: 9)."
  ))
})

test_that("distances that are advised are round, reach far enough, and little farther", {
  round_ones <- c(1:6, 8, 10, 12, 15, 20, 25, 30, 40, 45, 50, 60, 90, 180, 365, 730)
  times <- list(unit = 1, left_unit = 1, family = "POSIXct")
  days <- list(unit = 86400, left_unit = 86400, family = "Date")
  for (scale in list(times, days)) {
    for (wanted in c(1:130, round(1.17^(31:90)))) {
      if (scale$family == "Date" && wanted > 730) next
      text <- ronda:::round_distance(wanted, wanted, scale)
      found <- ronda:::text_seconds(text) / scale$unit
      number <- ronda:::text_distance_parts(text)$number
      expect_true(found >= wanted && found < 2.1 * wanted, label = paste(wanted, text))
      expect_true(number %in% round_ones || number > 730, label = paste(wanted, text))
      # what is round stays
      unit <- found / number
      if (wanted / unit >= 2 && (wanted / unit) %in% round_ones) expect_equal(found, wanted)
    }
  }
})

test_that("corrections that are advised are of likely typing errors that no cleaning cures", {
  misses <- expand.grid(via = c(NA, "\"trim\""), sureness = c(0.79, 0.8, 1),
    reason = c("one typing error", "two typing errors", "white space", "rounding"),
    stringsAsFactors = FALSE
  )
  expected <- is.na(misses$via) & misses$sureness >= 0.8 &
    misses$reason %in% c("one typing error", "two typing errors")
  expect_identical(ronda:::are_sure_typos(misses), expected)
})
