make_frames <- function(count, unique_keys) {
  frames <- lapply(seq_len(count), function(k) {
    n <- sample.int(6L, 1L) - 1L
    type <- one_of(c("integer", "double"))
    frame <- as_frame(list(key = key_makers[[type]](n)), n)
    if (unique_keys) {
      words <- oracle_words(frame$key)
      frame <- frame[!duplicated(words) | is.na(words), , drop = FALSE]
    }
    frame[[paste0("row_", k)]] <- seq_len(nrow(frame))
    frame
  })
  names(frames) <- letters[seq_len(count)]
  frames
}

test_that("frames of every key type, in chains of every form, agree with the oracle", {
  expect_identical(differing_chains(1:500), integer())
  # (row numbers of so few lines are freed as those of long frames are)
  withr::local_options(ronda.chunk_rows = 3L)
  expect_identical(differing_chains(501:900), integer())
})

# every column of the result, cell by cell, from the lines above
oracle_many_columns <- function(frames, lines, how) {
  names <- unique(unlist(lapply(frames, function(x) setdiff(names(x), "key"))))
  cells <- function(name) {
    lapply(seq_along(frames), function(k) {
      x <- frames[[k]][[name]]
      if (is.null(x)) NULL else x[ifelse(lines[, k] == 0L, NA, lines[, k])]
    })
  }
  out <- list()
  for (name in names) {
    values <- cells(name)
    has <- which(!vapply(values, is.null, NA))
    values <- values[has]
    if (length(has) == 1L || how == "rename") {
      labels <- if (length(has) == 1L) name else {
        paste0(names(frames)[has], ".", name)
      }
      out[labels] <- values
    } else if (how == "fill") {
      out[[name]] <- Reduce(function(x, y) {
        x[is.na(x)] <- y[is.na(x)]
        x
      }, values)
    } else {
      out[[name]] <- Reduce(pmax, values)
    }
  }
  out
}

test_that("columns of one name are kept apart, filled or folded", {
  set.seed(12)
  for (round in 1:200) {
    withr::local_options(ronda.chunk_rows = if (round %% 2 == 0) 3L)
    frames <- make_frames(sample(2:5, 1L), runif(1) < 0.8)
    frames <- lapply(frames, function(x) {
      n <- nrow(x)
      if (runif(1) < 0.8) x$fare <- sample(c(NA, 1.5, 2, 30), n, TRUE)
      if (runif(1) < 0.8) x$quay <- sample(c(NA, "north", "east"), n, TRUE)
      x
    })
    lines <- oracle_many(lapply(frames, function(x) oracle_words(x$key)), "full")
    how <- one_of(c("rename", "fill", "fold"))
    joined <- suppressWarnings(join_many(frames, on = "key", rows = "full",
      collisions = if (how == "fold") pmax else how, origin = "held_by",
      expect = "rows-multiply"
    ))
    expected <- oracle_many_columns(frames, lines, how)
    expect_identical(as.list(joined)[names(expected)], expected)
    expect_identical(joined$held_by, as.character(apply(lines > 0L, 1L, function(has) {
      paste(names(frames)[has], collapse = "+")
    })))
  }
})

test_that("values that should agree are named where they do not", {
  frames <- list(
    a = data.frame(k = 1:3, fare = c(1, NA, 3)), b = data.frame(k = 2:4, fare = 2:4),
    c = data.frame(k = 1:4, fare = c(1, NA, 3, NA))
  )
  expect_identical(join_many(frames, on = "k", collisions = "agree")$fare, c(1, 2, 3, 4))
  frames$c$fare[3L] <- 30
  expect_errors(
    join_many(frames, on = "k", collisions = "agree"),
    join_many(frames, on = "k", collisions = list(fare = "agree")),
    join_many(frames, on = "k", collisions = function(x, y) 1),
    join_many(frames, on = "k", collisions = function(x, y) NULL),
    join_many(list(a = frames$a, b = data.frame(k = 1L, fare = "x")),
      on = "k", collisions = "fill"
    ),
    join_many(list(a = frames$a, b = data.frame(k = "x")), on = "k"),
    join_many(frames, on = "k", origin = "a.fare"),
    join_many(frames, on = "k", more = 1)
  )
})

