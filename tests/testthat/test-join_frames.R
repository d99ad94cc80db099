join_types <- c("inner", "left", "right", "full", "semi", "anti", "unmatched")

test_that("every option agrees with the oracle, whatever the engine's path", {
  for (path in c("choose", "direct", "hashed")) {
    withr::local_options(ronda.path = path)
    for (threads in 1:2) {
      withr::local_options(
        ronda.threads = threads, ronda.chunk_rows = 3,
        ronda.deferred = if (threads == 2) "always" else TRUE,
        ronda.pairs_per_block = 5
      )
      from <- match(path, c("choose", "direct", "hashed")) * 1e5 + threads * 1e4
      expect_identical(differing_seeds(from + 1:60), numeric())
    }
  }
})

test_that("every pair of key types agrees with the oracle", {
  for (left in names(key_partners)) {
    for (right in key_partners[[left]]) {
      expect_identical(differing_seeds(1:8, c(left, right)), integer(),
        label = paste(left, "with", right)
      )
    }
  }
})

test_that("frames of 50 rows and `via` agree with the oracle", {
  via <- function(spec) {
    spec$via <- function(x) tolower(trimws(as.character(x)))
    spec
  }
  expect_identical(differing_seeds(1:40, c("text", "text"), via), integer())
  set.seed(1)
  for (k in 1:8) {
    case <- make_case(most = 50L)
    spec <- make_spec(case)
    expect_true(same_frame(
      run_spec(case, spec), oracle_join(case$left, case$right, spec)
    ))
  }
})

test_that("`rows` are parts of each other, with names and types that stay", {
  types_of <- function(frame) lapply(frame, function(x) x[0L])
  set.seed(2)
  for (k in 1:45) {
    case <- make_case()
    spec <- make_spec(case)
    if (identical(spec$collisions, "stop") ||
      identical(spec$collisions, "agree") || is.function(spec$collisions)) {
      spec$collisions <- "fill"
    }
    spec$row_order <- "left"
    spec$origin <- "from"
    # (one column of a key has the left's type where no right row stands alone)
    spec$keys <- "both"
    run <- function(rows, case) {
      spec$rows <- rows
      if (rows %in% c("semi", "anti")) {
        spec[c("origin", "if_absent", "take", "omit")] <- NULL
      }
      run_spec(case, spec)
    }
    all <- lapply(join_types, run, case)
    names(all) <- join_types
    if (is.character(all$full)) next
    whole <- c("inner", "left", "right", "full", "unmatched")
    # the same frames without their rows: types don't come from values
    bare <- case
    bare$left <- case$left[0L, ]
    bare$right <- case$right[0L, ]
    shapes <- lapply(c(all[whole], lapply(whole, run, bare)), types_of)
    expect_length(unique(unname(shapes)), 1L)
    expect_identical(names(all$semi), names(all$anti))
    words <- function(...) {
      frame <- lapply(list(...), function(x) {
        do.call(paste, lapply(unclass(x), function(column) {
          vapply(column, function(v) paste(format(v), collapse = " "), "")
        }))
      })
      sort(unlist(frame))
    }
    expect_identical(words(all$full), words(all$inner, all$unmatched))
    left_alone <- all$unmatched[all$unmatched$from == spec$sides[1L], ]
    expect_identical(words(all$left), words(all$inner, left_alone))
    expect_identical(nrow(all$semi) + nrow(all$anti), nrow(case$left))
  }
})

