# Columns of the less usual types, through every verb that shows, fills or
# unites values.

big <- function(...) bit64::as.integer64(c(...))

test_that("`if_absent` takes a value of the column's own type and no other", {
  skip_if_not_installed("bit64")
  columns <- list(
    day = as.Date("2031-05-01"), at = as.POSIXct("2031-05-01 10:00", tz = "UTC"),
    count = big("5"), open = TRUE, kind = factor("car"), quay = "north",
    stay = as.difftime(5, units = "mins"), deck = 3L, fare = 1.5, wave = 2i,
    ticket = as.raw(1), release = numeric_version("1.2"), notes = list(1)
  )
  values <- c(columns, list(
    large = 3e9, small = 7, hours = as.difftime(1, units = "hours"),
    van = factor("van"), two = c(1, 2)
  ))
  # as which columns' type a value may stand, and what it becomes
  takes <- list(
    day = "day", at = "at", count = c("count", "deck", "small", "large"),
    open = "open", kind = c("kind", "quay", "van"), quay = c("quay", "kind", "van"),
    stay = c("stay", "hours"), deck = c("deck", "small"),
    fare = c("fare", "deck", "small", "large"), wave = "wave", ticket = "ticket",
    release = "release", notes = "notes"
  )
  left <- data.frame(k = 1:3)
  for (column in names(columns)) {
    right <- as_frame(list(k = 2L, x = columns[[column]]), 1L)
    for (name in names(values)) {
      call <- quote(join_frames(left, right, on = "k", if_absent = list(x = values[[name]])))
      if (!name %in% takes[[column]]) {
        error <- expect_error(eval(call), class = "ronda_error_type")
        expect_match(conditionMessage(error), "^`if_absent` can't put .* into `x` \\(")
        next
      }
      # (R 4.2's own method for versions warns of missing rows)
      x <- suppressWarnings(eval(call)$x)
      expect_identical(class(x), class(columns[[column]]))
      expect_identical(as.character(x[2L]), as.character(columns[[column]]))
      filled <- if (column == "notes") {
        identical(x[1L], values[[name]])
      } else {
        x[1L] == values[[name]]
      }
      expect_true(filled)
      expect_identical(x[1L], x[3L])
    }
  }
  for (most in c(-2147483647, 2147483647)) {
    deck <- function(value) {
      join_frames(left, data.frame(k = 2L, x = 3L), on = "k", if_absent = list(x = value))$x
    }
    expect_identical(deck(most), as.integer(c(most, 3, most)))
    expect_error(deck(most + sign(most)), class = "ronda_error_type")
  }
  marked <- as_frame(list(k = 2L, x = I(list("a"))), 1L)
  expect_identical(join_frames(left, marked, on = "k", if_absent = list(x = list(0)))$x,
    I(list(0, "a", 0))
  )
  for (column in setdiff(names(columns), c("notes", "ticket", "release"))) {
    right <- as_frame(list(k = 2L, x = columns[[column]]), 1L)
    x <- join_frames(left, right, on = "k", if_absent = list(x = NA))$x
    expect_identical(is.na(x), c(TRUE, FALSE, TRUE))
  }
})

test_that("64-bit integers are shown in full wherever a value is named", {
  skip_if_not_installed("bit64")
  set.seed(61)
  shown <- c("0", "7", "-7", "10000", "-10000", "4294967296", "-4294967296",
    "4294967295", "-4294967297", "9223372036854775807", "-9223372036854775807",
    "9007199254740993", vapply(1:40, function(i) {
      paste0(sample(c("", "-"), 1L), sample.int(9L, 1L),
        paste(sample(0:9, sample.int(17L, 1L), TRUE), collapse = "")
      )
    }, "")
  )
  for (text in shown) {
    twice <- data.frame(k = big(text, text))
    error <- expect_error(
      join_frames(data.frame(k = big(text)), twice, on = "k", repeats = "stop"),
      class = "ronda_error_expectation"
    )
    expect_match(conditionMessage(error), paste0("`k` = ", text, "\n"), fixed = TRUE)
    expect_match(utils::capture.output(print(
      explain_row(pair_rows(twice, twice, on = "k", expect = "rows-multiply"),
        left = 2
      )
    ))[1L], paste0("`k` = ", text), fixed = TRUE)
  }
})