test_that("who holds a row is told of more frames than a double has bits", {
  count <- 70L
  frames <- lapply(seq_len(count), function(k) data.frame(k = c(0L, k)))
  names(frames) <- sprintf("f%d", seq_len(count))
  frames$f1 <- data.frame(k = c(0L, 1L, 71L))
  frames$f70 <- data.frame(k = c(0L, 70L, 1L))
  joined <- join_many(frames, on = "k", origin = "held_by")
  expect_identical(joined$held_by[match(1:71, joined$k)],
    c("f1+f70", names(frames)[-1L], "f1")
  )
  expect_identical(joined$held_by[joined$k == 0L], paste(names(frames), collapse = "+"))
})

test_that("names are settled over all frames, origin tells who holds a row", {
  a <- data.frame(port = c("A", "B"), n = 1:2, x = c(NA, "ax"))
  b <- data.frame(port = c("C", "A"), n = c(5, 6), x = c("bx", "by"))
  c <- data.frame(port = c("A", "C", "D"), n = 7:9, y = 1:3)
  frames <- list(a = a, b = b, c = c)
  joined <- join_many(frames, on = "port", origin = "found_in")
  expect_printed(print(joined))
  expect_printed(print(last_receipt()))
  filled <- join_many(frames, on = "port",
    collisions = list(x = "fill", n = function(left, right) left + right)
  )
  expect_named(filled, c("port", "n", "x", "y"))
  expect_identical(filled$x, c("by", "ax", "bx", NA))
  expect_identical(filled$n, c(14, NA, NA, NA))
  kept <- join_many(frames, on = "port",
    collisions = list(x = "right", .other = "left")
  )
  expect_identical(kept$n, c(1L, 2L, NA, NA))
  expect_identical(kept$x, c("by", NA, "bx", NA))
  same <- join_many(list(a = a, b = a), on = "port", collisions = "agree")
  expect_identical(same, a)
})

test_that("a chain has its own keys, and new rows bring theirs", {
  frames <- list(
    sailings = sailings, vessels = vessels, ports = ports
  )
  chained <- join_many(frames,
    on = list(ports = "port", vessels = c(vessel = "code")), rows = "left"
  )
  by_hand <- sailings |>
    join_frames(vessels, on = c(vessel = "code"),
      collisions = "rename", sides = c("sailings", "vessels")
    ) |>
    join_frames(ports, on = "port")
  expect_identical(chained, by_hand)
  full <- join_many(frames,
    on = list(vessels = c(vessel = "code"), ports = "port")
  )
  expect_identical(nrow(full), 62L)
  expect_identical(full$vessel[61L], "IVO")
  expect_identical(full$port[62L], "Velness")
  with_rule <- join_many(list(s = sailings, v = vessels),
    on = list(v = same("vessel", "code", via = toupper)), rows = "left"
  )
  expect_identical(sum(is.na(with_rule$name)), 5L)
})

test_that("dozens of frames are one pass", {
  frames <- lapply(1:30, function(k) {
    frame <- data.frame(key = 1:50 + k)
    frame[[paste0("v", k)]] <- k
    frame
  })
  names(frames) <- paste0("f", 1:30)
  joined <- join_many(frames, on = "key", rows = "full")
  expect_identical(joined$key, c(2:51, 52:80))
  expect_identical(ncol(joined), 31L)
  expect_identical(nrow(join_many(frames, on = "key", rows = "inner")), 21L)
})

test_that("values that the key can't hold are told, by the frame that has them", {
  long <- data.frame(k = bit64::as.integer64(c("0", "1")), x = 1:2)
  real <- data.frame(k = c(2.5, 1), y = 1:2)
  expect_error(join_many(list(a = long, b = real), on = "k"),
    "`k` of `b` holds 2.5, which a 64-bit integer can't hold",
    class = "ronda_error_type"
  )
  expect_identical(
    join_many(list(a = long, b = real), on = "k", rows = "inner")$k,
    bit64::as.integer64("1")
  )
})

test_that("the limit on rows holds for every form of a join of many", {
  frames <- list(a = data.frame(k = 1:5), b = data.frame(k = 1:5))
  expect_error(join_many(frames, on = "k", max_rows = 2),
    class = "ronda_error_too_many_rows"
  )
  expect_error(join_many(frames, on = list(b = "k"), max_rows = 2),
    class = "ronda_error_too_many_rows"
  )
})

