options(ronda.receipt = FALSE)

steps_of <- function(pairing) {
  ronda:::next_steps(pairing, near_misses(pairing))
}

# the code runs as it stands, and gives what is said
expect_tried <- function(steps, pairing, place) {
  for (step in steps) {
    tried <- eval(parse(text = step$code), new.env(parent = place))
    said <- regmatches(step$text, regexpr("[0-9,]+(?= match)", step$text, perl = TRUE))
    more <- receipt(tried)$matched_left - receipt(pairing)$matched_left
    expect_identical(more, as.numeric(c(gsub(",", "", said), 0)[1L]), label = step$text)
  }
}

test_that("what is advised has been tried, and its code gives the same", {
  place <- environment()
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  steps <- steps_of(tide)
  expect_identical(steps[[1L]]$text,
    "within = \"25 mins\" adds 11 matches in sailings."
  )
  expect_tried(steps, tide, place)
  vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  steps <- steps_of(vessel)
  expect_length(steps, 2L)
  expect_match(steps[[1L]]$text, "adds 2 matches in sailings")
  expect_tried(steps, vessel, place)
  # mistyped keys are corrected by a table that is read first
  set.seed(7)
  names <- unique(replicate(60, paste(sample(letters, 9), collapse = "")))
  right <- data.frame(name = names, id = seq_along(names))
  left <- data.frame(name = c(names[1:40], "zz", sub("(.)(.)", "\\2\\1", names[41:46])))
  typed <- pair_rows(left, right, on = "name")
  steps <- steps_of(typed)
  expect_match(steps[[1L]]$text, "adds 6 matches in left")
  expect_match(steps[[1L]]$code[3L], "read them first")
  expect_tried(steps, typed, place)
  # distances of numbers, days and seconds
  days <- function(x) as.Date(x, origin = "1970-01-01")
  seconds <- function(x) as.POSIXct(x, tz = "UTC", origin = "1970-01-01")
  for (scale in list(identity, days, seconds)) {
    left <- data.frame(at = scale(c(100, 200, 300, 400)))
    right <- data.frame(at = scale(c(99, 196, 295, 391)))
    near <- pair_rows(left, right, on = nearest("at", within = 1))
    expect_tried(steps_of(near), near, place)
    expect_gt(length(steps_of(near)), 1L)
  }
  # nothing is advised that helps nobody
  expect_length(steps_of(pair_rows(data.frame(k = 1:5), data.frame(k = 11:15), on = "k")), 0L)
})

test_that("the verdict says shares, what was expected, and what was lost", {
  said <- function(pairing) {
    unlist(ronda:::verdict_of(pairing, ronda:::unmatched_reasons(pairing)), use.names = FALSE)
  }
  expect_identical(said(pair_rows(sailings, vessels, on = c(vessel = "code"),
    expect = list("many-to-one", left_matched = 0.5)
  ))[1:4], c(
    "54 of 60 sailings (90%) have a partner.", "8 of 9 vessels (89%) have a partner.",
    "Checks passed: \"many-to-one\" and left_matched = 0.5.", "The keys are many-to-one."
  ))
  expect_identical(said(pair_rows(sailings[0, ], vessels, on = c(vessel = "code"),
    sides = c("a", "b")
  )), c(
    "a has no rows.", "0 of 9 b (0%) have a partner.",
    "No expectations were checked.", "There is no pair.",
    "9 rows of b are unmatched (a has no rows: 9)."
  ))
})
