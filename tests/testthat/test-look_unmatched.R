# every unmatched row stands under one reason, and under no other
reasons_add_up <- function(pairing) {
  found <- ronda:::unmatched_reasons(pairing)
  for (side in c("left", "right")) {
    matched <- ronda:::is_matched(pairing$matches, side)
    expect_identical(found$rows[[side]]$row, which(!matched))
    counts <- found$counts[found$counts$side == side, ]
    expect_identical(sum(counts$rows), sum(!matched))
    times <- tabulate(found$rows[[side]]$reason, nrow(found$counts))
    expect_identical(times[found$counts$side == side], counts$rows)
  }
  found
}

test_that("rows without partner are told by reason", {
  counts <- reasons_add_up(pair_rows(sailings, vessels, on = c(vessel = "code")))$counts
  expect_identical(paste(counts$side, counts$reason, counts$rows), c(
    "left a missing key 2", "left differs only in letter case 1",
    "left differs only in white space 1", "left key not in vessels 2",
    "right key not in sailings 1"
  ))
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  counts <- reasons_add_up(tide)$counts
  expect_identical(counts$reason,
    c("the nearest is farther than 15 mins",
      "the nearest of a row of sailings, but farther than 15 mins",
      "not taken as the nearest by any row of sailings"
    )
  )
})

test_that("rows that nearest() does not take are too far or nobody's nearest, as they say", {
  set.seed(242)
  for (turn in 1:20) {
    left <- data.frame(k = sample(3L, 6L, TRUE), t = sample(100L, 6L))
    right <- data.frame(k = sample(3L, 6L, TRUE), t = sample(100L, 6L))
    pairing <- pair_rows(left, right, on = list("k", nearest("t", within = 10)),
      sides = c("a", "b")
    )
    found <- reasons_add_up(pairing)
    # of each left row the nearest right row at or before it
    nearest <- vapply(seq_len(6L), function(i) {
      before <- which(right$k == left$k[i] & right$t <= left$t[i])
      if (length(before)) before[which.max(right$t[before])] else NA_integer_
    }, 1L)
    far <- which(left$t - right$t[nearest] > 10)
    taken <- setdiff(nearest[!is.na(nearest)], nearest[far])
    row <- found$rows$right$row
    said <- found$counts$reason[found$rows$right$reason]
    said[grepl("^key not in", said)] <- ""
    expect_identical(said, ifelse(!right$k[row] %in% left$k, "",
      ifelse(row %in% nearest[far], "the nearest of a row of a, but farther than 10",
        "not taken as the nearest by any row of a"
      )
    ))
    expect_false(any(taken %in% row))
  }
})

test_that("reasons are those that a slow look finds", {
  set.seed(241)
  for (turn in 1:30) {
    n <- sample(0:12, 2L, TRUE)
    left <- data.frame(k = sample(c(NA, 1:5) * 100, n[1L], TRUE), v = sample(9, n[1L], TRUE))
    right <- data.frame(k = sample(c(NA, 3:7) * 100, n[2L], TRUE), v = sample(9, n[2L], TRUE))
    pairing <- pair_rows(left, right, on = list("k", relate("v", "<")), expect = "rows-multiply")
    found <- reasons_add_up(pairing)
    kind <- found$counts$kind[found$rows$left$reason]
    rows <- found$rows$left$row
    slow <- vapply(rows, function(i) {
      if (!n[2L]) "empty" else if (is.na(left$k[i])) "missing" else
        if (!left$k[i] %in% right$k) "unknown" else "refused"
    }, "")
    expect_identical(kind[kind != "typed"], slow[kind != "typed"])
  }
})

