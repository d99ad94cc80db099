test_that("keys are suggested by values, best first, ready to paste", {
  found <- suggest_keys(sailings, vessels)
  expect_identical(found$on[2L], "c(vessel = \"code\")")
  expect_match(found$on[1L], "c(\"trim\", \"lower\")", fixed = TRUE)
  expect_equal(found$left_found[2L], 54 / 58)
  expect_equal(found$right_unique[2L], 1)
  on <- eval(parse(text = found$on[1L]))
  expect_identical(nrow(join_frames(sailings, vessels, on = on, rows = "semi")),
    56L
  )
  expect_printed(print(found))
  expect_printed(print(suggest_keys(ports["berths"], closures["reason"])))
})

test_that("two columns are tried where one is not unique", {
  left <- expand.grid(port = letters[1:4], day = 1:5, stringsAsFactors = FALSE)
  right <- transform(left, harbour = port, note = "x")[3:18, c("harbour", "day",
    "note"
  )]
  found <- suggest_keys(left, right)
  expect_setequal(strsplit(found$left[1L], ", ")[[1L]], c("port", "day"))
  on <- eval(parse(text = found$on[1L]))
  expect_identical(nrow(join_frames(left, right, on = on, rows = "inner")), 16L)
  expect_equal(found$left_unique[1L], 1)
})

test_that("large frames are sampled, and that is said", {
  n <- 30000L
  left <- data.frame(id = seq_len(n), part = seq_len(n) %% 7L)
  right <- data.frame(key = seq(1L, n, 2L), part = 1L)
  whole <- suggest_keys(left, right)
  withr::local_options(ronda.sample_rows = 2000L)
  sampled <- suggest_keys(left, right)
  expect_identical(sampled$on[1L], whole$on[1L])
  expect_equal(sampled$left_found[1L], whole$left_found[1L], tolerance = 0.1)
  expect_identical(unname(attr(sampled, "sampled")), c(TRUE, TRUE))
  expect_match(format(sampled), "estimated", all = FALSE)
})

test_that("of very wide frames the likely columns are compared, and that is said", {
  wide <- as.data.frame(matrix(seq_len(6000L) + 0.5, 2L))
  left <- cbind(wide, Port_Id = c("a", "b"))
  right <- cbind(setNames(wide + 1e6, paste0("W", 1:3000)),
    port.id = c("b", "c")
  )
  found <- suggest_keys(left, right)
  expect_identical(found$on, "c(Port_Id = \"port.id\")")
  expect_match(format(found), "first 40", all = FALSE)
  expect_match(format(suggest_keys(wide, wide + 1e6)), "first 40", all = FALSE)
})

test_that("what is no frame is refused", {
  expect_errors(
    suggest_keys(1, ports), suggest_keys(ports), suggest_keys(ports, ports, 0)
  )
})

test_that("columns that are missing throughout suggest nothing", {
  left <- data.frame(id = 1:4, empty = NA_character_, none = NA_real_)
  right <- data.frame(id = 2:5, empty = NA_character_, none = NA_real_)
  expect_identical(suggest_keys(left, right)$on, "\"id\"")
  expect_identical(nrow(suggest_keys(left[-1L], right[-1L])), 0L)
})

test_that("what chance gives is no suggestion, and the first line is the one to use", {
  set.seed(2110)
  n <- 3000
  left <- data.frame(trip = sample(n), guests = sample(0:300, n, TRUE),
    ship = sample(c("ALD", "GRE ", "CYR"), n, TRUE)
  )
  right <- data.frame(number = sample(n), seats = sample(0:400, n, TRUE))
  found <- suggest_keys(left, right)
  expect_identical(found$on, "c(trip = \"number\")")
  vessels <- data.frame(code = c("ald", "gre", "cyr", "new"), name = letters[1:4])
  found <- suggest_keys(left, vessels)
  expect_match(found$on[1L], "c(\"trim\", \"lower\")", fixed = TRUE)
  clean <- transform(left, ship = trimws(ship))
  found <- suggest_keys(clean, transform(vessels, code = toupper(code)))
  expect_identical(found$on[1L], "c(ship = \"code\")")
  # how many left rows would multiply
  twice <- data.frame(ship = c("ALD", "ALD", "CYR"))
  found <- suggest_keys(data.frame(ship = c("ALD", "CYR", "ALD", "NEW")), twice)
  expect_equal(found$several, 0.5)
  expect_match(format(found), "2 rows of .* would multiply", all = FALSE)
})

test_that("a missing `on` offers only columns whose values meet", {
  a <- data.frame(id = 1:3, port = c("A", "B", "C"))
  b <- data.frame(id = 7:9, port = c("C", "D", "E"))
  expect_error(join_frames(a, b), "Write: on = \"port\"", class = "ronda_error_key")
  expect_error(join_frames(a["id"], b["id"]), "no value of `id` in common")
  expect_error(join_frames(a["id"], b["port"]), "suggest_keys(left, right)", fixed = TRUE)
  expect_error(join_many(list(a = a, b = b)), "Write: on = \"port\"")
})
