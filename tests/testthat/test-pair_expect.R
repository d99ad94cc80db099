# What each expectation should say, from the oracle's pairs
oracle_relationship <- function(pairs) {
  paste(if (anyDuplicated(pairs$right)) "many" else "one", "to",
    if (anyDuplicated(pairs$left)) "many" else "one",
    sep = "-"
  )
}

fails <- function(...) {
  tryCatch(
    {
      suppressWarnings(pair_rows(...))
      NULL
    },
    ronda_error_expectation = function(e) e
  )
}

test_that("completeness is what the oracle's pairs say, with all rows", {
  set.seed(41)
  for (round in 1:80) {
    case <- make_case(c("integer", "double"))
    spec <- make_spec(case)
    spec$repeats <- "all"
    on <- structure(case$right_keys, names = case$left_keys)
    pairs <- oracle_pairs(case$left, case$right, spec)
    for (side in c("left", "right")) {
      alone <- setdiff(seq_len(nrow(case[[side]])), pairs[[side]])
      caught <- fails(case$left, case$right, on = on, where = spec$condition,
        missing_keys = spec$missing_keys, expect = paste0(side, "-complete")
      )
      if (length(alone)) {
        expect_equal(caught[[paste0(side, "_rows")]], alone)
        expect_identical(names(caught$keys), case[[paste0(side, "_keys")]])
        expect_false(anyDuplicated(caught$keys) > 0L)
      } else {
        expect_null(caught)
      }
    }
  }
})

test_that("relationships are those of the keys, or of the candidates", {
  set.seed(42)
  allowed <- list(
    "one-to-one" = "one-to-one",
    "one-to-many" = c("one-to-one", "one-to-many"),
    "many-to-one" = c("one-to-one", "many-to-one")
  )
  types <- list(
    c("integer", "integer"), c("plain", "encodings"), c("encodings", "plain"),
    c("encodings", "encodings")
  )
  for (round in 1:160) {
    case <- make_case(types[[1L + round %% 4L]], most = 6L)
    spec <- make_spec(case)
    on <- structure(case$right_keys, names = case$left_keys)
    words <- lapply(c("left", "right"), function(side) {
      words <- oracle_words(case[[side]][[case[[paste0(side, "_keys")]]]])
      if (spec$missing_keys == "match") words else words[!is.na(words)]
    })
    spec$repeats <- "all"
    relationship <- if (is.null(spec$where)) {
      paste(if (anyDuplicated(words[[1L]])) "many" else "one", "to",
        if (anyDuplicated(words[[2L]])) "many" else "one",
        sep = "-"
      )
    } else {
      oracle_relationship(oracle_pairs(case$left, case$right, spec))
    }
    for (expected in names(allowed)) {
      caught <- fails(case$left, case$right, on = on, where = spec$condition,
        missing_keys = spec$missing_keys, expect = expected
      )
      expect_identical(is.null(caught), relationship %in% allowed[[expected]])
      if (!is.null(caught) && is.null(spec$where)) {
        repeated <- function(words) which(words %in% words[duplicated(words)])
        all_words <- lapply(c("left", "right"), function(side) {
          words <- oracle_words(case[[side]][[case[[paste0(side, "_keys")]]]])
          if (spec$missing_keys != "match") {
            words[is.na(words)] <- paste("alone", which(is.na(words)))
          }
          words
        })
        if (startsWith(expected, "one")) {
          expect_identical(as.integer(caught$left_rows), repeated(all_words[[1L]]))
        }
        if (endsWith(expected, "one")) {
          expect_identical(as.integer(caught$right_rows),
            repeated(all_words[[2L]])
          )
        }
      }
    }
  }
})

test_that("missing keys stop as told, with their rows", {
  left <- data.frame(a = c(1, NA, 3, NaN), b = c("x", "y", NA, "z"))
  right <- data.frame(a = c(1, NA), b = c("x", "y"))
  for (how in list(list(missing_keys = "stop"), list(expect = "no-missing-keys"))) {
    caught <- tryCatch(
      do.call(pair_rows, c(list(left, right, on = c("a", "b")), how)),
      ronda_error_expectation = identity
    )
    expect_identical(caught$left_rows, 2:4)
    expect_identical(caught$right_rows, 2L)
  }
  expect_s3_class(pair_rows(left, right, on = c("a", "b"), expect = "one-to-one"),
    "ronda_pairing"
  )
})

test_that("a many-to-many warning comes once, where rows multiply unasked", {
  many <- data.frame(k = c(1, 1, 2), n = 1:3)
  quiet <- function(...) expect_no_warning(join_frames(many, many, on = "k", ...))
  expect_warning(join_frames(many, many, on = "k"),
    class = "ronda_warning_rows_multiply"
  )
  expect_warning(pair_rows(many, many, on = "k"),
    class = "ronda_warning_rows_multiply"
  )
  quiet(expect = "rows-multiply")
  quiet(repeats = "first")
  quiet(rows = "semi")
  quiet(rows = "anti")
  quiet(rows = "unmatched")
  expect_no_warning(join_frames(many, many[3, ], on = "k"))
  expect_no_warning(join_frames(many, many, on = cross()))
  expect_no_warning(join_frames(many[2:3, ], many, on = "k"))
  caught <- tryCatch(pair_rows(many, many, on = "k"), ronda_warning = identity)
  expect_identical(caught$keys, data.frame(
    k = 1, left_rows = 2L, right_rows = 2L, pairs = 4
  ))
})

