# Months and years as distances: the calendar of the left value's zone.

# The date so many months later, by writing it down; the last day where there is none
slow_day <- function(day, months) {
  parts <- as.integer(strsplit(format(day, "%Y-%m-%d"), "-")[[1L]])
  month <- parts[1L] * 12L + parts[2L] - 1L + months
  for (date in parts[3L]:28) {
    text <- sprintf("%04d-%02d-%02d", month %/% 12L, month %% 12L + 1L, date)
    there <- as.Date(text, format = "%Y-%m-%d")
    if (!is.na(there)) {
      return(there)
    }
  }
}

# The first instant at which a clock shows a time; `NA` where the clock skips it
slow_instant <- function(text, zone) {
  around <- as.numeric(as.POSIXct(text, tz = "UTC")) + seq(-16, 16, by = 0.25) * 3600
  shown <- format(.POSIXct(around, zone), "%Y-%m-%d %H:%M:%S", tz = zone)
  around[match(text, shown)]
}

slow_shift <- function(x, months) {
  if (inherits(x, "Date")) {
    return(as.numeric(slow_day(x, months)))
  }
  zone <- attr(x, "tzone")
  day <- slow_day(as.Date(format(x, "%Y-%m-%d", tz = zone)), months)
  whole <- floor(as.numeric(x))
  clock <- format(.POSIXct(whole, zone), "%H:%M:%S", tz = zone)
  slow_instant(paste(format(day), clock), zone) + as.numeric(x) - whole
}

# days and times of two years, many at the ends of months and where clocks change
some_days <- function(n) {
  as.Date(some(c("2031-01-28", "2031-01-31", "2031-02-28", "2031-03-28", "2031-03-30",
    "2031-03-31", "2031-04-30", "2031-05-30", "2031-10-26", "2031-11-26", "2031-12-31",
    "2032-01-29", "2032-01-31", "2032-02-28", "2032-02-29", "2032-03-29"
  ), n), format = "%Y-%m-%d")
}

some_times <- function(n, zone) {
  clock <- some(c("00:00", "00:15", "01:30", "03:00", "03:15", "12:00", "23:45"), n)
  x <- slow_vector(sprintf("%s %s:00", some_days(n), clock), zone)
  .POSIXct(x + some(c(0, 0, 0.5), n), zone)
}

slow_vector <- function(texts, zone) {
  vapply(texts, function(text) {
    if (startsWith(text, "NA") || grepl(" NA:", text)) NA else slow_instant(text, zone)
  }, 0, USE.NAMES = FALSE)
}

distances <- c("1 month" = 1, "2 months" = 2, "3months" = 3, "1 quarter" = 3, "1 year" = 12)

