test_that("every ordered rule with every option agrees with the oracle", {
  settings <- list(c(3, 1, 2), c(3, 2, 5), c(131072, 2, 200000))
  for (k in seq_along(settings)) {
    withr::local_options(
      ronda.chunk_rows = settings[[k]][1L], ronda.threads = settings[[k]][2L],
      ronda.pairs_per_block = settings[[k]][3L]
    )
    expect_identical(
      differing_seeds(k * 1e6 + 1:60, ordered = TRUE), numeric()
    )
  }
})

left <- data.frame(
  port = c("A", "A", "B"), day = as.Date("2031-05-01") + 0:2,
  at = as.POSIXct("2031-05-01 12:00", tz = "UTC") + c(0, 600, 1200),
  km = c(5, 10, NA), text = c("2031-05-01T12:00:00Z", NA, ""), flag = TRUE,
  size = factor(c("s", "m", "l"), c("s", "m", "l"), ordered = TRUE),
  code = factor(c("x", "y", "z")), span = as.difftime(1:3, units = "mins")
)
right <- data.frame(
  port = c("A", "A", "B"), read_at = left$at - 120,
  day = left$day, from = c(0, 10, 30), to = c(10, 20, 25), value = 1:3,
  size = factor(c("s", "m", "l"), c("l", "m", "s"), ordered = TRUE),
  iso = "2031-05-01T12:00:00Z", german = "01.05.2031",
  big = bit64::as.integer64(rep("9007199254740993", 3))
)

test_that("wrong rules are refused", {
  expect_errors(
    nearest(1),
    nearest("at", look = "up"),
    nearest("at", within = "10 furlongs"),
    nearest("at", within = -1),
    nearest("at", within = c(1, 2)),
    nearest("at", equal = NA),
    nearest("at", n = 0),
    nearest("at", n = 1.5),
    nearest("at", ties = "any"),
    nearest("at", gap = 1),
    around("at", before = "soon"),
    inside("km", "from"),
    nearest(),
    relate("km"),
    inside("km", "from", "to", ends = "[["),
    overlap("from", "to", "from", "to", open_ended = "yes"),
    relate("km", "=", "from"),
    join_frames(left, right, on = nearest("at", "read")),
    join_frames(left, right, on = inside("km", "from", "too")),
    join_frames(left, right, on = list(nearest("at", "read_at"),
      nearest("km", "from")
    )),
    join_frames(left, right, on = list(nearest("at", "read_at", gap = "km"))),
    join_frames(left, right, on = nearest("at", "read_at"), row_order = "keys"),
    join_frames(left, right, on = nearest("at", "read_at", gap = "age"),
      if_absent = list(age = 0)
    )
  )
})

test_that("columns that can't be ordered so are refused, with what to write", {
  expect_errors(
    join_frames(left, right, on = nearest("day", "read_at")),
    join_frames(left, right, on = nearest("at", "day")),
    join_frames(left, right, on = nearest("text", "read_at")),
    join_frames(left, right, on = nearest("at", "iso")),
    join_frames(left, right, on = nearest("day", "german")),
    join_frames(left, right, on = around("port")),
    join_frames(left, right, on = nearest("km", "read_at")),
    join_frames(left, right, on = inside("text", "read_at", "read_at")),
    join_frames(left, right, on = relate("flag", "<", "value")),
    join_frames(left, right, on = relate("flag", "!=", "value")),
    join_frames(left, right, on = relate("code", "<", "port")),
    join_frames(left, right, on = relate("size", "<")),
    join_frames(left, right, on = relate("km", "<", "big")),
    join_frames(transform(left, km = 0.5), right, on = relate("km", "<", "big")),
    join_frames(left, right, on = nearest("km", "value", within = "1 min")),
    join_frames(left, right, on = around("km", "value",
      after = as.difftime(1, units = "mins")
    ))
  )
})

test_that("what is often got wrong is told", {
  tell <- function(...) {
    pairing <- pair_rows(left, right, on = list(...))
    expect_printed(print(receipt(pairing)))
  }
  tell("port", nearest("at", "read_at", within = "1 min"))
  tell(nearest("day", within = 600))
  tell(nearest("day", within = "10 mins"))
  tell(inside("km", "from", "to", ends = "()"))
  noon <- data.frame(at = left$at[1L] + 86400 * (1:3))
  expect_printed(print(receipt(pair_rows(noon, transform(noon, at = at - 7200),
    on = nearest("at")
  ))))
  bands <- data.frame(from = c(0, 4, 10), to = c(10, 8, 10))
  expect_printed(print(receipt(pair_rows(left, bands,
    on = inside("km", "from", "to")
  ))))
  expect_printed(print(receipt(pair_rows(bands, left,
    on = covers("from", "to", "km", ends = "[]"), expect = "rows-multiply"
  ))))
})

