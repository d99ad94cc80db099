# Ordered rules without a key are cut along a line: rows that pair have spans that meet, so
# that the part of the one has the other.

rules_with_spans <- list(
  nearest("p", "q", within = 2), nearest("p", "q", look = "ahead", within = 1, equal = FALSE),
  nearest("p", "q", look = "either", within = 3), around("p", "q", before = 1, after = 2),
  inside("p", "g", "u"), inside("p", "g", "u", ends = "[]", open_ended = TRUE),
  covers("f", "t", "q"), overlap("f", "t", "g", "u", ends = "[]"), relate("p", "<", "q"),
  relate("p", ">=", "q")
)

span_frames <- function(make) {
  n <- 40L
  left <- data.frame(p = make(n), f = make(n))
  left$t <- left$f + abs(as.numeric(make(n)) - as.numeric(make(n)))
  right <- data.frame(q = make(n), g = make(n))
  right$u <- right$g + abs(as.numeric(make(n)) - as.numeric(make(n)))
  list(left = left, right = right)
}

kinds_of_values <- list(
  number = function(n) sample(c(0:9, 2.5, NA), n, TRUE),
  tiny = function(n) 1e6 + sample(0:9, n, TRUE) * 1e-9,
  day = function(n) as.Date("2031-05-01") + sample(c(0:9, NA), n, TRUE),
  time = function(n) as.POSIXct("2031-05-01", tz = "UTC") + sample(c(0:9, NA), n, TRUE),
  minutes = function(n) as.difftime(as.numeric(sample(0:9, n, TRUE)), units = "mins")
)

test_that("rows that pair have spans that meet", {
  pairs <- 0
  for (kind in names(kinds_of_values)) {
    set.seed(match(kind, names(kinds_of_values)))
    frames <- span_frames(kinds_of_values[[kind]])
    for (rule in rules_with_spans) {
      pairing <- pair_rows(frames$left, frames$right, on = rule, expect = "rows-multiply")
      found <- all_pairs(pairing$matches)
      plain <- unclass(pairing)
      expect_true(has_spans(plain, plain$rules[[1]]))
      spans <- lapply(c("left", "right"), function(side) {
        spans_of(plain, plain$rules[[1]], side, NULL)
      })
      meet <- spans[[1]]$low[found$left] <= spans[[2]]$high[found$right] &
        spans[[2]]$low[found$right] <= spans[[1]]$high[found$left]
      expect_true(all(meet), label = paste(kind, format(rule)))
      pairs <- pairs + length(found$left)
    }
  }
  expect_gt(pairs, 3000)
})

test_that("the rule to cut by is one whose reach is bounded, where there is one", {
  frames <- span_frames(kinds_of_values$number)
  frames$left$text <- frames$right$text <- rep(c("a", "b"), 20)
  cut_by <- function(on, ...) {
    pairing <- asked_pairing(frames$left, frames$right, with_usual_choices(list(...)),
      c("left", "right")
    )
    span_rule(checked_pairing(pairing, on, FALSE, NULL))$kind
  }
  expect_identical(cut_by(nearest("p", "q")), "nearest")
  expect_identical(cut_by(list(nearest("p", "q"), around("f", "g", before = 1))), "around")
  expect_identical(cut_by(list(relate("p", "<", "q"), inside("f", "g", "u"))), "inside")
  expect_identical(cut_by(relate("p", "<", "q")), "relate")
  expect_null(cut_by(relate("p", "!=", "q")))
  expect_null(cut_by(relate("text", "<", "text")))
  expect_null(cut_by(nearest("p", "q"), where = ~ left$f < right$g))
  expect_null(cut_by(list(nearest("p", "q"), relate("f", "!=", "g"))))
})

test_that("cuts make parts of about as many rows, also where values crowd", {
  set.seed(9)
  values <- list(stats::rexp(5000), stats::rexp(200) + 3)
  samples <- lapply(values, function(x) list(anchors = thinned(x, 500L), rows = length(x)))
  cuts <- cuts_of(samples, 8)
  expect_identical(cuts, sort(unique(cuts)))
  counts <- tabulate(findInterval(unlist(values), cuts) + 1L, length(cuts) + 1L)
  expect_lt(max(counts), 2 * 5200 / 8)
  expect_identical(cuts_of(samples, 1), numeric())
  expect_length(cuts_of(list(list(anchors = rep(1, 100), rows = 1e6)), 5), 1)
  expect_identical(cuts_of(list(list(anchors = numeric(), rows = 0)), 5), numeric())
})
