left <- data.frame(vessel = c("GRE", "ALD", NA), n = 1:3, status = "x")
right <- data.frame(code = c("GRE", "GRE"), seats = 1:2, status = "y")
on <- c(vessel = "code")

test_that("wrong frames are refused", {
  twice <- structure(list(a = 1, a = 2), class = "data.frame", row.names = 1L)
  nameless <- structure(list(1), names = "", class = "data.frame",
    row.names = 1L
  )
  uneven <- structure(list(a = 1:2, b = 1:3), class = "data.frame",
    row.names = 1:2
  )
  expect_errors(
    join_frames(left),
    join_frames(right = right, on = on),
    join_frames(as.matrix(1), right, on = on),
    join_frames(left, NULL, on = on),
    join_frames(list(vessel = 1), right, on = on),
    join_frames(twice, right, on = "a"),
    join_frames(left, nameless, on = on),
    join_frames(uneven, right, on = "a"),
    pair_rows("sailings", right, on = on)
  )
})

test_that("wrong rules are refused", {
  expect_errors(
    join_frames(left, right),
    join_frames(left["n"], right["code"]),
    join_frames(left, right, on = "vessle"),
    join_frames(left, right, on = c(vessel = "cod")),
    join_frames(left, right, on = c(vessel = "elsewhere")),
    join_frames(left, right, on = character()),
    join_frames(left, right, on = NA_character_),
    join_frames(left, right, on = 1),
    join_frames(left, right, on = list("vessel", 2)),
    join_frames(left, right, on = list(cross(), "status")),
    same(1),
    same(c("a", "b")),
    same("a", via = "toupper"),
    same("a", via = list(toupper)),
    join_frames(left, right, on = same("vessel", "code", via = function(x) 1)),
    join_frames(left, right, on = same("vessel", "code", via = function(x) {
      stop("no such code")
    })),
    join_frames(left, right, on = same("n", "code", via = as.character), rows = "full")
  )
})

test_that("types that can't match are refused, with the conversion", {
  x <- data.frame(
    text = "1", number = 1, whole = 1L, flag = TRUE, day = Sys.Date(),
    time = as.POSIXct(0, origin = "1970-01-01", tz = "UTC"),
    span = as.difftime(1, units = "mins")
  )
  x$list <- list(1)
  x$lt <- as.POSIXlt(x$time)
  x$other <- structure(1, class = "knots")
  x$matrix <- matrix(1:2, 1)
  expect_errors(
    join_frames(x, x, on = c(text = "number")),
    join_frames(x, x, on = c(whole = "text")),
    join_frames(x, x, on = c(flag = "whole")),
    join_frames(x, x, on = c(flag = "text")),
    join_frames(x, x, on = c(day = "time")),
    join_frames(x, x, on = c(text = "day")),
    join_frames(x, x, on = c(time = "text")),
    join_frames(x, x, on = c(span = "number")),
    join_frames(x, x, on = "list"),
    join_frames(x, x, on = "lt"),
    join_frames(x, x, on = "other"),
    join_frames(x, x, on = "matrix")
  )
})