test_that("months and years are the calendar's for nearest() and around(), in every zone", {
  wrong <- character()
  for (seed in 1:90) {
    set.seed(9000 + seed)
    zone <- some(c("UTC", "Europe/Berlin", "America/New_York", "Asia/Kathmandu"), 1L)
    if (is.na(zone)) zone <- "UTC"
    values <- if (seed %% 3 == 0) some_days else function(n) some_times(n, zone)
    n <- sample(0:9, 2L, TRUE)
    left <- data.frame(id = seq_len(n[1L]), p = values(n[1L]))
    right <- data.frame(q = values(n[2L]), row = seq_len(n[2L]))
    # the right frame's zone says nothing
    if (inherits(right$q, "POSIXct")) attr(right$q, "tzone") <- "Asia/Tokyo"
    far <- sample(names(distances), 2L, TRUE)
    moved <- function(x, months) if (is.na(x)) NA else slow_shift(x, months)
    bounds <- lapply(seq_len(n[1L]), function(i) {
      c(moved(left$p[i], -distances[[far[1L]]]), moved(left$p[i], distances[[far[2L]]]))
    })
    # times that the clock skips are settled apart, below
    if (anyNA(unlist(bounds[!is.na(left$p)]))) next
    y <- as.numeric(right$q)
    look <- sample(c("back", "ahead", "either", "both"), 1L)
    in_window <- lapply(bounds, function(bound) which(y >= bound[1L] & y <= bound[2L]))
    found <- join_frames(left, right, expect = "rows-multiply", rows = "inner",
      on = around("p", "q", before = far[1L], after = far[2L]), row_numbers = c("i", "j")
    )
    same <- identical(found$j, as.integer(unlist(in_window)))
    if (!same) wrong <- c(wrong, paste(seed, "around"))
    near <- lapply(seq_len(n[1L]), function(i) {
      x <- as.numeric(left$p[i])
      low <- if (is.na(x)) NA else slow_shift(left$p[i], -distances[[far[1L]]])
      high <- if (is.na(x)) NA else slow_shift(left$p[i], distances[[far[1L]]])
      back <- which(y <= x & y >= low)
      ahead <- which(y >= x & y <= high)
      back <- utils::tail(back[order(y[back], back)], 1L)
      first <- ahead[y[ahead] == suppressWarnings(min(y[ahead]))]
      ahead <- utils::tail(first, 1L)
      both <- unique(sort(c(back, ahead)))
      switch(look, back = back, ahead = ahead, both = both, either = {
        if (length(both) == 2L) {
          if (x - y[back] <= y[ahead] - x) back else ahead
        } else {
          both
        }
      })
    })
    for (condition in list(NULL, function(left, right) !is.na(right$row))) {
      found <- join_frames(left, right, expect = "rows-multiply", rows = "inner",
        on = nearest("p", "q", look = look, within = far[1L]), row_numbers = c("i", "j"),
        where = condition
      )
      if (!identical(found$j, as.integer(unlist(near)))) wrong <- c(wrong, paste(seed, look))
    }
    if (look != "both") {
      once <- pair_rows(left, right, repeats = "once",
        on = nearest("p", "q", look = look, within = far[1L])
      )
      expect_lte(receipt(once)$pairs, sum(lengths(near) > 0L))
      listed <- pair_rows(left, right, repeats = "once",
        on = nearest("p", "q", look = look, within = "4000 days"),
        where = function(left, right) {
          limit <- distances[[far[1L]]]
          vapply(seq_along(left$p), function(k) {
            isTRUE(right$q[k] >= slow_shift(left$p[k], -limit)) &&
              isTRUE(right$q[k] <= slow_shift(left$p[k], limit))
          }, NA)
        }
      )
      same <- identical(once$matches$range, listed$matches$range)
      if (!same) wrong <- c(wrong, paste(seed, "once"))
    }
  }
  expect_identical(wrong, character())
})

test_that("the end of a month, a changing clock and days of 24 hours are what the help says", {
  zone <- "Europe/Berlin"
  time <- function(text) as.POSIXct(text, tz = zone)
  left <- data.frame(p = time(c("2031-03-31 12:00", "2031-03-29 12:00", "2031-02-28 02:30")))
  reaches <- function(row, text, distance) {
    right <- data.frame(q = time(text))
    on <- around("p", "q", before = distance, after = distance)
    found <- pair_rows(left[row, , drop = FALSE], right, on = on, expect = "may-be-empty")
    receipt(found)$pairs == 1
  }
  expect_true(reaches(1, "2031-02-28 12:00", "1 month"))
  expect_false(reaches(1, "2031-02-28 11:59", "1 month"))
  # the clock changes on 30 March: a day is 24 hours, a month is the calendar's
  expect_true(reaches(2, "2031-03-30 13:00", "1 day"))
  expect_false(reaches(2, "2031-03-30 13:01", "1 day"))
  expect_true(reaches(2, "2031-04-29 12:00", "1 month"))
  expect_false(reaches(2, "2031-04-29 12:01", "1 month"))
  # half past two is skipped on 30 March
  skipped <- data.frame(p = time("2031-01-30 02:30"))
  found <- pair_rows(skipped, data.frame(q = time(c("2031-03-30 03:30", "2031-03-30 03:31"))),
    on = around("p", "q", after = "2 months")
  )
  expect_identical(receipt(found)$pairs, 1)
  expect_error(
    join_frames(data.frame(p = .POSIXct(1e300, "UTC")), data.frame(p = time("2031-01-01")),
      on = nearest("p", within = "1 month")
    ), "beyond the calendar", class = "ronda_error_type"
  )
})