test_that("row_order = \"keys\" is C order, levels, missing last, stable", {
  left <- data.frame(k = c("b", "B", NA, "a", "b"), i = 1:5)
  right <- data.frame(k = c("b", "Z", "a", NA), j = 1:4)
  joined <- join_frames(left, right, on = "k", rows = "full",
    row_order = "keys"
  )
  expect_identical(joined$k, c("B", "Z", "a", "b", "b", NA, NA))
  expect_identical(joined$i, c(2L, NA, 4L, 1L, 5L, 3L, NA))
  sizes <- c("small", "large")
  left$k <- factor(c("large", "small", NA, "large", "small"), sizes)
  expect_identical(
    join_frames(left, left, on = "k", repeats = "first", row_order = "keys")$i,
    c(2L, 5L, 1L, 4L, 3L)
  )
  longs <- data.frame(k = bit64::as.integer64(c("9007199254740993", "-5", NA,
    "9007199254740992"
  )), i = 1:4)
  expect_identical(
    join_frames(longs, longs[1:2, ], on = "k", row_order = "keys", take = character())$i,
    c(2L, 4L, 1L, 3L)
  )
})

test_that("a left join of unique keys shares the left columns", {
  address <- function(x) {
    sub(" .*", "", utils::capture.output(.Internal(inspect(x)))[1L])
  }
  left <- data.frame(k = c(3L, 1L, 2L), v = c(1.5, 2.5, 3.5))
  left$bag <- list(1, 2, 3)
  right <- data.frame(k = 1:2, w = 1:2)
  joined <- join_frames(left, right, on = "k")
  for (name in names(left)) {
    expect_identical(address(joined[[name]]), address(left[[name]]))
  }
  joined$v[1L] <- 99
  expect_identical(left$v, c(1.5, 2.5, 3.5))
})

test_that("columns of every kind come through", {
  n <- 4L
  right <- data.frame(k = 1:n)
  right$complex <- complex(real = 1:n, imaginary = 0)
  right$raw <- as.raw(1:n)
  right$matrix <- matrix(1:8, n, dimnames = list(NULL, c("a", "b")))
  right$array <- array(1:16, c(n, 2, 2))
  right$frame <- data.frame(x = letters[1:n], y = I(as.list(1:n)))
  right$labelled <- structure(1:n, label = "a label")
  right$unheard <- structure(1:n, class = "unheard_of", unit = "m")
  right$lt <- as.POSIXlt("2031-05-01", tz = "UTC") + 86400 * (1:n)
  right$long <- bit64::as.integer64(1:n)
  right <- as_frame(
    c(unclass(right), list(named = c(a = 1, b = 2, c = 3, d = 4))), n
  )
  left <- data.frame(k = c(2L, 9L, 2L))
  joined <- join_frames(left, right, on = "k")
  rows <- c(2L, NA, 2L)
  expect_identical(joined$complex, right$complex[rows])
  expect_identical(joined$raw, as.raw(c(2, 0, 2)))
  expect_identical(joined$matrix, right$matrix[rows, ])
  expect_identical(joined$array, right$array[rows, , ])
  expect_identical(joined$frame$x, right$frame$x[rows])
  expect_identical(unclass(joined$frame$y), list(2L, NULL, 2L))
  expect_identical(joined$labelled, structure(rows, label = "a label"))
  expect_identical(joined$named, structure(c(2, NA, 2), names = c("b", "", "b")))
  expect_identical(joined$unheard,
    structure(rows, class = "unheard_of", unit = "m")
  )
  expect_identical(joined$lt, right$lt[rows])
  expect_identical(joined$long, bit64::as.integer64(rows))
})

test_that("a class with its own `[` is asked, and may fail with its name", {
  right <- data.frame(k = 1:2)
  right$odd <- structure(list(1, 2), class = "ronda_test_odd")
  local_mocked_s3("[.ronda_test_odd", function(x, i) {
    structure(unclass(x)[i], class = "ronda_test_odd", asked = TRUE)
  })
  joined <- join_frames(data.frame(k = c(2L, 3L)), right, on = "k")
  expect_true(attr(joined$odd, "asked"))
  local_mocked_s3("[.ronda_test_odd", function(x, i) stop("no rows here"))
  expect_error(join_frames(data.frame(k = 2L), right, on = "k"),
    "Column `odd` \\(ronda_test_odd\\) can't give the rows",
    class = "ronda_error_type"
  )
})