test_that("a chain keeps the keys of rows that only a later frame has", {
  frames <- list(
    a = data.frame(vessel = c("A", "B"), x = 1:2),
    b = data.frame(code = c("B", "C"), y = 1:2),
    c = data.frame(code = c("C", "D"), z = 1:2)
  )
  joined <- join_many(frames, on = list(b = c(vessel = "code"), c = "code"))
  expect_identical(joined$vessel, c("A", "B", "C", "D"))
  expect_identical(joined$z, c(NA, NA, 1L, 2L))
})

test_that("durations of unlike units meet in a join of many as in a join of two", {
  n <- 1:900
  a <- data.frame(k = as.difftime(n / 7, units = "weeks"), x = n)
  b <- data.frame(k = as.difftime(n, units = "days"), y = n)
  expect_identical(
    join_many(list(a = a, b = b), on = "k", rows = "inner"),
    join_frames(a, b, on = "k", rows = "inner")
  )
})

test_that("frames have their variables' names; what joins of two have is refused", {
  a <- data.frame(k = 1:2, x = 1:2)
  b <- data.frame(k = 2:3, x = c(9L, NA))
  expect_identical(join_many(list(a, b), on = "k"),
    join_many(list(a = a, b = b), on = "k")
  )
  expect_named(join_many(list(a, other = b), on = "k"), c("k", "a.x", "other.x"))
  expect_identical(join_many(list(a, b), on = "k", collisions = "update")$x,
    c(1L, 9L, NA)
  )
  expect_error(join_many(list(a[1, ], b), on = "k"), "needs its own name")
  for (name in names(many_instead)) {
    caught <- tryCatch(
      do.call(join_many, c(list(list(a = a, b = b), on = "k"), structure(list("x"), names = name))),
      ronda_error_argument = function(e) e
    )
    expect_identical(caught$argument, name)
    expect_match(conditionMessage(caught), sprintf("`%s` can't be used", name))
  }
})

test_that("what `via` makes comparable is matched by it, whatever its type, at any step", {
  a <- data.frame(k = c("1", "02", "x"), x = 1:3)
  b <- data.frame(k = c(2L, 1L, 7L), y = c("b", "a", "c"))
  words <- data.frame(name = c(" A", "b"), y = c("a", "b"), z = 5:6)
  as_whole <- function(x) suppressWarnings(as.integer(x))
  for (rows in c("left", "inner", "full")) {
    found <- join_many(list(a = a, b = b), on = same("k", via = as_whole), rows = rows)
    wanted <- join_frames(a, b, on = same("k", via = as_whole), rows = rows, keys = "both")
    expect_identical(found$x, wanted$x)
    expect_identical(found$y, wanted$y)
    expect_identical(found$k, wanted$k)
    expect_identical(found$b.k, wanted$right.k)
  }
  # words, functions and corrections, each at its own step
  chain <- join_many(list(a = a, b = b, words = words), rows = "left", on = list(
    b = same("k", via = list(left = as_whole)),
    words = same("y", "name", via = list(
      left = data.frame(from = "a", to = "A"), right = c("trim", "lower")
    ))
  ))
  expect_identical(chain$z, c(NA, 6L, NA))
  fixed <- join_many(list(a = a, b = b, words = words), rows = "left", on = list(
    b = same("k", via = list(left = as_whole)),
    words = same("y", "name", via = list(left = toupper, right = c("trim")))
  ))
  expect_identical(fixed$z, c(5L, NA, NA))
})

test_that("what must hold is said for all frames, or for each", {
  frames <- list(sailings = sailings, vessels = vessels, ports = ports)
  on <- list(vessels = c(vessel = "code"), ports = "port")
  join <- function(expect) join_many(frames, on = on, rows = "left", expect = expect)
  expect_identical(nrow(join(list(ports = c("many-to-one", "left-complete")))), 60L)
  e <- expect_error(join(list(vessels = "left-complete", ports = "left-complete")),
    "every row of `sailings`", class = "ronda_error_expectation"
  )
  expect_error(join("left-complete"), class = "ronda_error_expectation")
  expect_error(join(list(left_matched = 0.95)), class = "ronda_error_expectation")
  expect_error(join(list(sailings = "one-to-one")), "not for `sailings`",
    class = "ronda_error_argument"
  )
  expect_error(join(list(ports = "few")), "must be .*not .few", class = "ronda_error_argument")
})