test_that("many times at once are moved as each by itself, whenever clocks change", {
  for (zone in c("Europe/Berlin", "America/New_York", "Australia/Lord_Howe")) {
    set.seed(12)
    times <- as.POSIXct("2031-01-01", tz = "UTC") + 900 * sample.int(70000L, 400L)
    attr(times, "tzone") <- zone
    ahead <- as.numeric(as.POSIXct(format(times, tz = zone), tz = "UTC")) - as.numeric(times)
    for (months in c(-1, 1, 12)) {
      slow <- vapply(seq_along(times), function(k) slow_shift(times[k], months), 0)
      found <- shifted_months(as.numeric(times), months, list(family = "POSIXct"), zone, NULL)
      expect_identical(found[!is.na(slow)], slow[!is.na(slow)])
    }
    expect_gt(length(unique(ahead)), 1L)
  }
})

test_that("short units are read, others are answered with what to write", {
  hours <- data.frame(t = .POSIXct(c(0, 3600, 86400, 14 * 86400), "UTC"))
  pairs <- function(within) {
    receipt(pair_rows(hours, hours, on = around("t", before = within)))$pairs
  }
  for (alike in list(c("1 hr", "1h", "60 mins", "60min", "1 Hour"), c("1d", "1 day", "24 hrs"),
    c("2w", "14d", "2 wks", "2 weeks")
  )) {
    expect_length(unique(vapply(alike, pairs, 0)), 1L)
  }
  for (wrong in list(c("1.5 months", "whole number"), c("5 m", "write \"5 min\" or \"5 months\""),
    c("1 moon", "\"3 months\"")
  )) {
    expect_error(nearest("t", within = wrong[1L]), wrong[2L], class = "ronda_error_argument")
  }
  x <- data.frame(n = 1, span = as.difftime(1, units = "days"), day = as.Date("2031-01-31"))
  expect_error(join_frames(x, x, on = nearest("n", within = "1 month")), "plain numbers")
  expect_error(join_frames(x, x, on = nearest("span", within = "1 month")), "no calendar")
  expect_error(differences(x, x, on = "n", tolerance = "1 month"), "no fixed length")
  # what is said of rows beyond it
  right <- data.frame(day = as.Date("2030-12-29"))
  pairing <- pair_rows(x, right, on = nearest("day", within = "1 month"), expect = "may-be-empty")
  expect_match(receipt(pairing)$notes, "nothing within 1 month: the nearest is 33 days away",
    all = FALSE
  )
  expect_match(explain_row(pairing, left = 1)$lines, "33 days away: outside 1 month by 2 days",
    all = FALSE
  )
  expect_match(near_misses(pairing)$reason, "33 days away, outside 1 month by 2 days")
})

test_that("figures and joins of files take months", {
  day <- as.Date("2031-01-01") + 0:80
  left <- data.frame(day = day[seq(1, 80, 3)])
  right <- data.frame(day = day[seq(2, 80, 30)], n = 1:3)
  rule <- function(look) nearest("day", look = look, within = "1 month", gap = "away")
  figure <- plot_gaps(pair_rows(left, right, on = rule("back")))
  expect_match(figure$labels$subtitle, "Dashed: within 1 month (at most 31 days)",
    fixed = TRUE
  )
  expect_s3_class(plot_timeline(pair_rows(left, right, on = rule("both"))), "ggplot")
  skip_without_files()
  withr::local_options(ronda.piece_rows = 5)
  for (look in c("back", "both", "either")) {
    for (way in c("ranges", "right_whole")) {
      out <- withr::local_tempfile()
      join_files(left, right, on = rule(look), out = out, way = way, parts = 3,
        row_order = "left"
      )
      expect_equal(as.data.frame(read_frame(out)),
        join_frames(left, right, on = rule(look), expect = "rows-multiply")
      )
    }
  }
})