test_that("the frame's class stays where its attributes allow", {
  right <- data.frame(k = 1:2, w = 3:4)
  base <- data.frame(k = 2:3, row.names = c("x", "y"))
  attr(base, "note") <- "dropped"
  joined <- join_frames(base, right, on = "k")
  expect_identical(names(attributes(joined)), c("names", "class", "row.names"))
  expect_identical(row.names(joined), c("1", "2"))
  tibble <- tibble::tibble(k = 2:3)
  expect_identical(class(join_frames(tibble, right, on = "k")), class(tibble))
  expect_identical(class(join_frames(base, tibble, on = "k")), "data.frame")
  marked <- structure(tibble, class = c("grouped", class(tibble)),
    groups = list(1)
  )
  expect_mapequal(attributes(join_frames(marked, right, on = "k")),
    attributes(tibble::tibble(k = 1:2, w = 1))
  )
  plain <- structure(base, class = c("my_frame", "data.frame"), note = NULL)
  expect_identical(class(join_frames(plain, right, on = "k")),
    c("my_frame", "data.frame")
  )
})

test_that("zero rows and zero other columns work", {
  none <- data.frame(k = integer())
  some <- data.frame(k = 1:2)
  for (rows in join_types) {
    expect_identical(nrow(join_frames(none, none, on = "k", rows = rows)), 0L)
    joined <- join_frames(none, some, on = "k", rows = rows)
    expect_identical(nrow(joined), if (rows %in% c("right", "full",
      "unmatched"
    )) 2L else 0L)
    expect_identical(names(join_frames(some, some, on = "k", rows = rows)), "k")
    expect_identical(
      nrow(join_frames(none, some, on = cross(), rows = rows)),
      if (rows %in% c("right", "full", "unmatched")) 2L else 0L
    )
  }
})

test_that("64-bit keys match exactly and stop where they can't hold a value", {
  big <- bit64::as.integer64(c("9007199254740993", "9007199254740992", "5"))
  left <- data.frame(k = big, i = 1:3)
  right <- data.frame(k = c(9007199254740992, 5, 0.5, 0.5), j = 1:4)
  joined <- join_frames(left, right, on = "k")
  expect_identical(joined$j, c(NA, 1L, 2L))
  expect_identical(receipt(pair_rows(left, right, on = "k"))$key_shape,
    "one-to-many"
  )
  expect_error(join_frames(left, right, on = "k", rows = "full"),
    "holds 0.5, which a 64-bit integer can't hold",
    class = "ronda_error_type"
  )
  expect_error(join_frames(right, left, on = "k", rows = "full"),
    class = "ronda_error_type"
  )
  # where no right row stands alone the key is the left's own
  expect_identical(join_frames(right, left, on = "k")$k, c(2^53, 5, 0.5, 0.5))
  kept <- join_frames(right[1:2, ], left, on = "k", rows = "right")
  expect_s3_class(kept$k, "integer64")
})

test_that("several rules on one column, and rules on both names", {
  left <- data.frame(a = c("x", "y"), b = c("p", "q"))
  right <- data.frame(c = c("x", "y", "z"), d = c("x", "z", "z"), b = "p")
  joined <- join_frames(left, right, on = c(a = "c", a = "d"), rows = "full")
  expect_named(joined, c("a", "b", "d", "right.b"))
  expect_identical(joined$a, c("x", "y", "y", "z"))
  both <- join_frames(left, right, on = c(a = "c"), keys = "both",
    rows = "right", take = c(other = "d")
  )
  expect_named(both, c("a", "b", "c", "other"))
  expect_identical(both$a, c("x", "y", NA))
  chosen <- join_frames(left, right, on = c(a = "c"), take = c(k = "c"),
    rows = "full"
  )
  expect_identical(chosen$k, c("x", "y", "z"))
  renamed <- join_frames(left, right, on = c(a = "c"),
    take = list(left = c(bee = "b"), right = "b")
  )
  expect_named(renamed, c("a", "bee", "b"))
})

