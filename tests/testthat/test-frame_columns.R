left <- data.frame(port = c("A", "B"), day = 1:2, status = c("on", NA),
  km = c(1, 2)
)
right <- data.frame(port = c("A", "C"), status = c(NA, "off"), fare = c(5, 6),
  note = c("x", "y")
)
names_of <- function(...) names(join_frames(left, right, on = "port", ...))

test_that("a column name is one name in whichever encoding", {
  name <- "caf\u00e9"
  latin <- iconv(name, "UTF-8", "latin1")
  a <- stats::setNames(data.frame(1:2, 3:4), c(name, "note"))
  b <- stats::setNames(data.frame(2:1, 5:6), c(latin, "note"))
  joined <- join_frames(a, b, on = name)
  expect_identical(names(joined), c(name, "note", "right.note"))
  expect_identical(joined[[3]], 6:5)
  names(a)[2] <- "more"
  joined <- join_frames(a, b, on = c(more = "note"))
  expect_identical(names(joined),
    c(name, "more", paste0("right.", name))
  )
  names(b)[2] <- "other"
  expect_identical(join_frames(a, b, on = name),
    stats::setNames(data.frame(1:2, 3:4, 6:5), c(name, "more", "other"))
  )
  names(a) <- c(name, latin)
  expect_error(join_frames(a, b, on = name), class = "ronda_error_argument")
})

test_that("row names count as such unless they are row numbers", {
  left_behind <- function(frame) {
    receipt(pair_rows(frame, right, on = "port"))$row_names_left_behind
  }
  expect_identical(left_behind(left), c(FALSE, FALSE))
  expect_identical(left_behind(left[0, ]), c(FALSE, FALSE))
  expect_identical(left_behind(`row.names<-`(left, c("a", "b"))), c(TRUE, FALSE))
  joined <- join_frames(`row.names<-`(left, c("a", "b")), right, on = "port")
  expect_identical(row.names(joined), c("1", "2"))
  expect_true(last_receipt()$row_names_left_behind[1])
})

test_that("columns come in the order told", {
  expect_identical(names_of(), c(
    "port", "day", "status", "km", "right.status", "fare", "note"
  ))
  expect_identical(names_of(collisions = "rename"), c(
    "port", "day", "left.status", "km", "right.status", "fare", "note"
  ))
  expect_identical(names_of(take = c("note", cost = "fare")), c(
    "port", "day", "status", "km", "note", "cost"
  ))
  expect_identical(names_of(take = character()), names(left))
  expect_identical(names_of(omit = c("status", "note")), c(names(left), "fare"))
  expect_identical(names_of(take = list(left = c("km", "day"))), c(
    "port", "km", "day", "status", "fare", "note"
  ))
  expect_identical(names_of(take = list(left = c(harbour = "port", "km"),
    right = "fare"
  )), c("harbour", "km", "fare"))
  expect_identical(names_of(omit = list(left = c("status", "port"),
    right = "note"
  )), c("port", "day", "km", "status", "fare"))
  expect_identical(names_of(partners = "n", origin = "from",
    take = character()
  ), c(names(left), "n", "from"))
  expect_identical(names_of(keys = "both"), c(
    "port", "day", "status", "km", "right.port", "right.status", "fare", "note"
  ))
  expect_identical(names_of(keys = "both", take = "fare"), c(
    names(left), "right.port", "fare"
  ))
  expect_identical(names_of(keys = "both", take = c("fare", harbour = "port")),
    c(names(left), "fare", "harbour")
  )
  expect_identical(names_of(take = "port"), c(names(left), "right.port"))
  # the rest stands where it is asked for
  expect_identical(names_of(take = c(cost = "fare", .rest = TRUE)), c(
    names(left), "cost", "right.status", "note"
  ))
  expect_identical(names_of(take = c(.rest = TRUE, cost = "fare")), c(
    names(left), "right.status", "note", "cost"
  ))
  expect_identical(names_of(take = c(.rest = TRUE)), names_of())
  expect_identical(names_of(take = list(left = c(.rest = TRUE, far = "km"),
    right = c("fare", .rest = FALSE)
  )), c("port", "day", "status", "far", "fare"))
  expect_identical(names_of(row_numbers = c("l", "r"), origin = "o", omit = "status"),
    c(names(left), "fare", "note", "o", "l", "r")
  )
  expect_identical(names_of(row_numbers = c("l", "r"), rows = "semi"),
    c(names(left), "l")
  )
})

test_that("every value of `collisions` names and fills as it says", {
  merged <- function(how, rows = "full") {
    join_frames(left, right, on = "port", rows = rows, collisions = how)
  }
  expect_identical(names(merged("rename_left"))[c(3, 5)],
    c("left.status", "status")
  )
  expect_identical(names(merged("rename_right"))[c(3, 5)],
    c("status", "right.status")
  )
  expect_identical(merged("left")$status, c("on", NA, NA))
  expect_identical(merged("right")$status, c(NA, NA, "off"))
  expect_identical(merged("fill")$status, c("on", NA, "off"))
  expect_identical(merged("agree")$status, c("on", NA, "off"))
  expect_identical(merged(function(l, r) ifelse(is.na(l), r, l))$status,
    c("on", NA, "off")
  )
  expect_identical(merged("update")$status, c("on", NA, "off"))
  expect_identical(names(merged("left")), c(names(left), "fare", "note"))
  expect_identical(
    names(merged(list(status = "left", .other = "stop"))),
    c(names(left), "fare", "note")
  )
  kept <- join_frames(left, right, on = "port", take = c(status = "note"),
    collisions = "rename_left"
  )
  expect_named(kept, c("port", "day", "left.status", "km", "status"))
  filled <- join_frames(left, right, on = "port", take = c(status = "note"),
    collisions = "fill", rows = "full"
  )
  expect_identical(filled$status, c("on", NA, "y"))
})