test_that("all that fails is told at once, with the rows of each", {
  orders <- data.frame(item = c("A", "A", "B", NA, "X"), n = 1:5)
  items <- data.frame(item = c("A", "B", "C", "D"), price = 1:4)
  caught <- fails(orders, items,
    on = "item", missing_keys = "stop",
    expect = list("one-to-one", c("left-complete", "right-complete"),
      left_matched = 0.9, right_matched = 0.5,
      function(receipt) receipt$pairs == 3,
      function(receipt) if (receipt$pairs < 9) "fewer than nine pairs" else TRUE,
      "no gaps" = function(receipt) receipt$missing_left == 0
    )
  )
  said <- conditionMessage(caught)
  expect_match(said, "^7 expectations failed")
  for (words in c("Some keys are missing", "one-to-one, but the pairing is many-to-one",
    "every row of `orders` to have a partner, but 2", "every row of `items`",
    "Expected 90% of the rows of `orders` to have a partner, but 3 of 5 do \\(60%\\)",
    "fewer than nine pairs", "`no gaps` does not hold: receipt\\$missing_left == 0"
  )) {
    expect_match(said, words)
  }
  rows <- lapply(caught$failures, function(x) x$left_rows)
  expect_identical(rows, list(4L, 1:2, 4:5, integer(), 4:5, integer(), integer()))
  expect_identical(caught$left_rows, c(1L, 2L, 4L, 5L))
  expect_identical(caught$right_rows, 3:4)
  expect_null(fails(orders, items, on = "item", expect = c(left_matched = 0.6)))
  expect_null(fails(orders[0, ], items, on = "item", expect = list(left_matched = 1)))
  expect_null(fails(orders, items, on = "item", expect = function(x) TRUE))
  expect_error(
    pair_rows(orders, items, on = "item", expect = function(x) 1),
    "must return TRUE or the text", class = "ronda_error_argument"
  )
  # what nearly holds is not said to hold
  many <- data.frame(item = rep(c("A", "X"), c(989999, 10001)))
  expect_match(
    conditionMessage(fails(many, items, on = "item", expect = list(left_matched = 0.99))),
    "Expected 99% .* but 989,999 of 1,000,000 do \\(98.9999%\\)"
  )
  # `repeats` chooses after the shape was looked at, before functions are asked
  expect_null(fails(orders[1:2, ], items[c(1, 1), ], on = "item", repeats = "first",
    expect = list("rows-multiply", function(receipt) receipt$pairs == 2)
  ))
})

test_that("rows that share an interval are named, on both sides", {
  prices <- data.frame(day = c(1, 5, 9))
  periods <- data.frame(from = c(0, 1, 4, 4), to = c(1, 3, 9, 8))
  caught <- fails(prices, periods, on = inside("day", "from", "to"),
    expect = "many-to-one"
  )
  expect_match(conditionMessage(caught),
    "row 2 of prices \\(`day` = 5\\) falls into rows 3 and 4 of periods",
  )
  expect_identical(caught[c("left_rows", "right_rows")],
    list(left_rows = 2L, right_rows = 3:4)
  )
  caught <- fails(periods, prices, on = covers("from", "to", "day"),
    expect = "one-to-many"
  )
  expect_match(conditionMessage(caught),
    "row 2 of prices \\(`day` = 5\\) falls into rows 3 and 4 of periods",
  )
  expect_identical(caught[c("left_rows", "right_rows")],
    list(left_rows = 3:4, right_rows = 2L)
  )
})

test_that("keys that multiply are those that repeat on both sides, most pairs first", {
  folder <- withr::local_tempdir()
  for (seed in 1:8) {
    set.seed(seed)
    # sixty keys of one left row and many right rows, and a few that repeat on both sides
    left <- data.frame(k = c(1:60, if (seed %% 4) sample(61:65, 12L, TRUE)), v = 0)
    right <- data.frame(k = c(rep(1:60, sample(16:30, 60L, TRUE)), sample(61:65, 14L, TRUE)))
    right$w <- sample(c(-1, 1), nrow(right), TRUE)
    where <- if (seed %% 3 == 0) ~ left$v < right$w
    used <- right[is.null(where) | right$w > 0, ]
    keys <- data.frame(k = 1:65, left_rows = tabulate(left$k, 65L),
      right_rows = tabulate(used$k, 65L)
    )
    keys$pairs <- as.numeric(keys$left_rows * keys$right_rows)
    # (keys of as many pairs stand in any order)
    expect_heaviest <- function(found, among) {
      expect_identical(found$pairs, utils::head(sort(among$pairs, decreasing = TRUE), 10L))
      expect_equal(unclass(found)[names(keys)], unclass(keys[found$k, ])[names(keys)])
    }
    paths <- file.path(folder, paste0(c("left", "right"), seed, ".csv"))
    write_frame(left, paths[1L])
    write_frame(right, paths[2L])
    joins <- list(
      function(...) join_frames(left, right, on = "k", where = where, ...),
      function(...) join_files(paths[1L], paths[2L], on = "k", where = where, parts = 2L,
        way = "parts", out = tempfile("out", folder), ...
      )
    )
    multiply <- keys[keys$left_rows > 1L & keys$right_rows > 1L, ]
    for (join in joins) {
      warning <- tryCatch(
        {
          join()
          NULL
        },
        ronda_warning_rows_multiply = identity
      )
      if (nrow(multiply)) expect_heaviest(warning$keys, multiply) else expect_null(warning)
      # (with a condition, pairs to look at are counted)
      if (!is.null(where)) next
      refused <- tryCatch(suppressWarnings(join(max_rows = 20)),
        ronda_error_too_many_rows = identity
      )
      expect_heaviest(refused$keys, keys[keys$pairs > 0, ])
    }
  }
})
