test_that("large frames give the same on one thread, two, and hashed", {
  set.seed(51)
  n <- 400000L
  left <- data.frame(
    i = sample.int(n, n, TRUE), d = sample.int(n, n, TRUE) * 1.5,
    t = sprintf("k%d", sample.int(n, n, TRUE)), v = runif(n)
  )
  right <- data.frame(i = sample.int(n), w = runif(n))
  right$d <- right$i * 1.5
  right$t <- sprintf("k%d", right$i)
  for (key in c("i", "d", "t")) {
    by_hand <- right$w[match(left[[key]], right[[key]])]
    for (threads in 1:2) {
      for (path in c("choose", "hashed")) {
        withr::local_options(ronda.threads = threads, ronda.path = path)
        expect_identical(join_frames(left, right, on = key, take = "w")$w, by_hand)
      }
    }
  }
  both <- join_frames(left, right, on = c("i", "t"), take = "w")$w
  expect_identical(both, ifelse(left$t == sprintf("k%d", left$i),
    right$w[match(left$i, right$i)], NA
  ))
})

test_that("shuffled and swapped inputs give the same pairs", {
  set.seed(52)
  n <- 30000L
  left <- data.frame(k = sample.int(9000L, n, TRUE), i = seq_len(n))
  right <- data.frame(k = sample.int(9000L, n, TRUE), j = seq_len(n))
  pairs_of <- function(l, r) {
    joined <- join_frames(l, r, on = "k", rows = "inner",
      expect = "rows-multiply"
    )
    joined[order(joined$i, joined$j), c("i", "j")]
  }
  plain <- pairs_of(left, right)
  shuffled <- pairs_of(left[sample.int(n), ], right[sample.int(n), ])
  swapped <- pairs_of(right, left)
  expect_equal(shuffled, plain, ignore_attr = TRUE)
  expect_equal(swapped, plain, ignore_attr = TRUE)
  half <- left$i <= n / 2
  parts <- rbind(pairs_of(left[half, ], right), pairs_of(left[!half, ], right))
  expect_equal(parts, plain, ignore_attr = TRUE)
})

test_that("columns of every width, copied side by side, are picked alike", {
  set.seed(56)
  n <- 400L
  columns <- list(
    whole = c(NA, seq_len(n - 1L)), day = as.Date("2031-05-01") + seq_len(n),
    fare = runif(n), quay = some(c("north", NA, "\u00f8st"), n),
    full = rep(c(TRUE, NA), n / 2), ticket = as.raw(seq_len(n) %% 256),
    wave = complex(real = runif(n), imaginary = 1),
    kind = factor(some(c("car", "van"), n)), deck = sample.int(n),
    notes = as.list(seq_len(n))
  )
  for (case in 1:200) {
    withr::local_options(ronda.chunk_rows = 3L, ronda.deferred = case %% 2 == 0)
    taken <- sample(names(columns), sample(2:length(columns), 1L))
    right <- as_frame(c(list(k = sample.int(n)), columns[taken]), n)
    m <- sample(c(150L, 400L, 700L), 1L)
    left <- data.frame(k = sample.int(n + 40L, m, TRUE), v = runif(m))
    rows <- sample(c("left", "inner"), 1L)
    if (case %% 5 == 0) right <- right[sample.int(n, 2L * n, TRUE), ]
    partners <- lapply(left$k, function(k) which(right$k == k))
    at <- lapply(partners, function(p) if (length(p)) p else 0L)
    if (rows == "inner") at <- partners
    at <- unlist(at)
    joined <- join_frames(left, right, on = "k", rows = rows,
      expect = "rows-multiply"
    )
    expect_identical(lapply(joined[taken], function(x) x),
      lapply(right[taken], function(x) pick(x, at))
    )
  }
})

test_that("more rows than the caches hold are joined as by hand", {
  skip_on_cran()
  set.seed(57)
  n <- 4300000L
  right <- data.frame(k = sample.int(n), a = seq_len(n), b = runif(n), c = -seq_len(n))
  left <- data.frame(k = sample.int(n + 1e5L, n), v = seq_len(n))
  joined <- join_frames(left, right, on = "k", rows = "inner")
  at <- match(left$k, right$k)
  kept <- !is.na(at)
  expect_identical(as.list(joined), c(as.list(left[kept, ]),
    as.list(right[at[kept], c("a", "b", "c")])
  ))
})

