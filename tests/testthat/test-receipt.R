test_that("counts add up and equal those of built frames", {
  join_types <- c("inner", "left", "right", "full", "semi", "anti", "unmatched")
  set.seed(6)
  for (round in 1:100) {
    case <- make_case()
    spec <- make_spec(case)
    pairing <- pair_spec(case, spec)
    sizes <- vapply(join_types, function(rows) {
      nrow(build_frame(pairing, rows, keys = "both"))
    }, 1L)
    expect_equal(summary_rows(pairing), sizes)
    account <- receipt(pairing)
    expect_equal(account$matched_left + account$unmatched_left, nrow(case$left))
    expect_equal(account$matched_right + account$unmatched_right,
      nrow(case$right)
    )
    pairs <- oracle_pairs(case$left, case$right, spec)
    expect_equal(account$matched_left, length(unique(pairs$left)))
    expect_equal(account$matched_right, length(unique(pairs$right)))
    spec$repeats <- "all"
    candidates <- oracle_pairs(case$left, case$right, spec)
    expect_equal(account$passed_over_right,
      length(setdiff(candidates$right, pairs$right))
    )
  }
})

test_that("of ordered rules, too, the whole account is that of the pairs", {
  near <- 0L
  for (seed in 1:120) {
    case <- seeded_case(seed, ordered = TRUE)
    spec <- case$spec
    account <- tryCatch(receipt(pair_spec(case, spec)), ronda_error = function(e) NULL)
    if (is.null(account)) next
    pairs <- oracle_pairs(case$left, case$right, spec)
    times <- tabulate(pairs$left, nrow(case$left))
    spec$repeats <- "all"
    chosen <- oracle_pairs(case$left, case$right, spec)
    # what nearest() reaches, before it chooses
    spec$ordered <- lapply(spec$ordered, function(rule) {
      if (rule$kind == "nearest") rule[c("n", "ties")] <- list(Inf, "all")
      rule
    })
    reached <- oracle_pairs(case$left, case$right, spec)
    once <- oracle_is_once(case$spec$repeats)
    expect_equal(
      account[c("matched_left", "matched_right", "pairs", "several_left", "passed_over_left")],
      list(
        matched_left = sum(times > 0L), matched_right = length(unique(pairs$right)),
        pairs = nrow(pairs), several_left = sum(times > 1L),
        passed_over_left = length(unique(chosen$left)) - sum(times > 0L)
      ),
      label = paste("account of seed", seed)
    )
    over <- account$passed_over_right
    expect_true(is.na(over) || over == length(setdiff(reached$right, pairs$right)),
      label = paste("rows passed over of seed", seed)
    )
    near <- near + (!is.na(over) && over > 0)
    if (once || nrow(chosen) == 0L) next
    shape <- 1L + any(duplicated(chosen$left)) + 2L * any(duplicated(chosen$right))
    expect_identical(account$key_shape,
      c("one-to-one", "one-to-many", "many-to-one", "many-to-many")[shape],
      label = paste("key shape of seed", seed)
    )
  }
  expect_gt(near, 10)
})

test_that("the relationship is that of the keys, or of the candidates", {
  relationship <- function(left, right, ...) {
    left <- data.frame(k = left)
    right <- data.frame(k = right, r = seq_along(right))
    receipt(pair_rows(left, right, on = "k", expect = "rows-multiply", ...))$
      key_shape
  }
  expect_identical(relationship(1:3, 2:5), "one-to-one")
  expect_identical(relationship(c(1, 1), 2:5), "many-to-one")
  expect_identical(relationship(c(1, 2), c(5, 5)), "one-to-many")
  expect_identical(relationship(c(1, 1), c(5, 5)), "many-to-many")
  expect_identical(relationship(c(1, NA, NA), c(5, NA, NA)), "one-to-one")
  expect_identical(
    relationship(c(1, NA, NA), c(5, NA, NA), missing_keys = "match"),
    "many-to-many"
  )
  expect_identical(relationship(1, c(1, 1), repeats = "first"), "one-to-many")
  expect_identical(relationship(1, c(1, 1), where = ~ right$r == 2),
    "one-to-one"
  )
})

test_that("receipts read well, with and without unicode", {
  withr::local_options(cli.unicode = FALSE)
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  expect_printed(print(pairing))
  expect_no_message(build_frame(pairing, "full"))
  withr::local_options(ronda.receipt = TRUE)
  expect_lines(capture_messages({
    build_frame(pairing, "full")
    join_frames(sailings, vessels, on = c(vessel = "code"),
      sides = c("trip", "ship"), rows = "semi"
    )
    sailings[0, ] |> join_frames(vessels, on = c(vessel = "code"))
  }))
  counts <- as.data.frame(last_receipt())
  expect_identical(nrow(counts), 1L)
  expect_identical(counts$matched_left, 0)
  named <- data.frame(k = 1:2, row.names = c("x", "y"))
  expect_printed(print(receipt(pair_rows(named, named, on = "k"))))
})