test_that("wrong arguments are refused", {
  expect_errors(
    join_frames(left, right, on = on, rows = "outer"),
    join_frames(left, right, on = on, rows = "lef"),
    join_frames(left, right, on = on, rows = 1),
    join_frames(left, right, on, "left", "first"),
    join_frames(left, right, on = on, repeat_rows = "first"),
    join_frames(left, right, on = on, wher = ~TRUE),
    join_frames(left, right, on = on, missing_keys = "na"),
    join_frames(left, right, on = on, repeats = "any"),
    join_frames(left, right, on = on, repeats = highest("seat")),
    highest(2),
    join_frames(left, right, on = on, expect = "one-to-onw"),
    join_frames(left, right, on = on, expect = TRUE),
    join_frames(left, right, on = on, expect = c("one-to-one", "many-to-one")),
    join_frames(left, right, on = on, max_rows = "many"),
    join_frames(left, right, on = on, sides = c("a", "a")),
    join_frames(left, right, on = on, sides = c("a", "paired")),
    join_frames(left, right, on = on, row_order = "up"),
    join_frames(left, right, on = cross(), row_order = "keys"),
    join_frames(left, right, on = on, keys = "none"),
    join_frames(left, right, on = on, name_pattern = "{column}"),
    join_frames(left, right, on = on, where = ~ left$n < right$seat),
    join_frames(left, right, on = on, where = ~ left$n),
    join_frames(left, right, on = on, where = n ~ seats),
    join_frames(left, right, on = on, where = function(l, r) c(TRUE, NA, NA)),
    join_frames(left, right, on = on, where = ~ stop("broken")),
    join_frames(left, right, on = on, rows = "semi", take = "seats"),
    join_frames(left, right, on = on, rows = "anti", origin = "from"),
    join_frames(left, right, on = on, rows = "semi", row_order = "right"),
    build_frame(left),
    receipt(1),
    split_frames(pair_rows(left, right, on), rows = "left")
  )
})

test_that("wrong columns are refused", {
  expect_errors(
    join_frames(left, right, on = on, take = "seat"),
    join_frames(left, right, on = on, take = 2),
    join_frames(left, right, on = on, take = list("seats")),
    join_frames(left, right, on = on, omit = list(left = "m")),
    join_frames(left, right, on = on, take = "seats", omit = "status"),
    join_frames(left, right, on = on, take = c(n = "seats")),
    join_frames(left, right, on = on, take = c(vessel = "seats")),
    join_frames(left, right, on = on, take = c(a = "seats", a = "status")),
    join_frames(left, right, on = on, collisions = "both"),
    join_frames(left, right, on = on, collisions = "stop"),
    join_frames(left, right, on = on, collisions = list("left")),
    join_frames(left, right, on = on, collisions = list(state = "left")),
    join_frames(left, right, on = on, collisions = list(status = "lft")),
    join_frames(left, right, on = on, collisions = "agree"),
    join_frames(left, right, on = on, collisions = function(l, r) 1:7),
    join_frames(left, right, on = on, collisions = function(l, r) stop("no")),
    join_frames(left, transform(right, n = Sys.Date()), on = on,
      collisions = list(n = "fill")
    ),
    join_frames(transform(left, right.status = 1), right, on = on),
    join_frames(left, right, on = on, origin = "n"),
    join_frames(left, right, on = on, origin = NA),
    join_frames(left, right, on = on, partners = "origin", origin = "origin"),
    join_frames(left, right, on = on, if_absent = 0),
    join_frames(left, right, on = on, if_absent = list(seat = 0)),
    join_frames(left, right, on = on, if_absent = list(vessel = "?")),
    join_frames(left, right, on = on, partners = "k", if_absent = list(k = 0)),
    join_frames(left, right, on = on, if_absent = list(seats = 0.5)),
    join_frames(left, right, on = on, if_absent = list(seats = 1:2)),
    join_frames(left, right, on = on, if_absent = list(seats = "none")),
    join_frames(left, right, on = on, if_absent = list(seats = Sys.Date())),
    join_frames(left, right, on = same("vessel", "seats", via = as.character))
  )
})

test_that("what must hold is checked", {
  many <- data.frame(code = rep(c("GRE", "ALD"), c(3, 2)), k = 1:5)
  expect_errors(
    join_frames(left, right, on = on, missing_keys = "stop"),
    join_frames(left, right, on = on, expect = "no-missing-keys"),
    join_frames(left, right, on = on, expect = "one-to-one"),
    join_frames(left, right, on = on, expect = "many-to-one"),
    join_frames(many, many, on = "code", expect = "one-to-many"),
    join_frames(left, right, on = on, expect = "left-complete"),
    join_frames(right, left, on = c(code = "vessel"), expect = "right-complete"),
    join_frames(left, right, on = on, repeats = "stop"),
    join_frames(many, many, on = "code"),
    join_frames(many, many, on = "code", where = ~ left$k != right$k),
    join_frames(many, many, on = "code", where = ~TRUE, expect = "many-to-one"),
    join_frames(many, many, on = "code", expect = "rows-multiply", max_rows = 12),
    join_frames(many, many, on = cross(), where = ~ left$k != right$k,
      max_rows = 12
    )
  )
})

