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
  right <- data.frame(trip_id = seq(1L, n, 2L), part = seq(1L, n, 2L) %% 5L)
  whole <- suggest_keys(left, right)
  withr::local_options(ronda.sample_rows = 1000L)
  sampled <- suggest_keys(left, right)
  expect_identical(sampled$on[1L], whole$on[1L])
  expect_equal(sampled$left_found[1L], whole$left_found[1L], tolerance = 0.1)
  expect_equal(attr(sampled, "parts"), 15)
  expect_match(format(sampled), "estimated from the rows of one value in 15", all = FALSE)
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
  found <- suggest_keys(data.frame(ship = c("ALD", "CYR", "GRE")), twice)
  expect_match(format(found), "; 1 row of .* would multiply", all = FALSE)
})

test_that("a missing `on` offers only columns whose values meet", {
  a <- data.frame(id = 1:3, port = c("A", "B", "C"))
  b <- data.frame(id = 7:9, port = c("C", "D", "E"))
  expect_error(join_frames(a, b), "Write: on = \"port\"", class = "ronda_error_key")
  expect_error(join_frames(a["id"], b["id"]), "no value of `id` in common")
  expect_error(join_frames(a["id"], b["port"]), "suggest_keys(left, right)", fixed = TRUE)
  expect_error(join_many(list(a = a, b = b)), "Write: on = \"port\"")
})

# What a key column may look like in another export: each changes a code, and says how two
# columns meet then, in code of the test's own
spoiled <- list(
  plain = list(identity, identity),
  numbers = list(function(x) sprintf("%06d", x), as.numeric),
  trim = list(function(x) paste0(" ", x, "  "), trimws),
  lower = list(function(x) toupper(x), tolower),
  zeros = list(function(x) paste0("00", x), function(x) sub("^0+", "", x)),
  spaces = list(function(x) sub("(..)", "\\1 ", x), function(x) gsub(" ", "", x)),
  signs = list(function(x) sub("(..)", "\\1-", x), function(x) gsub("[- ]", "", x)),
  days = list(function(x) format(x, "%d.%m.%Y"), function(x) as.Date(x, "%d.%m.%Y")),
  times = list(function(x) format(x, "%Y-%m-%dT%H:%M:%SZ"),
    function(x) as.POSIXct(x, "UTC", "%Y-%m-%dT%H:%M:%SZ")
  )
)

key_of_form <- function(form, n) {
  switch(form,
    numbers = sample.int(9e5L, n), days = as.Date("2031-01-01") + sample.int(3000L, n),
    times = as.POSIXct("2031-01-01", tz = "UTC") + 60 * sample.int(1e5L, n),
    vapply(seq_len(n), function(k) paste0(letters[1 + k %% 26], sample(letters, 4L), collapse = ""),
      ""
    )
  )
}

test_that("whatever form a key takes, it is found, and the pasted line matches all of it", {
  skip_if_not_installed("stringi")
  set.seed(77)
  wrong <- character()
  for (round in 1:60) {
    form <- names(spoiled)[1L + round %% length(spoiled)]
    n <- sample(c(5L, 40L), 1L)
    key <- unique(key_of_form(form, n))
    n <- length(key)
    some <- sort(sample.int(n, ceiling(0.8 * n)))
    left <- data.frame(a = key, b = runif(n), c = sample(c("x", "y"), n, TRUE))
    right <- data.frame(p = sample(1e6:2e6, length(some)), q = spoiled[[form]][[1L]](key[some]))
    composite <- round %% 3L == 0L && form %in% c("plain", "lower", "numbers")
    if (composite) {
      left <- rbind(transform(left, day = 1L), transform(left, day = 2L))
      right <- rbind(transform(right, nr = 1L), transform(right, nr = 2L))
    }
    if (round %% 2L) names(right)[2L] <- "a"
    meets <- sum(left$a %in% spoiled[[form]][[2L]](right[[2L]]))
    found <- suggest_keys(left, right)
    if (!nrow(found)) {
      wrong <- c(wrong, paste(round, form, "none"))
      next
    }
    on <- eval(parse(text = found$on[1L]))
    matched <- nrow(join_frames(left, right, on = on, rows = "semi"))
    if (matched < meets || composite && !grepl("day", found$left[1L])) {
      wrong <- c(wrong, paste(round, form, found$on[1L], matched, meets))
    }
  }
  expect_identical(wrong, character())
})

test_that("none is said only where no two columns share a value in any form", {
  set.seed(78)
  for (round in 1:80) {
    frame <- function() {
      forms <- sample(names(spoiled), 2L)
      columns <- lapply(forms, function(form) {
        key <- key_of_form(form, 6L)
        if (runif(1) < 0.5) spoiled[[form]][[1L]](key) else key
      })
      as_frame(stats::setNames(columns, c("x", "y")), 6L)
    }
    left <- frame()
    right <- frame()
    if (round %% 2L) {
      right$y <- c(toupper(as.character(left$x[1:2])), as.character(right$y[3:6]))
    }
    texts <- function(x) {
      if (inherits(x, "POSIXct")) x <- format(x, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
      gsub("[- ]", "", tolower(sub("^ *0+", "", as.character(x))))
    }
    meet <- function(x, y) class(x)[1L] == class(y)[1L] && any(texts(x) %in% texts(y))
    shares <- any(vapply(left, function(x) any(vapply(right, meet, NA, x = x)), NA))
    if (shares) expect_gt(nrow(suggest_keys(left, right)), 0L, label = paste("round", round))
  }
})

test_that("the part that is looked at has the same values, whatever their type and place", {
  set.seed(48)
  x <- c(sample.int(1e5, 6e5, TRUE), NA)
  rows <- ronda:::first_part_(list(x), ronda:::engine_kinds[["int32"]], 7)
  real <- ronda:::engine_kinds[["real"]]
  expect_identical(ronda:::first_part_(list(as.double(x)), real, 7), rows)
  parts <- ronda:::partition_rows_(list(as.double(x)), real, 7, FALSE, 0)
  expect_identical(parts$rows[seq_len(parts$counts[1L])], rows)
  expect_false(any(x[-rows] %in% x[rows[!is.na(x[rows])]]))
})