test_that("equal calls make identical pairings; seconds belong to the call", {
  stages <- c("check", "align", "match", "count")
  pair <- function() {
    pair_rows(sailings, tide_readings, on = list("port",
      nearest("departs", "read_at", within = "15 mins")
    ))
  }
  pairing <- pair()
  expect_identical(pair(), pairing)
  expect_null(receipt(pairing)$seconds)
  expect_named(last_receipt()$seconds, stages)
  expect_null(last_receipt()$rows)
  keyed <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  expect_named(keyed, names(pairing), ignore.order = FALSE)
  expect_named(keyed$counts, names(pairing$counts))
  expect_named(keyed$matches, names(pairing$matches))
  build_frame(keyed)
  expect_named(last_receipt()$seconds, c("check", "columns"))
  join_frames(sailings, vessels, on = c(vessel = "code"))
  expect_named(last_receipt()$seconds, c(stages, "columns"))
  join_frames(sailings, vessels, on = c(vessel = "code"), rows = "full")
  expect_named(last_receipt()$seconds, c(stages, "rows", "columns"))
})

test_that("receipts keep counts and no rows", {
  left <- data.frame(k = 1:10000)
  invisible(join_frames(left, left, on = "k"))
  expect_lt(as.numeric(utils::object.size(last_receipt())), 10000)
})

test_that("the receipt is told when asked for, of two frames and of many", {
  withr::local_options(ronda.receipt = TRUE)
  expect_message(join_frames(sailings, vessels, on = c(vessel = "code")), "60 rows")
  frames <- list(a = data.frame(k = 1:3), b = data.frame(k = 2:5), c = data.frame(k = 9L))
  expect_message(join_many(frames, on = "k"), "6 rows")
  counts <- as.data.frame(last_receipt())
  expect_identical(c(counts$left, counts$right), c("a", "b, c"))
  expect_equal(c(counts$rows_left, counts$rows_right, counts$result_rows), c(3, 5, 6))
})

test_that("the line of a join says when left rows multiply", {
  withr::local_options(ronda.receipt = TRUE)
  line_of <- function(expr) {
    told <- tryCatch(expr, ronda_message_receipt = function(message) message)
    expect_s3_class(told, "message")
    expect_s3_class(told$receipt, "ronda_receipt")
    trimws(conditionMessage(told))
  }
  orders <- data.frame(id = 1:3)
  prices <- data.frame(id = c(1, 1, 2, 9), price = 1:4)
  for (rows in c("left", "inner", "right", "full")) {
    expect_match(line_of(join_frames(orders, prices, on = "id", rows = rows)),
      "; 1 row of orders has 2 partners"
    )
  }
  expect_no_match(line_of(join_frames(orders, prices, on = "id", rows = "semi")), ";")
  expect_no_match(
    line_of(join_frames(orders, prices, on = "id", repeats = "first")), ";"
  )
  more <- rbind(prices, data.frame(id = c(2, 2), price = 0))
  expect_match(line_of(join_frames(orders, more, on = "id", expect = "rows-multiply")),
    "; 2 rows of orders have up to 3 partners"
  )
  expect_identical(last_receipt()$several_left, 2)
  # one message can be silenced without the others
  expect_no_message(suppressMessages(
    join_frames(orders, prices, on = "id"), classes = "ronda_message_receipt"
  ))
  expect_match(line_of(split_frames(pair_rows(orders, prices, on = "id"))),
    "3 orders, 4 prices .* matched \\(3 rows\\), left_alone \\(1 row\\) and right_alone"
  )
})

test_that("a key's new type, and what an update changed, are told", {
  a <- data.frame(id = 1:3, v = c(1, NA, 3), port = factor(c("x", "y", "x")))
  b <- data.frame(id = c(1, 3, 4), v = c(10, NA, 12), port = factor(c("x", "z", "z")))
  expect_identical(
    join_frames(a, b, on = "id", rows = "full", collisions = list(
      v = "update", port = "left"
    ))$v, c(10, NA, 3, 12)
  )
  expect_identical(last_receipt()$cells_changed, c(v = 1))
  expect_match(last_receipt()$notes, "`id` is double in the result: it is integer in a",
    all = FALSE
  )
  expect_match(last_receipt()$notes, "`v`: 1 cell changed to what b has", all = FALSE)
  expect_match(receipt_json(last_receipt()), "\"cells_changed\":{\"v\":1}", fixed = TRUE)
  join_frames(a, b, on = "port", rows = "right", take = character())
  expect_match(last_receipt()$notes, "`port` has 1 level more than in a: those of b")
  joined <- join_frames(a, b, on = "port", take = character())
  expect_identical(joined, a)
  expect_identical(last_receipt()$notes, character())
})

test_that("the seconds of a call are those that it took", {
  left <- data.frame(k = seq_len(1e5))
  taken <- system.time(join_frames(left, left, on = "k"))[["elapsed"]]
  seconds <- last_receipt()$seconds
  expect_true(all(seconds >= 0))
  expect_lte(sum(seconds), taken + 0.1)
})

test_that("seconds of a stage are never negative, whatever is built", {
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  for (rows in names(ronda:::row_types)) {
    build_frame(pairing, rows)
    expect_true(all(last_receipt()$seconds >= 0), label = rows)
  }
})