test_that("conditions carry all rows and keys", {
  caught <- tryCatch(join_frames(left, right, on = on, expect = "many-to-one"),
    ronda_error_expectation = identity
  )
  expect_identical(caught$right_rows, 1:2)
  expect_identical(caught$keys, data.frame(code = "GRE"))
  caught <- tryCatch(join_frames(left, right, on = on, expect = "left-complete"),
    ronda_error_expectation = identity
  )
  expect_identical(caught$left_rows, 2:3)
  expect_identical(caught$keys, data.frame(vessel = c("ALD", NA)))
  expect_s3_class(caught, c("ronda_error_expectation", "ronda_error", "error"))
})

test_that("files and frames by name are checked", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(c("a,b", "1,2", "3"), "ragged.csv")
  writeLines("x", "x.docx")
  bag <- data.frame(a = 1)
  bag$list <- list(1)
  saveRDS(1, "no-frame.rds")
  expect_errors(
    read_frame("nothing.csv"),
    read_frame("x.docx"),
    read_frame(1),
    read_frame("ragged.csv"),
    read_frame("no-frame.rds"),
    read_frame("ragged.csv", types = "text"),
    read_frame("ragged.csv", types = c(a = "word")),
    write_frame(bag, "bag.csv"),
    write_frame(bag, "no-folder/bag.rds"),
    write_frame(1, "one.csv")
  )
  expect_identical(sort(list.files()), c("no-frame.rds", "ragged.csv", "x.docx"))
})

test_that("many frames are checked", {
  a <- data.frame(port = c("A", "B"), n = 1:2)
  b <- data.frame(port = c("A", "C"), n = 2:3)
  expect_errors(
    join_many(a, on = "port"),
    join_many(list(a, b), on = "port"),
    join_many(list(a = a, b = 1), on = "port"),
    join_many(list(a = a, b = b)),
    join_many(list(a = a, b = b), on = "prot"),
    join_many(list(a = a, b = b), on = "port", rows = "anti"),
    join_many(list(a = a, b = b, c = b), on = list(b = "port")),
    join_many(list(a = a, b = b), on = "port", collisions = "rename_left"),
    join_many(list(a = a, b = b), on = "port", collisions = "stop"),
    join_many(list(a = a, b = b), on = "port", collisions = "agree"),
    join_many(list(a = a, b = b), on = "port", origin = "a.n"),
    join_many(list(a = a, b = b), on = c(port = "n")),
    row_labels(1),
    row_labels(a, "port")
  )
})

test_that("what is asked for in other words is told in ours", {
  said <- function(...) {
    tryCatch(join_frames(left, right, ...), ronda_error_argument = conditionMessage)
  }
  expect_match(said(on = on, rows = "outer"), "Did you mean \"full\"?", fixed = TRUE)
  expect_match(said(by = on), "Did you mean `on`?", fixed = TRUE)
  expect_match(said(on = on, suffix = "x"), "Did you mean `name_pattern`?", fixed = TRUE)
  # whatever is meant is one of ours
  own <- names(formals(join_frames))
  expect_true(all(unlist(known_arguments) %in% own))
  expect_true(all(names(known_words) %in% c(own, names(formals(nearest)))))
  expect_true(all(known_words$rows %in% names(row_types)))
  expect_true(all(known_words$collisions %in% names(collision_kinds)))
})
