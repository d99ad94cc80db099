# What happens silently elsewhere is told here: nothing pairs, a choice that has no effect, a
# left row with several rows to be updated by, key columns without any value.

told <- function(join) {
  warned <- NULL
  withCallingHandlers(join, ronda_warning_no_pairs = function(w) {
    warned <<- c(warned, conditionMessage(w))
    invokeRestart("muffleWarning")
  })
  warned
}

test_that("nothing pairs: it is said with the words of `via` that match most, and how many", {
  set.seed(12)
  codes <- unique(replicate(60L, paste(sample(LETTERS, 5L), collapse = "")))
  spoil <- list(lower = tolower, zeros = function(x) paste0("00", x),
    spaces = function(x) paste0(substr(x, 1L, 2L), " ", substring(x, 3L))
  )
  for (word in names(spoil)) {
    few <- sample(60L, 20L)
    left <- data.frame(k = c(spoil[[word]](codes[few]), "Nowhere", NA))
    right <- data.frame(k = codes, v = 1)
    for (rows in c("left", "inner", "right", "full")) {
      said <- told(join_frames(left, right, on = "k", rows = rows))
      expect_match(said, "Nothing pairs: none of the 22 rows of `left`")
      expect_match(said, sprintf("20 of 22 rows would match: via = \"%s\"", word))
    }
    matched <- join_frames(left, right, on = same("k", via = word), rows = "semi")
    expect_identical(nrow(matched), 20L)
    expect_match(format(pair_rows(left, right, on = "k")), "Nothing pairs", all = FALSE)
    expect_null(told(join_frames(left, right, on = "k", rows = "anti")))
    expect_null(told(join_frames(left, right, on = "k", expect = "may-be-empty")))
    expect_null(told(join_frames(left[22L, , drop = FALSE], right, on = "k")))
    expect_null(told(join_frames(left[0L, , drop = FALSE], right, on = "k")))
  }
  numbers <- data.frame(k = 1:3, day = 1:3)
  expect_match(told(join_frames(numbers, numbers + 10L, on = c("k", "day"))), "No value of the key")
  turned <- transform(numbers, day = c(2L, 3L, 1L))
  expect_match(told(join_frames(numbers, turned, on = c("k", "day"))), "no row has all of them")
  expect_match(told(join_frames(numbers, numbers + 0.5, on = nearest("k", within = 0.1))),
    "Nothing pairs"
  )
})

test_that("a left row with several partners is not updated by one of them unasked", {
  old <- data.frame(id = 1:3, v = c("a", NA, "c"))
  new <- data.frame(id = c(1L, 2L, 2L), v = c(NA, "x", "y"))
  for (how in c("update", "replace")) {
    caught <- expect_error(join_frames(old, new, on = "id", collisions = how),
      "1 row of `old` .* more than one partner", class = "ronda_error_collision"
    )
    expect_match(conditionMessage(caught), "`id` = 2")
    expect_identical(caught$left_rows, 2L)
    found <- join_frames(old, new, on = "id", collisions = how, repeats = "last")
    expect_identical(found$v, c(if (how == "update") "a" else NA, "y", "c"))
    expect_identical(unname(last_receipt()$cells_changed), if (how == "update") 1 else 2)
  }
  many <- join_many(list(old = old, new = new[2L, ]), on = "id", collisions = "replace")
  expect_identical(many$v, c("a", "x", "c"))
})

test_that("a key column without any value is a key of whatever type the other one is", {
  for (type in names(key_makers)) {
    key <- key_makers[[type]](4L)
    typed <- as_frame(list(k = key, v = 1:4), 4L)
    for (blank in list(logical(), c(NA, NA))) {
      none <- data.frame(k = blank, w = seq_along(blank))
      full <- join_frames(typed, none, on = "k", rows = "full", missing_keys = "unmatched")
      expect_identical(nrow(full), 4L + length(blank), label = type)
      expect_identical(class(full$k), class(key), label = type)
      expect_identical(full$w, c(rep(NA, 4L), seq_along(blank)))
      expect_identical(nrow(join_frames(none, typed, on = "k", rows = "right")), 4L)
      expect_identical(join_frames(none, typed, on = "k", rows = "left")$k, blank)
      expect_identical(nrow(join_many(list(a = none, b = typed), on = "k")), 4L + length(blank))
    }
  }
  at <- data.frame(at = as.POSIXct("2031-05-05", tz = "UTC"))
  found <- join_frames(at, data.frame(at = logical()), on = nearest("at", gap = "age"))
  expect_s3_class(found$age, "difftime")
})

test_that("a failed expectation carries its receipt and its pairing, and is the latest join", {
  trips <- data.frame(ship = c("A", "A", "B"), km = 1:3)
  crew <- data.frame(ship = c("A", "A"), name = c("x", "y"))
  caught <- tryCatch(
    join_frames(trips, crew, on = "ship", rows = "inner", expect = list("rows-multiply",
      "no growth" = function(receipt) receipt$result_rows <= receipt$rows_left
    )),
    ronda_error_expectation = identity
  )
  expect_match(conditionMessage(caught), "`no growth` does not hold: receipt$result_rows",
    fixed = TRUE
  )
  expect_identical(caught$receipt$pairs, 4)
  expect_identical(summary(caught$pairing)$result_rows[1L], 4)
  expect_true(last_receipt()$failed)
  expect_match(format(last_receipt())[1L], "^Failed")
  join_frames(trips, crew[1L, ], on = "ship")
  expect_false(last_receipt()$failed)
})

test_that("values that are in one frame alone are told, missing ones as what they are", {
  said_to_have <- function(left, right) {
    said <- told(join_frames(data.frame(k = left), data.frame(k = right), on = "k",
      missing_keys = "match"
    ))
    values <- regexec("`k` of `left` has (.*); `k` of `right` has ([^\n]*)[.]", said)
    unlist(regmatches(said, values))[-1L]
  }
  set.seed(5)
  for (type in names(key_makers)) {
    drawn <- key_makers[[type]](60L)
    values <- drawn[!is_missing(drawn)]
    values <- values[match(unique(value_words(values)), value_words(values))]
    none <- drawn[is_missing(drawn)][1L]
    first <- c(value_words(values[1L]), value_words(values[2L]))
    found <- said_to_have(values[1L], values[2L])
    # (what differs in letter case or spaces alone is advised to be cleaned)
    if (length(found)) expect_identical(found, first, label = type)
    found <- said_to_have(none[c(1L, 1L)], values[2L])
    expect_identical(found, c("missing values alone", first[2L]), label = type)
    found <- said_to_have(values[c(1L, 1L)], none)
    expect_identical(found, c(first[1L], "missing values alone"), label = type)
  }
  some <- data.frame(k = NA_character_, v = 1)
  expect_match(told(join_frames(some, some, on = list("k", relate("v", "<")),
    missing_keys = "match"
  )), "Some keys are equal in both frames, and relate[(][)] leaves none")
})