test_that("`if_absent` sets only what is blank because a side is absent", {
  left <- data.frame(k = 1:3, size = factor(c("s", NA, "l")))
  right <- data.frame(k = c(1L, 4L), price = c(NA, 2), day = as.Date(0:1,
    origin = "2031-01-01"
  ), n = c(1L, NA), when = as.difftime(1:2, units = "mins"))
  right$bag <- list(1, NULL)
  joined <- join_frames(left, right, on = "k", rows = "full", if_absent = list(
    price = 0, size = "none", day = as.Date("2030-01-01"), n = 7,
    bag = list("?"), when = as.difftime(1, units = "hours")
  ))
  expect_identical(joined$price, c(NA, 0, 0, 2))
  expect_identical(joined$n, c(1L, 7L, 7L, NA))
  expect_identical(as.character(joined$size), c("s", NA, "l", "none"))
  expect_identical(as.numeric(joined$when), c(1, 60, 60, 2))
  expect_identical(joined$bag, list(1, "?", "?", NULL))
  semi <- join_frames(left[1, ], right, on = "k", if_absent = list(size = "none"))
  expect_identical(levels(semi$size), c("l", "s", "none"))
})

test_that("the limit holds for pairs, and for nothing that makes none", {
  left <- data.frame(k = rep(1L, 2000))
  expect_error(
    join_frames(left, left, on = "k", expect = "rows-multiply"),
    "4,000,000 pairs, more than `max_rows` allows \\(1,000,000\\)",
    class = "ronda_error_too_many_rows"
  )
  withr::local_options(ronda.max_rows = 5e6)
  expect_identical(
    nrow(join_frames(left, left, on = "k", expect = "rows-multiply")), 4000000L
  )
  withr::local_options(ronda.max_rows = 1)
  expect_no_warning(
    expect_identical(nrow(join_frames(left, left, on = "k", rows = "semi")),
      2000L
    )
  )
  huge <- data.frame(k = rep(1L, 1e5))
  expect_error(
    join_frames(huge, huge, on = "k", max_rows = Inf, expect = "rows-multiply"),
    "more than a data frame can hold",
    class = "ronda_error_too_many_rows"
  )
  expect_identical(summary_rows(pair_rows(huge, huge, on = "k",
    expect = "rows-multiply"
  ))[["inner"]], 1e10)
})

test_that("text in other encodings and with odd characters matches", {
  left <- data.frame(k = c("caf\u00e9", "na\u00efve", "b"))
  right <- data.frame(k = iconv(c("na\u00efve", "caf\u00e9"), "UTF-8", "latin1"),
    j = 1:2
  )
  expect_identical(join_frames(left, right, on = "k")$j, c(2L, 1L, NA))
  expect_identical(join_frames(right, left, on = "k", rows = "semi")$j, 1:2)
})

test_that("inputs never change and pipes work", {
  set.seed(5)
  case <- make_case(c("factor", "text"))
  before <- serialize(case, NULL)
  for (rows in join_types) {
    spec <- make_spec(case)
    spec$rows <- "full"
    run_spec(case, spec)
  }
  expect_identical(serialize(case, NULL), before)
  joined <- sailings |> join_frames(vessels, on = c(vessel = "code"))
  expect_identical(last_receipt()$labels, c("sailings", "vessels"))
  expect_identical(nrow(joined), 60L)
})

test_that("`if_absent` takes the largest and the least whole number, and none beyond", {
  right <- data.frame(k = 2L, n = 1L)
  filled <- function(value) {
    join_frames(data.frame(k = 1L), right, on = "k", if_absent = list(n = value),
      expect = "may-be-empty"
    )$n
  }
  most <- .Machine$integer.max
  expect_identical(filled(most + 0), most)
  expect_identical(filled(-most + 0), -most)
  expect_error(filled(most + 1), class = "ronda_error_type")
})
