test_that("every kind of row gets an answer", {
  vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  high <- pair_rows(sailings, tide_readings,
    on = list("port", nearest("departs", "read_at", ties = "first")),
    where = ~ right$height > 3
  )
  crew <- pair_rows(sailings, crew_shifts, repeats = "last",
    on = list("vessel", inside("departs", "starts", "ends"))
  )
  two_crews <- which(tabulate(
    build_frame(pair_rows(sailings, crew_shifts,
      on = list("vessel", inside("departs", "starts", "ends")),
      expect = "rows-multiply"
    ), "inner")$sailing - 1000L
  ) > 1L)[1L]
  fares <- pair_rows(sailings, fare_bands, on = inside("km", "from_km", "to_km"))
  expect_lines(unlist(lapply(list(
    explain_row(vessel, left = 1), explain_row(vessel, left = 9),
    explain_row(vessel, left = 23), explain_row(vessel, right = 9),
    explain_row(tide, left = 1), explain_row(tide, left = 2),
    explain_row(tide, right = 30), explain_row(tide, right = 1),
    explain_row(high, left = 2), explain_row(crew, left = two_crews),
    explain_row(fares, left = 4), explain_row(fares, right = 5)
  ), function(x) c(format(x), ""))))
})

test_that("every row of every case has the partners that the oracle finds", {
  expect_identical(differing_seeds(1:30, explained = TRUE), integer())
  expect_identical(
    differing_seeds(1:40, ordered = TRUE, explained = TRUE), integer()
  )
})

test_that("64-bit integers beyond 2^53 are explained as they were matched", {
  long <- bit64::as.integer64
  left <- data.frame(k = long(c("9007199254740993", "1700000000000000050")))
  right <- data.frame(k = long(c("9007199254740992", "1700000000000000000")))
  ahead <- pair_rows(left, right, on = nearest("k", look = "ahead"))
  expect_identical(explain_row(ahead, left = 2)$partners, integer())
  expect_identical(explain_row(ahead, left = 1)$partners, 2L)
  back <- pair_rows(left, right, on = nearest("k", within = 40))
  lines <- format(explain_row(back, left = 2))
  expect_match(paste(lines, collapse = " "), "50 away: outside 40 by 10")
  expect_match(format(explain_row(pair_rows(left, right, on = "k"), left = 1)),
    "closest `k` of right: 9007199254740992 and 1700000000000000000",
    all = FALSE
  )
})

test_that("`via` is explained by what it made of the whole columns", {
  calls <- 0
  by_rank <- function(x) {
    calls <<- calls + 1
    rank(x)
  }
  pairing <- pair_rows(data.frame(k = c(10, 30, 20)), data.frame(k = c(5, 7, 9)),
    on = same("k", via = by_rank)
  )
  expect_identical(explain_row(pairing, left = 2)$partners, 3L)
  expect_match(format(explain_row(pairing, left = 2)), "holds for 1 row",
    all = FALSE
  )
  build_frame(pairing, row_order = "keys")
  expect_identical(calls, 2)
})

test_that("infinite values are explained without contradiction", {
  left <- data.frame(x = c(1, Inf))
  right <- data.frame(x = Inf)
  near <- pair_rows(left, right, on = nearest("x", look = "ahead", within = 1))
  expect_lines(c(format(explain_row(near, left = 1)),
    format(explain_row(near, left = 2))
  ))
})

test_that("a nearer row that the condition refused is named", {
  left <- data.frame(port = "GRE", at = c(10, 20, 30))
  right <- data.frame(port = "GRE", at = c(9, 8, 19, 12, 33),
    open = c(FALSE, TRUE, FALSE, FALSE, TRUE)
  )
  pairing <- pair_rows(left, right, on = list("port", nearest("at", look = "back")),
    where = ~ right$open
  )
  expect_lines(unlist(lapply(1:3, function(row) {
    c(format(explain_row(pairing, left = row)), "")
  })))
})

test_that("what is no row is refused", {
  pairing <- pair_rows(ports, ports, on = "port")
  expect_errors(
    explain_row(1, left = 1), explain_row(pairing), explain_row(pairing, 1, 2),
    explain_row(pairing, left = 0), explain_row(pairing, left = 7),
    explain_row(pairing, right = 1.5), explain_row(pairing, right = "Ambrel")
  )
})

test_that("the closest keys are named where keys have distances, none of factors", {
  left <- data.frame(n = c(11, 7), f = factor(c("low", "high")))
  right <- data.frame(n = c(10, 30, 12.5), f = factor("mid"))
  expect_match(format(explain_row(pair_rows(left, right, on = "n"), left = 1)),
    "10.*12\\.5",
    all = FALSE
  )
  text <- format(explain_row(pair_rows(left, right, on = "f"), left = 1))
  expect_match(text, "low", all = FALSE)
  expect_false(any(grepl("mid", text)))
})