test_that("gaps have the key's units, and distances may be given in others", {
  joined <- join_frames(left, right, on = nearest("at", "read_at",
    within = as.difftime(1, units = "hours"), gap = "age"
  ))
  expect_identical(joined$age, as.difftime(c(120, 120, 120), units = "secs"))
  joined <- join_frames(left, right, on = nearest("day", gap = "days",
    within = "1 week", equal = FALSE
  ))
  expect_identical(joined$days, as.difftime(c(NA, 1, 1), units = "days"))
  hours <- data.frame(span = as.difftime(c(0, 0.05), units = "hours"))
  joined <- join_frames(left, hours, on = nearest("span", gap = "more"))
  expect_identical(joined$more, as.difftime(c(1, 2, 0), units = "mins"))
  long <- data.frame(k = bit64::as.integer64("9007199254740993"))
  joined <- join_frames(long, right, on = nearest("k", "value", gap = "g"))
  expect_identical(joined$g, bit64::as.integer64("9007199254740990"))
})

test_that("ties can be refused, and are told", {
  twice <- right[c(1, 1, 2, 3), ]
  caught <- tryCatch(
    join_frames(left, twice, on = nearest("at", "read_at", ties = "stop")),
    ronda_error_expectation = identity
  )
  expect_identical(caught$left_rows, 1L)
  expect_errors(
    join_frames(left, twice, on = nearest("at", "read_at", ties = "stop")),
    join_frames(left, twice, on = nearest("at", "read_at", ties = "stop"),
      where = ~ right$value == left$km - 4
    )
  )
  expect_identical(
    join_frames(left, twice, on = nearest("at", "read_at", ties = "all"))$value,
    c(1L, 1L, 2L, 3L)
  )
})

test_that("a condition with nearest() is asked outward, never of all", {
  n <- 20000L
  set.seed(8)
  many <- data.frame(t = sort(runif(n)), even = seq_len(n) %% 2L == 0L, i = 1:n)
  asked <- 0
  joined <- join_frames(many, many, on = nearest("t", gap = "apart"),
    where = function(left, right) {
      asked <<- asked + length(left$even)
      left$even != right$even
    }
  )
  expect_identical(joined$right.i, c(NA, seq_len(n - 1L)))
  expect_lt(asked, 4 * n)
  heavy <- many
  heavy$t <- 0.5
  joined <- join_frames(many, heavy, on = nearest("t"),
    where = ~ left$even == right$even, take = "i"
  )
  expect_identical(sum(!is.na(joined$right.i)), sum(many$t >= 0.5))
})

test_that("the limit on pairs stops ranges before they are written", {
  n <- 3000L
  many <- data.frame(k = seq_len(n))
  expect_error(join_frames(many, many, on = relate("k", ">=")),
    "let more pairs through than `max_rows` allows \\(1,000,000\\)",
    class = "ronda_error_too_many_rows"
  )
  expect_error(
    join_frames(many, many, on = relate("k", "!="), max_rows = 100),
    class = "ronda_error_too_many_rows"
  )
  expect_identical(nrow(join_frames(many, many, on = relate("k", ">="),
    where = ~ left$k == right$k, rows = "inner"
  )), n)
})

test_that("text ranges are in C order", {
  words <- data.frame(w = c("B", "a", "b", "\u00e9"))
  bands <- data.frame(from = c("A", "a", "z"), to = c("Z", "c", NA), n = 1:3)
  joined <- join_frames(words, bands, on = inside("w", "from", "to",
    open_ended = TRUE
  ))
  expect_identical(joined$n, c(1L, 2L, 2L, 3L))
})

test_that("many frames can be joined by ordered rules, without gaps", {
  frames <- list(s = left["at"], r = right[c("read_at", "value")],
    b = data.frame(from = 0, to = 2, band = "low")
  )
  joined <- join_many(frames, rows = "left", on = list(
    r = nearest("at", "read_at"), b = inside("value", "from", "to")
  ))
  expect_identical(joined$band, c("low", NA, NA))
  expect_errors(join_many(frames[1:2], on = list(
    r = nearest("at", "read_at", gap = "age")
  )))
})

test_that("clocks apart by whole hours are told of many rows as of few", {
  set.seed(64)
  for (n in c(30L, 3000L)) {
    at <- as.POSIXct("2031-05-01", tz = "UTC") + sort(sample.int(1e7L, n)) * 7200
    left <- data.frame(at = at)
    right <- data.frame(at = at - 3600)
    notes <- receipt(pair_rows(left, right, on = nearest("at")))$notes
    expect_match(notes, "gaps are 1 hour: different time zones?", fixed = TRUE, all = FALSE)
    # one odd gap changes nothing, gaps of many whole hours are no zone
    right$at[n] <- right$at[n] + 60
    notes <- receipt(pair_rows(left, right, on = nearest("at")))$notes
    expect_match(notes, sprintf("of %s gaps", with_commas(n)), all = FALSE)
    right$at <- left$at - 3600 * seq_len(n)
    notes <- receipt(pair_rows(left, right, on = nearest("at")))$notes
    expect_no_match(c(notes, ""), "time zones")
  }
})

