# A rule and a type are what their records say: one of each, made here in a few lines,
# goes through a join, an explanation, a figure and a join of files.

# two rows pair where the right value is twice the left one or more
local_toy_rule <- function(frame = parent.frame()) {
  registry <- ronda:::rule_kinds
  ronda:::register_rule("twice",
    text = function(rule) sprintf("twice(\"%s\", \"%s\")", rule$left, rule$right),
    plan = function(pairing, rule, call) {
      found <- ronda:::ordered_values(pairing, rule, call)
      list(values = found$values, comparisons = list(
        ronda:::comparison(2 * found$values[[1L]], "<=", found$values[[2L]], found$int64)
      ))
    },
    measures = TRUE, verbs = c(left = "is half of", right = "is twice"),
    spans = ronda:::rule_spans(function(x, rule, distance) {
      list(low = 2 * x, high = ifelse(is.na(x), NA, Inf))
    }, reach = function(rule) "open")
  )
  withr::defer(rm("twice", envir = registry), frame)
  function(left, right) ronda:::new_rule("twice", left = left, right = right)
}

# the force of wind: a whole number with a word
local_toy_type <- function(frame = parent.frame()) {
  words <- c("calm", "breeze", "gale", "storm")
  ronda:::register_type("force", "wind force",
    class = "wind_force", stored = c("integer", "double"), measured = TRUE,
    shown = function(x) ifelse(is.na(x), NA, words[unclass(x) + 1L]),
    cell = function(x) unclass(x),
    parquet = ronda:::parquet_form(
      note = function(x, as_number) c("force", "-"),
      noted = function(x, what, value) {
        if (what == "force") class(x) <- "wind_force"
        x
      }
    )
  )
  withr::defer({
    rm("force", envir = ronda:::type_kinds)
    classes <- ronda:::type_classes
    classes$keys <- classes$keys[classes$keys != "wind_force"]
    classes$all <- setdiff(classes$all, "wind_force")
  }, frame)
  function(x) structure(as.integer(x), class = "wind_force")
}

test_that("a rule known by its record alone joins, explains, draws and joins files", {
  twice <- local_toy_rule()
  left <- data.frame(id = 1:6, km = c(1, 5, 20, NA, 3, 0))
  right <- data.frame(km_there = c(2, 9, 10, NA, 41), port = letters[1:5])
  on <- twice("km", "km_there")
  expected <- do.call(rbind, lapply(seq_len(6L), function(i) {
    hit <- which(2 * left$km[i] <= right$km_there)
    if (length(hit)) cbind(left[i, ], right[hit, ]) else {
      cbind(left[i, ], km_there = NA_real_, port = NA_character_)
    }
  }))
  rownames(expected) <- NULL
  joined <- join_frames(left, right, on = on)
  expect_identical(as.data.frame(joined), expected)
  pairing <- pair_rows(left, right, on = on)
  expect_output(print(explain_row(pairing, left = 2)), "km_there\"\\): holds for 2 rows")
  expect_output(print(explain_row(pairing, left = 4)), "`km` is missing, and never matches")
  expect_s3_class(plot_timeline(pairing), "ggplot")
  found <- expect_condition(
    join_frames(left, right, on = on, expect = "one-to-one"),
    class = "ronda_error_expectation"
  )
  expect_match(conditionMessage(found),
    "row 2 of left \\(`km` = 5\\) is half of rows 3 and 5 of right"
  )
  folder <- withr::local_tempdir()
  files <- file.path(folder, c("a.csv", "b.csv"))
  write_frame(right[1:2, ], files[1L])
  write_frame(right[3:5, ], files[2L])
  out <- file.path(folder, "out.csv")
  join_files(left, frame_files(files), on = on, out = out, way = "ranges", parts = 3)
  by_files <- read_frame(out)
  key <- function(x) x[order(x$id, x$km_there), ]
  expect_equal(key(as.data.frame(by_files)), key(expected), ignore_attr = TRUE)
})

test_that("a type known by its record alone joins, explains, draws and joins files", {
  force <- local_toy_type()
  left <- data.frame(id = 1:5)
  left$wind <- force(c(0, 3, 2, NA, 1))
  right <- data.frame(allowed = c("all", "no small ones", "none"))
  right$wind <- force(c(0, 2, 3))
  joined <- join_frames(left, right, on = "wind", rows = "full")
  expect_s3_class(joined$wind, "wind_force")
  expect_identical(joined$allowed[1:5], c("all", "none", "no small ones", NA, NA))
  near <- join_frames(left, right, on = nearest("wind", look = "back", gap = "under"))
  expect_identical(near$under, c(0, 0, 0, NA, 1))
  pairing <- pair_rows(left, right, on = "wind")
  expect_output(print(explain_row(pairing, left = 3)), "`wind` = gale")
  expect_s3_class(plot_timeline(pair_rows(left, right, on = nearest("wind"))), "ggplot")
  expect_error(join_frames(left, data.frame(wind = "calm"), on = "wind"),
    "`wind` of `left` is wind force",
    class = "ronda_error_type"
  )
  folder <- withr::local_tempdir()
  out <- file.path(folder, "out.rds")
  join_files(left, right, on = "wind", out = out, way = "parts", parts = 2, row_order = "left")
  expect_identical(read_frame(out)$allowed, joined$allowed[1:5])
  expect_identical(unclass(read_frame(out)$wind), unclass(left$wind))
})