test_that("rows passed over, empty frames, conditions and steps have reasons of their own", {
  reason <- function(pairing, side = "left") {
    counts <- reasons_add_up(pairing)$counts
    counts$reason[counts$side == side]
  }
  two <- data.frame(k = c(1, 1, 2))
  expect_identical(reason(pair_rows(two, data.frame(k = c(1, 2)), on = "k", repeats = "once")),
    "passed over by repeats = \"once\""
  )
  expect_identical(reason(pair_rows(two, two[0, , drop = FALSE], on = "k", sides = c("a", "b"))),
    "b has no rows"
  )
  expect_identical(reason(pair_rows(two, data.frame(k = c(1, 2)), on = cross(), sides = c("a", "b"),
    where = ~ left$k > 5
  )), "no row meets the condition")
  expect_identical(
    reason(pair_rows(two, data.frame(k = 2, v = 3), on = "k", where = ~ right$v > 5,
      sides = c("a", "b")
    )), c("key not in b", "equal keys, refused by `where`")
  )
  expect_identical(reason(pair_rows(boardings, card_holders, on = in_turn("card", "name"))),
    c("a missing key", "no step found one")
  )
})

test_that("reasons are counted for all rows, however many there are", {
  set.seed(14)
  spoil <- list("letter case" = toupper, "white space" = function(x) paste0(x, " "),
    "leading zeros" = function(x) paste0("0", x),
    "punctuation" = function(x) paste0(substr(x, 1L, 3L), "-", substring(x, 4L))
  )
  for (n in c(40L, 400L, 60000L)) {
    codes <- unique(replicate(min(n, 5000L), paste(sample(letters, 9L, TRUE), collapse = "")))
    codes <- unique(paste0(rep(codes, length.out = n), rep(c("", "q", "w", "v"), length.out = n),
      if (n > 5000L) seq_len(n)
    ))
    n <- length(codes)
    kind <- sample(c(names(spoil), "equal", "unknown", "missing"), n, TRUE)
    key <- codes
    for (reason in names(spoil)) key[kind == reason] <- spoil[[reason]](codes[kind == reason])
    key[kind == "unknown"] <- paste0("zzzz", seq_len(sum(kind == "unknown")), "xxxxyyyy")
    key[kind == "missing"] <- NA
    twice <- sample(n, n %/% 3L)
    left <- data.frame(k = key[c(seq_len(n), twice)])
    kind <- kind[c(seq_len(n), twice)]
    found <- pair_rows(left, data.frame(k = codes), on = "k")
    counts <- ronda:::unmatched_reasons(found)$counts
    counts <- counts[counts$side == "left", ]
    expected <- table(factor(kind, c(names(spoil), "unknown", "missing")))
    words <- c(paste("differs only in", names(spoil)), "key not in right", "a missing key")
    expect_identical(counts$rows[match(words, counts$reason)], as.integer(expected))
    expect_identical(sum(counts$rows), as.integer(sum(kind != "equal")))
  }
})

test_that("keys that are equal and that another rule refused differ in nothing", {
  left <- data.frame(vessel = c("A", "B", "C"), t = c(5, 2, 1))
  right <- data.frame(vessel = c("A", "B", "c"), t = c(1, 9, 0))
  pairing <- pair_rows(left, right, on = list("vessel", nearest("t")))
  expect_identical(near_misses(pairing)$from, "C")
  reasons <- diagnose(pairing)$reasons
  expect_identical(sum(reasons$rows[grepl("case", reasons$reason)]), 2L)
})

test_that("a frame joined with itself is told by its sides", {
  trips <- data.frame(vessel = c("A", "A"), t = c(5, 2))
  pairing <- pair_rows(trips, trips, on = list("vessel", nearest("t", equal = FALSE)))
  expect_identical(pairing$labels, c("trips (left)", "trips (right)"))
  expect_match(format(pairing), "trips \\(left\\) with trips \\(right\\)", all = FALSE)
  expect_match(format(receipt(pairing)), "trips \\(right\\): 2 rows", all = FALSE)
  expect_match(explain_row(pairing, left = 2)$lines, "no partner in trips \\(right\\)", all = FALSE)
  expect_match(diagnose(trips, trips, on = "vessel")$call, "join_frames(trips, trips",
    fixed = TRUE
  )
  expect_error(join_frames(trips, trips, on = "vesel"), "`trips` (left) has no column",
    fixed = TRUE
  )
  expect_identical(names(split_frames(pairing)), c("matched", "left_alone", "right_alone"))
})