test_that("lists are filled by element", {
  left <- data.frame(k = 1:3)
  left$l <- list(1, NULL, "a")
  right <- data.frame(k = 2:3)
  right$l <- list(8:7, "z")
  filled <- join_frames(left, right, on = "k", rows = "left", collisions = "fill")
  expect_identical(filled$l, list(1, 8:7, "a"))
})

test_that("\"agree\" compares values of every type, and says where they differ", {
  columns <- list(
    integer = list(1:2, c(1, 3)), factor = list(factor(c("a", "b")), c("a", "z")),
    day = list(as.Date("2031-01-01") + 0:1, as.Date("2031-01-01") + c(0, 5)),
    span = list(as.difftime(c(60, 120), units = "secs"),
      as.difftime(c(1, 3), units = "mins")
    ),
    long = list(bit64::as.integer64(1:2), c(1, 4)), list = list(list(1, "a"),
      list(1, "b")
    )
  )
  for (name in names(columns)) {
    x <- as_frame(list(k = 1:2, v = columns[[name]][[1L]]), 2L)
    y <- as_frame(list(k = 1:2, v = columns[[name]][[2L]]), 2L)
    caught <- tryCatch(join_frames(x, y, on = "k", collisions = "agree"),
      ronda_error_collision = identity
    )
    expect_identical(caught$left_rows, 2L, label = name)
    expect_match(conditionMessage(caught), "`v` differs", label = name)
    same_columns <- join_frames(x[1L, ], y[1L, ], on = "k", collisions = "agree")
    expect_identical(nrow(same_columns), 1L)
  }
})

test_that("left rule columns keep their names whatever `collisions` says", {
  trips <- data.frame(port = "A", at = 3, read = 1)
  readings <- data.frame(port = "A", at = 2, read = 2)
  for (how in c("rename", "rename_left", "left", "fill", "stop")) {
    joined <- tryCatch(
      join_frames(trips, readings, on = list("port", nearest("at")),
        collisions = list(read = "left", .other = how)
      ),
      ronda_error = function(e) stop(how, conditionMessage(e))
    )
    expect_named(joined, c("port", "at", "read", "right.at"))
    for (column in c("at", "port")) {
      expect_error(
        join_frames(trips, readings, on = list("port", nearest("at")),
          collisions = structure(list(how), names = column)
        ),
        sprintf("no effect on `%s`", column), class = "ronda_error_argument"
      )
    }
  }
})

test_that("a third join of one column name says what to write, and that works", {
  frames <- lapply(1:6, function(k) data.frame(id = 1:2, v = k))
  chain <- join_frames(frames[[1L]], frames[[2L]], on = "id")
  third <- frames[[3L]]
  for (frame in frames[4:6]) {
    caught <- tryCatch(join_frames(chain, third, on = "id"), error = identity)
    expect_s3_class(caught, "ronda_error_collision")
    line <- sub(".*Write: ", "", conditionMessage(caught))
    chain <- eval(parse(text = sprintf("join_frames(chain, third, on = \"id\", %s)", line)))
    third <- frame
  }
  expect_named(chain, c("id", "v", "right.v", "third.v", "right_2.v", "right_3.v"))
})

test_that("if_absent has a value for every other column that it fits", {
  left <- data.frame(k = 1:2, n = 1:2, t = c("a", NA))
  right <- data.frame(k = 2:3, i = 5:6, d = 0.5, s = "x", f = factor("u"), l = TRUE)
  joined <- join_frames(left, right, on = "k", rows = "full", if_absent = list(
    d = -1, .other = 0
  ))
  expect_identical(joined, data.frame(k = 1:3, n = c(1L, 2L, 0L), t = c("a", NA, NA),
    i = c(0L, 5L, 6L), d = c(-1, 0.5, 0.5), s = c(NA, "x", "x"),
    f = factor(c(NA, "u", "u")), l = c(NA, TRUE, TRUE)
  ))
  texts <- join_frames(left, right, on = "k", rows = "full",
    if_absent = list(.other = "none")
  )
  expect_identical(texts$t, c("a", NA, "none"))
  expect_identical(texts$f, factor(c("none", "u", "u"), c("u", "none")))
  expect_identical(texts$i, c(NA, 5L, 6L))
  expect_error(join_frames(left, right, on = "k", if_absent = list(.other = 1:2)),
    class = "ronda_error_argument"
  )
})

test_that("row numbers say where each line is from, whatever the rows", {
  left <- data.frame(k = c(2, 1, 5))
  right <- data.frame(k = c(1, 1, 3), v = 1:3)
  numbers <- function(rows, ...) {
    join_frames(left, right, on = "k", rows = rows, row_numbers = c("l", "r"), ...)
  }
  expect_identical(numbers("full")[c("l", "r")], data.frame(
    l = c(1L, 2L, 2L, 3L, NA), r = c(NA, 1L, 2L, NA, 3L)
  ))
  expect_identical(numbers("anti"), data.frame(k = c(2, 5), l = c(1L, 3L)))
  expect_error(numbers("left", origin = "l"), "`origin` can't be called|`row_numbers`",
    class = "ronda_error_argument"
  )
  expect_error(join_frames(left, right, on = "k", row_numbers = "l"),
    class = "ronda_error_argument"
  )
})