test_that("the closest 64-bit integers of an unmatched row are named", {
  skip_if_not_installed("bit64")
  left <- data.frame(k = big("9007199254740993", "40"))
  right <- data.frame(k = big("9007199254740999", "41", NA, "-40"))
  expect_printed(print(explain_row(pair_rows(left, right, on = "k"), left = 2)))
})

test_that("64-bit integers beside fractions unite where they can", {
  skip_if_not_installed("bit64")
  left <- data.frame(k = big("9007199254740993", NA), x = big(NA, "-5"))
  right <- data.frame(k = c(7, NA), x = c(2, 1))
  joined <- join_frames(left, right, on = "k", rows = "full", collisions = "fill")
  expect_identical(as.character(joined$k), c("9007199254740993", NA, "7", NA))
  expect_identical(as.character(joined$x), c(NA, "-5", "2", "1"))
  right$x[2L] <- 1.5
  expect_error(
    join_frames(left, right, on = "k", rows = "full", collisions = "fill"),
    "`x` holds 1.5, which a 64-bit integer can't hold.", class = "ronda_error_type"
  )
  many <- join_many(list(a = left, b = right[1L, ], c = data.frame(k = 7L)), on = "k")
  expect_identical(as.character(many$k), c("9007199254740993", NA, "7"))
})

test_that("columns marked to be taken as they are join like their values", {
  plain <- data.frame(k = c("b", "a", "c"), v = 1:3)
  marked <- data.frame(k = I(c("a", "b")), w = I(c(2, 3)))
  marked$notes <- I(list(1, "x"))
  for (rows in c("left", "inner", "full", "semi", "anti")) {
    joined <- join_frames(plain, marked, on = "k", rows = rows)
    unmarked <- as_frame(list(k = c("a", "b"), w = c(2, 3), notes = list(1, "x")), 2L)
    wanted <- join_frames(plain, unmarked, on = "k", rows = rows)
    expect_identical(lapply(joined, unclass), lapply(wanted, unclass))
  }
  joined <- join_frames(plain, marked, on = "k")
  expect_s3_class(joined$w, "AsIs")
  expect_s3_class(joined$notes, "AsIs")
  expect_identical(join_many(list(a = plain, b = marked), on = "k")$k, plain$k)
  expect_error(join_frames(plain, data.frame(k = I(list(1, 2))), on = "k"),
    "`k` of `plain` (left) is text and `k` of `right` is AsIs: they can't be matched.",
    fixed = TRUE, class = "ronda_error_type"
  )
})

test_that("ordered and plain factors of the same levels unite as a plain one", {
  left <- data.frame(k = factor(c("low", "high"), c("low", "high"), ordered = TRUE))
  right <- data.frame(k = factor(c("high", "low", NA), c("low", "high")))
  joined <- join_frames(left, right, on = "k", rows = "full")
  expect_identical(joined$k, factor(c("low", "high", NA), c("low", "high")))
  expect_identical(join_frames(left, left, on = "k")$k, left$k)
})

test_that("arrays of one dimension and matrices with a class come row by row", {
  right <- data.frame(k = 1:3)
  right$counts <- table(c("car", "car", "van", "bike"))
  right$line <- array(11:13, 3L)
  right$grid <- structure(matrix(1:6, 3L, dimnames = list(c("a", "b", "c"), c("x", "y"))),
    class = "grid", unit = "m"
  )
  joined <- join_frames(data.frame(k = c(3L, 9L, 1L)), right, on = "k")
  expect_identical(as.vector(joined$counts), c(1L, NA, 1L))
  expect_identical(as.vector(joined$line), c(13L, NA, 11L))
  expect_identical(joined$grid, structure(
    matrix(c(3L, NA, 1L, 6L, NA, 4L), 3L, dimnames = list(c("c", NA, "a"), c("x", "y"))),
    class = "grid", unit = "m"
  ))
})

