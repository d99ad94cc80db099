# What is told to be written is written, as it stands, until the join runs; then the
# values that were made from the same ones must have met.

written_until_it_joins <- function(left, right, on) {
  here <- environment()
  for (round in 1:5) {
    result <- tryCatch(
      eval(quote(join_frames(left, right, on = on, rows = "inner",
        expect = "rows-multiply", collisions = "right"
      )), here),
      ronda_error_type = function(e) conditionMessage(e)
    )
    if (is.data.frame(result)) {
      return(result)
    }
    lines <- regmatches(result, gregexpr("Write: [^\n]*", result))[[1L]]
    if (!length(lines)) {
      return(result)
    }
    eval(parse(text = sub("Write: ", "", lines[1L])), here)
  }
  "never"
}

day_forms <- c("%Y-%m-%d", "%Y/%m/%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y",
  "%Y%m%d"
)

# the same things in many types
makings <- list(
  number = list(
    double = as.double, integer = as.integer, int64 = bit64::as.integer64,
    text = function(x) sprintf("%.0f", x), factor = function(x) factor(sprintf("%.0f", x)),
    padded = function(x) ifelse(is.na(x), NA, sprintf("%07.0f", x))
  ),
  day = c(
    list(
      date = identity, whole = function(x) structure(as.integer(x), class = "Date"),
      time = function(x) as.POSIXct(format(x), tz = "Pacific/Auckland"),
      counted = as.numeric, written = function(x) as.numeric(format(x, "%Y%m%d"))
    ),
    lapply(day_forms, function(form) function(x) format(x, form)),
    list(factor = function(x) factor(format(x, "%d/%m/%Y")))
  ),
  time = c(
    list(
      time = identity, other_zone = function(x) `attr<-`(x, "tzone", "UTC"),
      long = as.POSIXlt, seconds = as.numeric, thousandths = function(x) as.numeric(x) * 1000,
      utc = function(x) format(x, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
    ),
    lapply(c("%Y-%m-%d %H:%M", "%Y-%m-%d %H:%M:%S", "%d.%m.%Y %H:%M", "%m/%d/%Y %H:%M",
      "%Y-%m-%dT%H:%M:%S"
    ), function(form) function(x) format(x, form))
  ),
  flag = list(
    logical = identity, number = as.integer, text = as.character, factor = factor
  ),
  span = list(
    mins = identity, hours = function(x) `units<-`(x, "hours"), number = as.numeric,
    text = function(x) as.character(as.numeric(x))
  )
)

# Pairs whose values alone can't say how they are the same: numbers that count days
# in a zone, or in another unit, times in words without their zone
says_nothing <- function(kind, x, y) {
  is <- function(class) inherits(x, class) || inherits(y, class)
  has <- function(test) isTRUE(test(x)) || isTRUE(test(y))
  text <- function(x) is.character(x) || is.factor(x)
  zoned <- function(x) inherits(x, "POSIXct") && attr(x, "tzone") == "UTC"
  switch(kind,
    day = is("POSIXct") && has(is.numeric) || has(is.numeric) && has(text) &&
      any(grepl("^[0-9]{8}$", c(as.character(x), as.character(y)))),
    time = has(zoned) && has(text) && !any(grepl("Z$", c(as.character(x), as.character(y)))) ||
      has(text) && has(is.numeric),
    span = is("difftime") && any(c(attr(x, "units"), attr(y, "units")) == "hours") &&
      (has(is.numeric) || has(text)),
    FALSE
  )
}

values_of <- list(
  number = function(n) sample(c(100000, 1e6, 7, 42, 1:9 * 10000), n),
  day = function(n) as.Date("2031-01-01") + sample(0:400, n),
  time = function(n) {
    as.POSIXct("2031-05-01 00:00", tz = "Asia/Tokyo") + 60 * sample(20000, n)
  },
  flag = function(n) rep_len(c(TRUE, FALSE, NA), n),
  span = function(n) as.difftime(sample(60, n), units = "mins")
)

test_that("what is told to be written joins what is the same, whatever its type", {
  set.seed(2107)
  met <- told <- 0L
  for (kind in names(makings)) {
    for (a in makings[[kind]]) {
      for (b in makings[[kind]]) {
        x <- values_of[[kind]](9)
        y <- c(x[c(2, 4, 6, NA)], values_of[[kind]](2))
        left <- list2DF(list(k = a(x), i = seq_along(x)))
        right <- list2DF(list(k = b(y), j = seq_along(y)))
        joined <- written_until_it_joins(left, right, "k")
        truth <- sum(outer(as.numeric(x), as.numeric(y), `==`), na.rm = TRUE)
        # texts of times alone, and of days in two forms, say nothing of each other
        if (is.character(left$k) + is.factor(left$k) + is.character(right$k) +
          is.factor(right$k) == 2L) {
          next
        }
        if (says_nothing(kind, left$k, right$k)) next
        told <- told + 1L
        if (is.data.frame(joined) && nrow(joined) == truth) {
          met <- met + 1L
        } else if (!(is.numeric(left$k) && is.numeric(right$k))) {
          fail(sprintf("%s: %s with %s: %s", kind, class(left$k)[1L], class(right$k)[1L],
            if (is.data.frame(joined)) sprintf("%d rows, not %d", nrow(joined), truth) else {
              joined
            }
          ))
        }
      }
    }
  }
  expect_gt(met, 150L)
})

test_that("ordered rules tell the same, bounds and all", {
  set.seed(2108)
  n <- 12
  for (kind in c("number", "day", "time")) {
    for (a in makings[[kind]]) {
      # (the first of each kind is the type that needs no change)
      x <- sort(values_of[[kind]](n))
      left <- list2DF(list(k = a(x)))
      right <- list2DF(list(k = makings[[kind]][[1L]](x), j = seq_len(n)))
      for (on in list(
        inside("k", "from", "to", ends = "[]"), nearest("k"), relate("k", ">=", "k")
      )) {
        right$from <- right$to <- right$k
        # text is compared as text where the rule takes it
        joined <- written_until_it_joins(left, right, on)
        expect_s3_class(joined, "data.frame")
        if (unclass(on)[[1L]]$kind != "relate") expect_identical(joined$j, seq_len(n))
        joined <- written_until_it_joins(right, left,
          if (unclass(on)[[1L]]$kind == "inside") covers("from", "to", "k", ends = "[]") else on
        )
        expect_s3_class(joined, "data.frame")
      }
    }
  }
})

test_that("text that is no number, or in no known form, is told so", {
  said <- function(x, y) {
    tryCatch(join_frames(list2DF(list(k = x)), list2DF(list(k = y)), on = "k"),
      ronda_error_type = conditionMessage
    )
  }
  expect_match(said(c(7, NA), c("007", "A12")),
    'ifelse(is.na(left$k), NA, sprintf("%03.0f", left$k))',
    fixed = TRUE
  )
  expect_match(said(7L, c("7", "A12")), 'sprintf("%d", left$k)', fixed = TRUE)
  expect_match(said(c(7.25, 1e5), "x"), 'sprintf("%.15g", left$k)', fixed = TRUE)
  expect_match(said(7, "007"), '"007" becomes 7')
  expect_match(said(7, "9007199254740993"), "bit64::as.integer64", fixed = TRUE)
  expect_match(said(Sys.Date(), "first of May"), "in no form that is known")
  expect_match(said(Sys.Date(), factor("03/04/2031")),
    "as.Date(as.character(right$k)", fixed = TRUE)
  # of two forms that fit, the one by which days meet
  expect_match(said(as.Date("2031-03-04"), "03/04/2031"), "%m/%d/%Y", fixed = TRUE)
  expect_match(said(as.Date("2031-04-03"), "03/04/2031"), "%d/%m/%Y", fixed = TRUE)
  expect_match(said(structure(2, units = "km", class = "units"), 2), "have a unit")
  expect_match(said(TRUE, "yes"), "as.character(left$k)", fixed = TRUE)
  expect_match(said(complex(1), 1), "as.character(left$k)", fixed = TRUE)
})

test_that("classes that only add attributes are keys like what they are under them", {
  labelled <- structure(c(1, 2, NA), labels = c(sailed = 1, cancelled = 2), label = "state",
    class = c("haven_labelled", "vctrs_vctr", "double")
  )
  left <- list2DF(list(k = labelled, i = 1:3))
  joined <- join_frames(left, data.frame(k = 2:3, v = 4:5), on = "k")
  expect_identical(joined$k, labelled)
  expect_identical(joined$v, c(NA, 4L, NA))
  full <- join_frames(left, data.frame(k = 2:3, v = 4:5), on = "k", rows = "full")
  expect_identical(attributes(full$k), attributes(labelled))
  expect_identical(as.numeric(unclass(full$k)), c(1, 2, NA, 3))
  glued <- structure(c("a", "b"), class = c("glue", "character"))
  joined <- join_frames(list2DF(list(k = glued)), data.frame(k = factor("b"), v = 1), on = "k")
  expect_identical(joined$v, c(NA, 1))
  own <- list2DF(list(k = structure(3:1, class = "wharf_number")))
  expect_identical(join_frames(own, data.frame(k = 2L, v = 1), on = nearest("k"))$v, c(1, 1, NA))
  # one that compares in its own way is no plain number
  expect_error(
    join_frames(list2DF(list(k = utils::as.roman(1:2))), data.frame(k = 1), on = "k"),
    class = "ronda_error_type"
  )
})

test_that("names of columns without quotes are told with their quotes", {
  trips <- data.frame(port = "A", date = 1, at = 2)
  ports <- data.frame(code = "A", date = 1, at = 1)
  for (one in expression(
    join_frames(trips, ports, on = c(port = code)),
    join_frames(trips, ports, on = port == code), join_frames(trips, ports, on = ~ code == port),
    join_frames(trips, ports, on = date),
    pair_rows(trips, ports, on = list("date", nearest(at))),
    join_frames(trips, ports, on = "date", take = code, keys = "both")
  )) {
    said <- tryCatch(eval(one), ronda_error_argument = conditionMessage)
    expect_match(said, "go in quotes")
    line <- sub(".*Write: ", "", said)
    argument <- sub(" = .*", "", line)
    one[[argument]] <- str2lang(sub("^[a-z]+ = ", "", line))
    expect_true(inherits(eval(one), c("data.frame", "ronda_pairing")))
  }
  # in every argument of names, whether there is another object of that name or not: a
  # function, a number, a flag, a frame
  for (name in c("wharf", "date", "pi", "T", "sailings")) {
    column <- as.name(name)
    trips <- stats::setNames(data.frame(1, 2, 3), c("k", "km", name))
    ports <- stats::setNames(data.frame(1, 4, 3), c("k", "at", name))
    for (one in list(
      bquote(join_frames(trips, ports, on = .(column))),
      bquote(join_frames(trips, ports, on = list("k", .(column)))),
      bquote(join_frames(trips, ports, on = list("k", nearest(.(column))))),
      bquote(join_frames(trips, ports, on = same(.(column)))),
      bquote(join_frames(trips, ports, on = "k", take = .(column))),
      bquote(join_frames(trips, ports, on = "k", omit = .(column)))
    )) {
      said <- tryCatch(eval(one), ronda_error_argument = conditionMessage)
      label <- deparse1(one)
      expect_match(said, sprintf("go in quotes, and `%s` has none", name), label = label)
      line <- sub(".*Write: ", "", said)
      one[[sub(" = .*", "", line)]] <- str2lang(sub("^[a-z]+ = ", "", line))
      expect_s3_class(eval(one), "data.frame")
    }
  }
  trips <- data.frame(port = "A", date = 1, at = 2)
  ports <- data.frame(code = "A", date = 1, at = 1)
  # an object that is missing for another reason stays its own error
  expect_error(join_frames(no_frame, ports, on = "date"), "no_frame")
  expect_error(join_frames(trips, no_frame, on = date), "no_frame")
  within <- function(...) pair_rows(...)
  expect_error(within(trips, ports, on = nothing_such), "nothing_such")
  expect_error(join_frames(trips, ports, on = nothing_such), "nothing_such")
  expect_error(join_frames(trips, ports, on = "date", where = ~ nothing_such > 1),
    class = "ronda_error"
  )
})
