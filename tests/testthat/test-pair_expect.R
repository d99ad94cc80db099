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
