# The stretch that two intervals share, summed by left row beside a plain loop.

some_intervals <- function(n, as, open) {
  from <- as(sample(c(0:12, if (open) c(NA, NA)), n, TRUE))
  to <- as(sample(c(3:15, if (open) c(NA, NA)), n, TRUE))
  data.frame(k = sample(c("A", "B"), n, TRUE), from = from, to = to)
}

kinds_of_bounds <- list(
  number = function(x) x / 2, integer = as.integer,
  day = function(x) as.Date("2031-05-01") + x,
  time = function(x) as.POSIXct("2031-05-01", tz = "UTC") + 60 * x,
  long = function(x) bit64::as.integer64(rep("9007199254740993", length(x))) + x
)

test_that("shared stretches and their sums are those of a plain loop", {
  wrong <- character()
  for (seed in 1:80) {
    set.seed(70000 + seed)
    as <- kinds_of_bounds[[seed %% length(kinds_of_bounds) + 1L]]
    open <- seed %% 2 == 0
    left <- some_intervals(sample(0:8, 1L), as, open)
    right <- some_intervals(sample(0:12, 1L), as, open)
    names(right) <- c("k", "begins", "ends")
    on <- list("k", overlap("from", "to", "begins", "ends", open_ended = open,
      ends = sample(c("[)", "[]", "()"), 1L), shared = c("at", "until", "long")))
    fold <- list(n = ~ nrow(right), sum = ~ sum(right$long), all = ~ right,
      last = ~ max(right$until), most = ~ sort(right$long, decreasing = TRUE)[1L]
    )
    repeats <- list("all", "first", lowest("begins"))[[seed %% 3 + 1L]]
    joined <- join_frames(left, right, on = on, rows = "inner", repeats = repeats,
      row_numbers = c("i", "j"), expect = "rows-multiply"
    )
    folded <- join_frames(left, right, on = on, fold = fold, repeats = repeats)
    later <- build_frame(
      pair_rows(left, right, on = on, repeats = repeats, expect = "rows-multiply"), fold = fold
    )
    if (!identical(folded, later)) wrong <- c(wrong, paste(seed, "later"))
    for (i in seq_len(nrow(left))) {
      mine <- joined[joined$i == i, ]
      same <- folded$n[i] == nrow(mine) && nrow(folded$all[[i]]) == nrow(mine)
      if (nrow(mine)) {
        from <- pmax(left$from[i], right$begins[mine$j], na.rm = TRUE)
        to <- pmin(left$to[i], right$ends[mine$j], na.rm = TRUE)
        numbers <- function(x) as.character(as.numeric(x))
        same <- same && identical(numbers(mine$at), numbers(from)) &&
          identical(numbers(mine$until), numbers(to)) &&
          identical(numbers(mine$long), numbers(oracle_gap(to, from))) &&
          identical(format(folded$sum[i]), format(sum(mine$long))) &&
          identical(numbers(folded$last[i]), numbers(max(mine$until))) &&
          identical(folded$all[[i]]$long, mine$long) &&
          identical(numbers(folded$most[i]), numbers(sort(mine$long, decreasing = TRUE)[1L]))
      } else {
        same <- same && is.na(folded$sum[i])
      }
      if (!isTRUE(same)) wrong <- c(wrong, paste(seed, i))
    }
  }
  expect_identical(wrong, character())
})

left <- data.frame(id = 1:3, a = c(0, 5, 20), b = c(10, 8, 30))
right <- data.frame(c = c(2, 6), d = c(7, 9), w = c("x", "y"))
stretch <- function(...) overlap("a", "b", "c", "d", shared = c(...))

test_that("shared columns stand where a gap stands, and what is wrong with them is said", {
  joined <- join_frames(left, right, on = stretch("from", "to", "length"), rows = "full",
    origin = "origin", expect = "rows-multiply"
  )
  expect_identical(names(joined)[7:10], c("from", "to", "length", "origin"))
  expect_identical(joined$length, c(5, 3, 2, 2, NA))
  inside_one <- join_frames(left, right, on = inside("b", "c", "d", shared = c("p", "q", "r")))
  expect_identical(inside_one$p, c(NA, 8, NA))
  expect_identical(inside_one$r, c(NA, 0, NA))
  expect_identical(names(join_frames(left, right, on = stretch("x", "y"), rows = "semi")),
    names(left)
  )
  join <- function(on, ...) join_frames(left, right, on = on, expect = "rows-multiply", ...)
  expect_error(stretch("x"), "two or three different names", class = "ronda_error_argument")
  expect_error(stretch("x", "x"), "two or three different names", class = "ronda_error_argument")
  expect_error(join(stretch("id", "y")), "`shared` can't be called `id`",
    class = "ronda_error_argument"
  )
  expect_error(join(stretch("w", "y"), fold = list(n = ~ min(right$y))), "`right` has one",
    class = "ronda_error_argument"
  )
  expect_error(join(stretch("x", "y"), if_absent = list(x = 0)), "part of the stretch shared",
    class = "ronda_error_argument"
  )
  expect_error(join(stretch("x", "y"), fold = list(n = ~ sum(right$z))), "no column `z`",
    class = "ronda_error_argument"
  )
  texts <- data.frame(a = "a", b = "c")
  expect_identical(
    join_frames(texts, texts, on = overlap("a", "b", shared = c("x", "y")))$y, "c"
  )
  expect_error(join_frames(texts, texts, on = overlap("a", "b", shared = c("x", "y", "z"))),
    "has no length", class = "ronda_error_type"
  )
  expect_error(in_turn("id", stretch("x", "y")), "`shared` of overlap\\(\\) has no meaning",
    class = "ronda_error_argument"
  )
  expect_error(
    join_frames(left, right, on = stretch("x", "y"), max_rows = 3,
      fold = list(n = ~ min(right$x))
    ), class = "ronda_error_too_many_rows"
  )
  code <- diagnose(pair_rows(left, right, on = stretch("x", "y"), expect = "rows-multiply"))$call
  expect_match(code, "shared = c(\"x\", \"y\")", fixed = TRUE)
})

test_that("shared stretches come out of files as from memory", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 3)
  on <- list("port", overlap("booked_from", "booked_to", "closed_from", "closed_to",
    shared = c("from", "to", "length")))
  for (given in list(list(rows = "left"), list(fold = list(closed = ~ sum(right$length))))) {
    expected <- do.call(join_frames, c(list(bookings, closures, on = on), given))
    for (way in c("parts", "right_whole")) {
      out <- withr::local_tempfile()
      do.call(join_files, c(list(bookings, closures, on = on, way = way, parts = 2, out = out,
        row_order = "left"), given))
      expect_equal(as.data.frame(read_frame(out)), expected, ignore_attr = "tzone")
    }
  }
})