test_that("key order of large frames is R's own order", {
  set.seed(55)
  n <- 150000L
  x <- data.frame(
    quay = some(sprintf("a rather long name of quay %d", 1:40), n),
    port = some(c("north", "north east", "\u00f8st"), n), d = round(runif(n), 3),
    i = sample.int(n), t = sprintf("k%d", sample.int(n))
  )
  for (keys in list("quay", "t", "i", "d", c("port", "d"), c("quay", "port", "t"))) {
    joined <- join_frames(x, x[0L, ], on = keys, row_order = "keys", keys = "one")
    columns <- lapply(unname(x[keys]), function(x) {
      if (is.character(x)) enc2utf8(x) else x
    })
    expect_identical(joined[[which(names(joined) %in% c("i", "left.i"))]],
      x$i[do.call(order, c(columns, list(method = "radix")))]
    )
  }
})

test_that("other column names change names alone", {
  set.seed(54)
  n <- 20000L
  left <- data.frame(k = sample.int(9000L, n, TRUE), at = runif(n), v = runif(n),
    only = sample(letters, n, TRUE)
  )
  right <- data.frame(k = sample.int(9000L, n, TRUE), at = runif(n), v = runif(n),
    day = as.Date("2031-05-01") + sample.int(99L, n, TRUE)
  )
  other <- function(x, end) setNames(x, paste0(names(x), "_", end, " \u00e9"))
  for (rows in c("inner", "full", "semi", "unmatched")) {
    for (rule in c("equal", "nearest")) {
      plain_on <- if (rule == "equal") list("k") else list("k", nearest("at"))
      other_on <- if (rule == "equal") {
        list(same("k_a \u00e9", "k_b \u00e9"))
      } else {
        list(same("k_a \u00e9", "k_b \u00e9"), nearest("at_a \u00e9", "at_b \u00e9"))
      }
      plain <- join_frames(left, right, on = plain_on, rows = rows,
        expect = "rows-multiply"
      )
      renamed <- join_frames(other(left, "a"), other(right, "b"), on = other_on,
        rows = rows, expect = "rows-multiply"
      )
      expect_identical(unname(as.list(renamed)), unname(as.list(plain)))
    }
  }
})

test_that("a forked child joins on one thread, even after its parent's two", {
  skip_on_os("windows")
  left <- data.frame(k = rep(1:1000, 400))
  right <- data.frame(k = 1:1000, w = 1:1000)
  expected <- join_frames(left, right, on = "k")
  found <- parallel::mclapply(1:2, function(k) {
    join_frames(left, right, on = "k")
  }, mc.cores = 2L)
  expect_identical(found, list(expected, expected))
})

test_that("nearest is the same searched, walked and sorted first", {
  set.seed(53)
  n <- 120000L
  frame <- function() {
    data.frame(g = sample.int(50L, n, TRUE), t = round(runif(n, 0, 5000), 1))
  }
  left <- frame()
  right <- frame()
  right$v <- seq_len(n)
  sorted <- function(x) {
    x <- x[order(x$g, x$t), ]
    row.names(x) <- NULL
    x
  }
  on <- list("g", nearest("t", within = 0.2))
  plain <- join_frames(left, right, on = on, take = "v")
  walked <- join_frames(sorted(left), sorted(right), on = on, take = "v")
  expect_identical(sorted(plain)$v, walked$v)
  withr::local_options(ronda.path = "hashed")
  searched <- join_frames(sorted(left), sorted(right), on = on, take = "v")
  expect_identical(searched, walked)
  few <- sample.int(n, 300L)
  by_hand <- vapply(few, function(i) {
    near <- which(right$g == left$g[i] & right$t <= left$t[i] &
      left$t[i] - right$t <= 0.2)
    if (!length(near)) NA_integer_ else {
      max(near[right$t[near] == max(right$t[near])])
    }
  }, 1L)
  expect_identical(plain$v[few], by_hand)
})

test_that("odd numbers keep their meaning", {
  odd <- data.frame(k = c(0, -0, NaN, NA, Inf, -Inf, 1e-320), i = 1:7)
  joined <- join_frames(odd, odd, on = "k", rows = "inner",
    expect = "rows-multiply"
  )
  expect_identical(joined$i, c(1L, 1L, 2L, 2L, 5L, 6L, 7L))
  joined <- join_frames(odd, odd, on = "k", rows = "inner",
    expect = "rows-multiply", missing_keys = "match"
  )
  expect_identical(nrow(joined), 11L)
  near <- join_frames(odd, odd, on = nearest("k", look = "either"))
  expect_identical(near$right.i, c(2L, 2L, NA, NA, 5L, 6L, 7L))
})