test_that("the interval that nearly holds a value is named, whichever the rule", {
  points <- data.frame(km = c(10, 99, 25))
  bands <- data.frame(from = c(0, 30, 20), to = c(10, NA, 24))
  said <- function(x, y, on, row) {
    explained <- do.call(explain_row, c(list(pair_rows(x, y, on = on)), row))
    paste(format(explained), collapse = " ")
  }
  for (side in c("left", "right")) {
    answer <- function(row, ...) {
      row <- structure(list(row), names = side)
      if (side == "left") {
        said(points, bands, inside("km", "from", "to", ...), row)
      } else {
        said(bands, points, covers("from", "to", "km", ...), structure(row, names = "right"))
      }
    }
    expect_match(answer(1L), "Row 1 .* but for the end .* ends = \"\\[\\]\"")
    expect_match(answer(2L), "Row 2 .* but for its missing\\s+bound: +open_ended = TRUE")
    expect_match(answer(3L), "The closest is row 3")
  }
  touching <- said(data.frame(a = 1, b = 5), data.frame(c = 5, d = 9),
    overlap("a", "b", "c", "d"), list(left = 1L)
  )
  expect_match(touching, "but for the end")
})

test_that("distances have the digits that tell them from the limit", {
  left <- data.frame(at = as.POSIXct("2031-05-01 10:00:00", tz = "UTC"))
  right <- data.frame(at = left$at - 30 * 60 - c(0.001, 7200))
  pairing <- pair_rows(left, right, on = nearest("at", within = "30 mins"))
  notes <- pairing$notes
  expect_match(notes, "nothing within 30 mins: the nearest is 30.00002 mins away")
  expect_match(near_misses(pairing)$reason, "30.00002 mins away, outside 30 mins")
  expect_match(paste(format(explain_row(pairing, left = 1)), collapse = " "), "30.00002 mins")
  close <- pair_rows(data.frame(at = 10), data.frame(at = 10 - 2 - 1e-9),
    on = nearest("at", within = 2)
  )
  expect_match(close$notes, "within 2: the nearest is 2.000000001 away")
})

# numbers in a sentence
numbers_in <- function(text) {
  as.numeric(gsub(",", "", regmatches(text, gregexpr("[0-9][0-9,.]*[0-9]|[0-9]", text))[[1L]]))
}

test_that("what is said of a row is what a plain loop finds", {
  set.seed(90)
  wrong <- character()
  for (round in 1:80) {
    left <- data.frame(a = sample(c("u", "v", "w"), 6L, TRUE), x = sample(1:30, 6L),
      from = sample(1:20, 6L)
    )
    right <- data.frame(a = sample(c("u", "v", "z"), 7L, TRUE), x = sample(1:30, 7L),
      from = sample(1:20, 7L)
    )
    left$to <- left$from + sample(1:6, 6L, TRUE)
    right$to <- right$from + sample(1:6, 7L, TRUE)
    by_ranges <- round %% 2L == 0L
    on <- if (by_ranges) list("a", overlap("from", "to")) else c("a", "x")
    found <- pair_rows(left, right, on = on, expect = "rows-multiply")
    for (k in seq_len(6L)) {
      first <- right$a == left$a[k]
      second <- if (by_ranges) {
        right$from < left$to[k] & left$from[k] < right$to
      } else {
        right$x == left$x[k]
      }
      lines <- explain_row(found, left = k)$lines
      count <- function(text) if (grepl("holds for no row", text)) 0 else {
        numbers_in(sub(".*holds for ", "", text))[1L]
      }
      rules <- grep("holds for", lines, value = TRUE)
      said <- c(count(rules[1L]), count(rules[2L]))
      if (!identical(said, as.numeric(c(sum(first), sum(second))))) wrong <- c(wrong, rules)
      closest <- grep("closest", lines, value = TRUE)
      of_second <- grep("`x`|closest is row", closest, value = TRUE)
      if (!length(of_second)) next
      if (by_ranges) {
        row <- numbers_in(sub(".*closest is row ", "", of_second))[1L]
        away <- pmax(0, right$from - left$to[k]) + pmax(0, left$from[k] - right$to)
        if (!first[row] || away[row] > min(away[first])) wrong <- c(wrong, of_second)
      } else {
        value <- numbers_in(sub(".*: ", "", of_second))[1L]
        if (abs(value - left$x[k]) != min(abs(right$x[first] - left$x[k]))) {
          wrong <- c(wrong, of_second)
        }
      }
    }
  }
  expect_identical(wrong, character())
})
