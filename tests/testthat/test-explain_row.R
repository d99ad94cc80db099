test_that("every kind of row gets an answer", {
  vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  high <- pair_rows(sailings, tide_readings,
    on = list("port", nearest("departs", "read_at", ties = "first")),
    where = ~ right$height > 3
  )
  crew <- pair_rows(sailings, crew_shifts, repeats = "last",
    on = list("vessel", inside("departs", "starts", "ends"))
  )
  two_crews <- which(tabulate(
    build_frame(pair_rows(sailings, crew_shifts,
      on = list("vessel", inside("departs", "starts", "ends")),
      expect = "many-to-many"
    ), "inner")$sailing - 1000L
  ) > 1L)[1L]
  fares <- pair_rows(sailings, fare_bands, on = inside("km", "from_km", "to_km"))
  expect_lines(unlist(lapply(list(
    explain_row(vessel, left = 1), explain_row(vessel, left = 9),
    explain_row(vessel, left = 23), explain_row(vessel, right = 9),
    explain_row(tide, left = 1), explain_row(tide, left = 2),
    explain_row(tide, right = 30), explain_row(tide, right = 1),
    explain_row(high, left = 2), explain_row(crew, left = two_crews),
    explain_row(fares, left = 4), explain_row(fares, right = 5)
  ), function(x) c(format(x), ""))))
})

test_that("the list says what the pairing has, for every row", {
  set.seed(31)
  for (round in 1:25) {
    case <- make_ordered_case()
    spec <- make_ordered_spec(case)
    pairing <- pair_spec(case, spec)
    pairs <- oracle_pairs(case$left, case$right, spec)
    for (row in seq_len(nrow(case$left))) {
      found <- explain_row(pairing, left = row)
      expect_identical(found$partners, pairs$right[pairs$left == row])
      expect_true(all(found$partners %in% found$candidates))
    }
    for (row in seq_len(nrow(case$right))) {
      found <- explain_row(pairing, right = row)
      expect_identical(found$partners, pairs$left[pairs$right == row])
      expect_true(all(found$partners %in% found$candidates))
    }
  }
})

test_that("a nearer row that the condition refused is named", {
  left <- data.frame(port = "GRE", at = c(10, 20, 30))
  right <- data.frame(port = "GRE", at = c(9, 8, 19, 12, 33),
    open = c(FALSE, TRUE, FALSE, FALSE, TRUE)
  )
  pairing <- pair_rows(left, right, on = list("port", nearest("at", look = "back")),
    where = ~ right$open
  )
  expect_lines(unlist(lapply(1:3, function(row) {
    c(format(explain_row(pairing, left = row)), "")
  })))
})

test_that("what is no row is refused", {
  pairing <- pair_rows(ports, ports, on = "port")
  expect_errors(
    explain_row(1, left = 1), explain_row(pairing), explain_row(pairing, 1, 2),
    explain_row(pairing, left = 0), explain_row(pairing, left = 7),
    explain_row(pairing, right = 1.5), explain_row(pairing, right = "Ambrel")
  )
})

test_that("the closest keys are named where keys have distances, none of factors", {
  left <- data.frame(n = c(11, 7), f = factor(c("low", "high")))
  right <- data.frame(n = c(10, 30, 12.5), f = factor("mid"))
  expect_match(format(explain_row(pair_rows(left, right, on = "n"), left = 1)),
    "10.*12\\.5",
    all = FALSE
  )
  text <- format(explain_row(pair_rows(left, right, on = "f"), left = 1))
  expect_match(text, "low", all = FALSE)
  expect_false(any(grepl("mid", text)))
})