test_that("the conversion an error names makes the keys match", {
  columns <- list(
    whole = 1L, fare = 1.5, text = "2031-05-01", day = as.Date("2031-05-01"),
    at = as.POSIXct("2031-05-01", tz = "UTC"), open = TRUE,
    stay = as.difftime(5, units = "mins"), kind = factor("2031-05-01")
  )
  advice_on <- function(left, right) {
    tryCatch({
      join_frames(left, right, on = "k")
      NULL
    }, ronda_error_type = function(e) {
      lines <- strsplit(conditionMessage(e), "\n* ", fixed = TRUE)[[1L]]
      c(grep("^Write: ", lines, value = TRUE), lines)[1L]
    })
  }
  without_advice <- character()
  for (a in names(columns)) {
    for (b in names(columns)) {
      left <- data.frame(k = columns[[a]])
      right <- data.frame(k = columns[[b]])
      for (step in 1:3) {
        advice <- advice_on(left, right)
        if (is.null(advice) || !startsWith(advice, "Write: ")) break
        eval(parse(text = sub("Write: ", "", advice)))
      }
      if (!is.null(advice)) without_advice <- c(without_advice, paste(a, b))
    }
  }
  expect_setequal(without_advice, c(
    outer(c("text", "day", "at", "open", "kind"), "stay", paste),
    outer("stay", c("text", "day", "at", "open", "kind"), paste),
    "day open", "open day", "at open", "open at"
  ))
})

test_that("columns that can't be a key are refused by their kind", {
  right <- as_frame(list(k = 1L), 1L)
  columns <- list(list(1), numeric_version("1.2"), matrix(1:2, 1L),
    data.frame(a = 1), as.POSIXlt("2031-05-01", tz = "UTC")
  )
  expect_lines(vapply(columns, function(column) {
    left <- as_frame(list(k = 1L), 1L)
    left$k <- column
    conditionMessage(expect_error(join_frames(left, right, on = "k"),
      class = "ronda_error_type"
    ))
  }, ""))
})

test_that("types of filled columns and gaps depend on types, not on rows", {
  whole <- data.frame(k = 1:2)
  whole$day <- structure(c(22400L, 22401L), class = "Date")
  whole$span <- structure(1:2, class = "difftime", units = "hours")
  other <- data.frame(k = 1:3)
  for (rows in c("left", "full")) {
    filled <- join_frames(whole, other, on = "k", rows = rows, if_absent = list(
      day = as.Date("2031-05-01"), span = as.difftime(120, units = "mins")
    ))
    expect_identical(vapply(filled[2:3], typeof, ""), c(day = "integer", span = "integer"))
  }
  expect_identical(filled$day[3L], structure(22400L, class = "Date"))
  expect_error(join_frames(whole, other, on = "k", if_absent = list(
    day = as.Date("2031-05-01") + 0.5
  )), class = "ronda_error_type")
  long <- data.frame(t = bit64::as.integer64(5))
  gap_type <- function(x) {
    class(join_frames(long, data.frame(t = x), on = nearest("t", look = "either", gap = "g"))$g)
  }
  expect_identical(gap_type(3), "numeric")
  expect_identical(gap_type(2.5), "numeric")
  expect_identical(gap_type(3L), "integer64")
  expect_error(
    join_frames(data.frame(t = bit64::as.integer64("9007199254740995")),
      data.frame(t = 2), on = nearest("t", gap = "g")
    ),
    "9007199254740993 is too long",
    class = "ronda_error_type"
  )
})

test_that("keys of any type that `via` makes comparable stand side by side, in order", {
  left <- data.frame(v = 1:3)
  left$k <- as.POSIXlt(c("2020-01-03", "2020-01-01", "2020-01-02"), tz = "UTC")
  right <- data.frame(w = 1:2)
  right$k <- left$k[1:2]
  joined <- join_frames(left, right, on = same("k", via = as.POSIXct), keys = "both",
    row_order = "keys"
  )
  expect_identical(joined$v, c(2L, 3L, 1L))
  for (x in list(c(1 + 1i, 2), as.raw(1:2), list(3, 1))) {
    left <- as_frame(list(k = x, v = 1:2), 2L)
    right <- as_frame(list(k = x[2:1], w = 1:2), 2L)
    joined <- join_frames(left, right, rows = "full", row_order = "keys",
      on = same("k", via = function(x) as.character(unlist(x)))
    )
    expect_identical(joined$v[joined$w == 1L], 2L)
    expect_identical(joined$k, x[order(as.character(unlist(x)))])
  }
})