test_that("rows that only an excluded end keeps alone are those that closed intervals match", {
  set.seed(1)
  values <- function(n, long) {
    x <- sample(c(1:5, NA), n, TRUE)
    if (long) bit64::as.integer64(x) else as.double(x)
  }
  wrong <- integer()
  for (round in 1:400) {
    n <- sample(0:5, 2L, TRUE)
    long <- round %% 3L == 0L
    left <- data.frame(a = values(n[1L], long), b = values(n[1L], long), p = values(n[1L], long))
    right <- data.frame(c = values(n[2L], long), d = values(n[2L], long), q = values(n[2L], long))
    rule <- function(ends) switch(1L + round %% 3L,
      inside("p", "c", "d", ends = ends, open_ended = round %% 2L == 0L),
      covers("a", "b", "q", ends = ends, open_ended = round %% 2L == 0L),
      overlap("a", "b", "c", "d", ends = ends, open_ended = round %% 2L == 0L)
    )
    matched <- function(ends) {
      found <- pair_rows(left, right, on = rule(ends), expect = "rows-multiply")
      list(rows = ronda:::left_by_match(found$matches, TRUE), notes = found$note_records)
    }
    open <- matched(one_of(c("[)", "(]", "()")))
    told <- Find(function(note) note$kind == "end", open$notes)$count
    if (told != length(setdiff(matched("[]")$rows, open$rows))) wrong <- c(wrong, round)
  }
  expect_identical(wrong, integer())
})

test_that("a left row alone has the partners that it has among others, in the same order", {
  several <- 0L
  for (seed in 1:100) {
    case <- seeded_case(seed, TRUE)
    spec <- case$spec
    if (is_once(spec$repeats) || identical(spec$repeats, "stop")) spec$repeats <- "all"
    # with R code in between the nearest rows are looked for in rounds
    if (case$distances && seed %% 2L) {
      spec <- with_many_pairs(spec)
      spec$calls <- list(nearest("p", "q", n = 3))
      spec$condition <- function(left, right) rep(TRUE, nrow(left))
    }
    partners <- function(case) {
      pairing <- tryCatch(suppressWarnings(pair_spec(case, spec)), ronda_error = function(e) NULL)
      if (!is.null(pairing)) partner_lister(pairing$matches)
    }
    whole <- partners(case)
    if (is.null(whole)) next
    for (row in utils::head(which(lengths(lapply(seq_len(nrow(case$left)), whole)) > 1L), 2L)) {
      own <- case
      own$left <- case$left[row, , drop = FALSE]
      found <- partners(own)(1L)
      expect_identical(found, whole(row), label = paste("seed", seed, "row", row))
      several <- several + (length(found) > 1L)
    }
  }
  expect_gt(several, 30L)
})

test_that("of gaps that are too long the first is told", {
  skip_if_not_installed("bit64")
  left <- data.frame(row = 1:4)
  left$k <- bit64::as.integer64(c("1", NA, "-9000000000000000000", "-9100000000000000000"))
  right <- data.frame(v = 1)
  right$k <- bit64::as.integer64("9000000000000000000")
  expect_error(join_frames(left, right, on = nearest("k", look = "either", gap = "apart")),
    paste0("too long for a column of 64-bit integers.\n",
      ".*between -9000000000000000000 and 9000000000000000000"
    ),
    class = "ronda_error_type"
  )
  near <- join_frames(left[1:2, ], right, on = nearest("k", look = "either", gap = "apart"))
  expect_identical(near$apart, bit64::as.integer64(c("-8999999999999999999", NA)))
})

test_that("a gap has the type that holds it, whatever the types of both columns", {
  skip_if_not_installed("bit64")
  values <- list(integer = 3:5, double = c(3, 4, 5), fraction = c(3.25, 4.5, 5),
    int64 = bit64::as.integer64(3:5)
  )
  for (x in names(values)) {
    for (y in names(values)) {
      left <- list2DF(list(k = values[[x]]))
      right <- list2DF(list(k = values[[y]]))
      gap <- join_frames(left, right, on = nearest("k", look = "either", gap = "apart"))$apart
      label <- paste(x, y)
      # rows stand in the order of their values, so that the nearest is in the same one
      expect_equal(as.numeric(gap), as.numeric(left$k) - as.numeric(right$k), label = label)
      long <- "int64" %in% c(x, y) && !any(c("double", "fraction") %in% c(x, y))
      expect_identical(inherits(gap, "integer64"), long, label = label)
      if (!long) expect_identical(typeof(gap), "double", label = label)
    }
  }
})