test_that("rows that turn out late not to be in order are searched, not walked", {
  n <- 1000L
  frame <- data.frame(port = rep(1:4, each = n), at = rep(2 * seq_len(n), 4L))
  right <- transform(frame, at = at + rep_len(c(-1, 0, 1), 4L * n), w = seq_len(4L * n))
  changes <- list(
    none = identity,
    time = function(x) replace(x, "at", list(replace(x$at, 2500:2501, x$at[2501:2500]))),
    port = function(x) replace(x, "port", list(replace(x$port, 3500L, 2L))),
    missing = function(x) replace(x, "at", list(replace(x$at, 3001L, NA))),
    late = function(x) replace(x, "at", list(replace(x$at, 4000L, 7)))
  )
  for (chunk in c(17, 1e5)) for (within in c(Inf, 3)) {
    withr::local_options(ronda.chunk_rows = chunk)
    join <- function(left, right, path) {
      withr::local_options(ronda.path = path)
      join_frames(left, right, on = list("port", nearest("at", within = within)))
    }
    for (change in changes) {
      left <- change(frame)
      expect_identical(join(left, right, NULL), join(left, right, "hashed"))
      expect_identical(join(frame, change(right), NULL),
        join(frame, change(right), "hashed")
      )
    }
  }
})

test_that("repeated keys of any number and order pair alike on every path", {
  ways <- expand.grid(path = c("choose", "direct", "hashed"), threads = 1:2,
    chunk = c(64, 1e5), stringsAsFactors = FALSE
  )
  set.seed(71)
  for (keys in c(1L, 3L, 40L, 900L, 1500L, 3000L)) for (sorted in c(FALSE, TRUE)) {
    frames <- lapply(1:2, function(side) {
      k <- sample.int(keys, 3000L, TRUE)
      if (sorted) k <- sort(k)
      if (keys < 3000L) k[sample.int(3000L, 20L)] <- NA
      data.frame(k = k, row = seq_along(k))
    })
    if (keys < 40L) frames[[1L]] <- frames[[1L]][1:50, ]
    by_key <- split(frames[[2L]]$row, frames[[2L]]$k)
    partners <- by_key[as.character(frames[[1L]]$k)]
    sizes <- lengths(partners, use.names = FALSE)
    for (way in seq_len(nrow(ways))) {
      withr::local_options(ronda.path = ways$path[way],
        ronda.threads = ways$threads[way], ronda.chunk_rows = ways$chunk[way]
      )
      x <- join_frames(frames[[1L]], frames[[2L]], on = "k", rows = "inner",
        expect = "rows-multiply", collisions = "rename"
      )
      expect_identical(x$left.row, rep.int(frames[[1L]]$row, sizes))
      expect_identical(x$right.row, unlist(partners, use.names = FALSE))
    }
  }
})

test_that("keys that multiply alike are named in the order of the right frame", {
  right <- data.frame(k = rep(c(9L, 2L, 5L), each = 4L))
  left <- right[c(5:12, 1:4), , drop = FALSE]
  words <- lapply(c("direct", "hashed"), function(path) {
    withr::local_options(ronda.path = path)
    conditionMessage(expect_error(join_frames(left, right, on = "k",
      expect = "one-to-one"
    ), class = "ronda_error"))
  })
  expect_identical(words[[1L]], words[[2L]])
})

test_that("texts are the same where R is asked for their characters", {
  set.seed(31)
  texts <- c("", "a", "\u00e4", strrep("long", 300L), sprintf("k%d", 1:40), NA)
  n <- 500L
  left <- data.frame(k = sample(texts, n, TRUE), v = seq_len(n))
  right <- data.frame(k = sample(texts, n, TRUE), w = seq_len(n), t = sample(texts, n, TRUE))
  all_of <- function() {
    keys <- list(left$k)
    list(
      join_frames(left, right, on = "k", rows = "full", row_order = "keys",
        expect = "rows-multiply"
      ),
      join_frames(left, right, on = "k", repeats = lowest("t")),
      partition_rows_(keys, engine_kinds[["text"]], 7L, FALSE, 0)
    )
  }
  for (threads in 1:2) {
    withr::local_options(ronda.threads = threads, ronda.chunk_rows = 50)
    plain <- all_of()
    withr::with_options(list(ronda.characters = "asked"), expect_identical(all_of(), plain))
  }
})