test_that("raw and S4 columns come through every type of join as they are", {
  left <- data.frame(k = 1:2, v = as.raw(1:2))
  right <- data.frame(k = 2:3, v = as.raw(2:3))
  left$s <- methods::new("OracleMetres", c(1, 2), unit = "m")
  for (rows in c("left", "inner", "full", "right", "semi", "anti", "unmatched")) {
    joined <- join_frames(left, right, on = "k", rows = rows, collisions = "fill")
    expect_true(isS4(joined$s), label = rows)
    expect_s4_class(joined$s, "OracleMetres")
    expect_identical(joined$s@unit, "m")
  }
  full <- join_frames(left, right, on = "k", rows = "full", collisions = "agree")
  expect_identical(full$v, as.raw(1:3))
})

test_that("a number that a 64-bit key can't hold is told with all its digits", {
  left <- data.frame(k = 1 / 3)
  right <- data.frame(k = bit64::as.integer64("7"))
  expect_error(join_frames(left, right, on = "k", rows = "full"),
    "holds 0.3333333333333333, which", class = "ronda_error_type"
  )
})

test_that("whatever type their numbers are of, the same frames have the same account", {
  skip_if_not_installed("bit64")
  types <- list(
    double = as.double, long = bit64::as.integer64,
    day = function(x) as.Date(x, origin = "1970-01-01"),
    at = function(x) as.POSIXct(x, origin = "1970-01-01", tz = "UTC"),
    stay = function(x) as.difftime(as.double(x), units = "secs")
  )
  set.seed(6301)
  some <- function(n) sample(c(-2:2, NA), n, TRUE)
  account <- function(type, left, right, on, ...) {
    left[] <- lapply(left, type)
    right[] <- lapply(right, type)
    pairing <- pair_rows(left, right, on = on, expect = c("rows-multiply", "may-be-empty"), ...)
    counts <- as.list(receipt(pairing))
    counts[c("seconds", "stages", "call", "on")] <- NULL
    # units aside
    notes <- grep(" counts (secs|days) here", counts$notes, invert = TRUE, value = TRUE)
    counts$notes <- gsub(" (sec|day)s?\\b", "", notes)
    made <- build_frame(pairing, "inner", take = character(), row_numbers = c("i", "j"))
    added <- lapply(made[setdiff(names(made), names(left))], as.double)
    list(counts = counts, added = added)
  }
  tried <- 0L
  for (round in 1:12) {
    left <- data.frame(from = some(7L), to = some(7L), k = some(7L))
    right <- data.frame(start = some(6L), end = some(6L), k = some(6L))
    ends <- sample(c("[)", "[]", "(]", "()"), 1L)
    open <- sample(c(TRUE, FALSE), 1L)
    look <- sample(c("back", "ahead", "either", "both"), 1L)
    shared <- c("low", "high", "length")
    ons <- list(
      inside("k", "start", "end", ends = ends, open_ended = open, shared = shared),
      covers("from", "to", "k", ends = ends, open_ended = open, shared = shared),
      overlap("from", "to", "start", "end", ends = ends, open_ended = open, shared = shared),
      nearest("k", look = look, within = sample(c(0, 1, Inf), 1L), equal = open, gap = "gap"),
      around("k", before = 1, after = 0), relate("k", sample(c("<", ">=", "!="), 1L)), same("k")
    )
    for (on in ons) {
      plain <- account(identity, left, right, on)
      for (type in types) {
        tried <- tried + 1L
        expect_identical(account(type, left, right, on), plain)
      }
    }
  }
  expect_identical(tried, 420L)
})
