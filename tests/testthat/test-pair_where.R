many <- data.frame(k = rep(1:3, each = 4L), v = 1:12, w = letters[1:12])

test_that("only the columns that a condition touches are fetched", {
  right <- many
  right$trap <- structure(1:12, class = "ronda_test_trap")
  local_mocked_s3("[.ronda_test_trap", function(x, i) stop("fetched"))
  joined <- join_frames(many, right, on = "k", where = ~ left$v < right$v,
    omit = "trap", rows = "inner", expect = "rows-multiply"
  )
  expect_identical(nrow(joined), 18L)
  expect_error(
    join_frames(many, right, on = "k", where = ~ right$trap == 1,
      expect = "rows-multiply"
    ),
    class = "ronda_error"
  )
})

test_that("conditions on one side are asked of that side's rows alone", {
  asked <- integer()
  look <- function(x) {
    asked <<- c(asked, length(x))
    x > 6L
  }
  joined <- join_frames(many, many, on = "k", rows = "inner",
    where = ~ look(left$v) & look(right$v) & left$v <= right$v,
    expect = "rows-multiply"
  )
  expect_identical(asked, c(12L, 12L))
  expect_identical(nrow(joined), 13L)
})

test_that("blocks bound what is fetched at once", {
  withr::local_options(ronda.pairs_per_block = 10)
  sizes <- integer()
  joined <- join_frames(many, many, on = cross(), rows = "inner",
    where = function(left, right) {
      sizes <<- c(sizes, length(left$v))
      left$v == right$v
    }
  )
  expect_identical(joined$v, 1:12)
  expect_lte(max(sizes), 10L)
  expect_identical(sum(sizes), 144L)
})

test_that("rows look like frames to a condition, in every way of asking", {
  ways <- list(
    ~ left$v == right[["v"]], ~ left[["v"]] == right$v,
    function(left, right) left[, "v"] == right[, 2],
    function(left, right) with(left, v) == as.data.frame(right)$v,
    function(left, right) left[[2]] == right[["v"]],
    ~ (left$v == right$v) & nrow(left) == nrow(right) & TRUE,
    ~ left$v == right$v & names(left)[2] == "v"
  )
  for (where in ways) {
    expect_identical(
      nrow(join_frames(many, many, on = "k", where = where, rows = "inner")), 12L
    )
  }
  outside <- 5L
  expect_identical(
    join_frames(many, many, on = "k", where = ~ left$v == outside,
      rows = "semi"
    )$v,
    5L
  )
})

test_that("an error of ours inside a condition blames the join, another is quoted", {
  nested <- function(left, right) {
    join_frames(many, many, on = "nowhere")
    TRUE
  }
  error <- expect_error(join_frames(many, many, on = "k", where = nested,
    expect = "rows-multiply"
  ), class = "ronda_error")
  expect_match(deparse(conditionCall(error))[1L], "^join_frames")
  expect_match(conditionMessage(error), "nowhere")
  expect_error(join_frames(many, many, on = "k", expect = "rows-multiply",
    where = function(left, right) stop("the tide is out")
  ), "`where` failed: the tide is out", class = "ronda_error")
})

test_that("what stands for the rows behaves as the data frame it is taken for", {
  left <- data.frame(k = c(1, 1, 2), a = c(3, NA, 5), b = c("x", "y", "z"),
    f = factor(c("u", "v", "u")), d = as.Date("2031-05-01") + 0:2
  )
  left$l <- list(1, NULL, 3)
  right <- data.frame(k = c(1, 2, 2), m = 1:3)
  rows <- list(left = c(1L, 2L, 3L, 3L), right = c(1L, 1L, 2L, 3L))
  base_frame <- function(x) {
    row.names(x) <- NULL
    x
  }
  expected <- list(left = base_frame(left[rows$left, ]), right = base_frame(right[rows$right, ]))
  asks <- list(
    class = class, dim = dim, nrow = nrow, NROW = NROW, ncol = ncol, length = length,
    names = names, colnames = colnames, rownames = rownames, row.names = row.names,
    dimnames = dimnames, is.list = is.list,
    attributes = function(x) attributes(x)[c("names", "class", "row.names")],
    is.data.frame = is.data.frame, as.list = as.list, as.data.frame = as.data.frame,
    summary = summary, str = function(x) utils::capture.output(utils::str(x)),
    print = function(x) utils::capture.output(print(x)), head = utils::head,
    tail = function(x) utils::tail(x, 2), lapply = function(x) lapply(x, class),
    some = function(x) x[c("k", "a")], one = function(x) x["a"],
    column = function(x) x[, "a"], position = function(x) x[[2]],
    name = function(x) x[["b"]], dollar = function(x) x$d, nothing = function(x) x$zz,
    partial = function(x) x$fx, part_of_name = function(x) x["k" == names(x)],
    row = function(x) x[2, ], cell = function(x) x[2, "b"],
    negative = function(x) x[-1], logical = function(x) x[x$k > 1, c("k", "b")],
    all = function(x) x[], matrix = function(x) as.matrix(x[c("k", "a")]),
    transpose = function(x) t(x[c("k", "a")]), missing = function(x) is.na(x["a"]),
    rows = function(x) rowSums(x[c("k", "a")], na.rm = TRUE),
    means = function(x) colMeans(x[c("k", "a")]), apply = function(x) apply(x["a"], 1, identity),
    with = function(x) with(x, k + a), within = function(x) within(x, e <- k * 2),
    transform = function(x) transform(x, a = a + 1), subset = function(x) subset(x, k > 1, b),
    split = function(x) split(x["b"], x$f), unique = function(x) unique(x["k"]),
    duplicated = function(x) duplicated(x[c("k", "f")]), order = function(x) x[order(x$a), "b"],
    bind = function(x) cbind(x["k"], z = 1), stack = function(x) rbind(x["k"], x["k"]),
    math = function(x) exp(x["a"]), compare = function(x) x["k"] == x["k"],
    range = function(x) range(x["k"]), model = function(x) stats::coef(stats::lm(k ~ a, x)),
    complete = function(x) stats::complete.cases(x[c("k", "a")]),
    by = function(x) c(by(x, x$f, nrow)), sum_up = function(x) stats::aggregate(a ~ f, x, sum),
    table = function(x) table(x$f), change = function(x) {
      x$a[1] <- 100
      x$new <- 1
      x
    },
    drop = function(x) {
      x$b <- NULL
      x
    },
    reversed = function(x) rev(x), Map = function(x) Map(length, x),
    call = function(x) do.call(paste, x[c("k", "b")]), any = function(x) anyNA(x),
    equal = function(x) all.equal(x, x)
  )
  for (name in names(asks)) {
    ask <- asks[[name]]
    seen <- NULL
    pair_rows(left, right, on = "k", where = function(left, right) {
      seen <<- list(ask(left), nrow(right))
      rep(TRUE, nrow(left))
    }, expect = "rows-multiply")
    expect_identical(seen, list(ask(expected$left), 4L), label = name)
    pair_rows(left, right, on = "k", expect = "rows-multiply", where = ~ {
      seen <- ask(left)
      if (!identical(seen, ask(expected$left))) stop("differs: ", name)
      left$k == right$k
    })
  }
})

test_that("columns are fetched only where code may use them", {
  left <- data.frame(k = 1:200, a = 1:200, b = as.character(1:200))
  waiting <- function(code) {
    count <- NULL
    pair_rows(left, left, on = "k", where = function(left, right) {
      code(left)
      count <<- c(ronda:::count_deferred_(left), length(left))
      rep(TRUE, nrow(left))
    })
    count
  }
  expect_identical(waiting(function(x) sum(x[["a"]])), c(2L, 3L))
  expect_identical(waiting(function(x) x[c("a", "b")]), c(3L, 3L))
  expect_identical(waiting(function(x) rowSums(x[c("k", "a")])), c(1L, 3L))
  expect_identical(ronda:::columns_used(quote(left$a > left[["b"]] & right$c), "left"),
    c("a", "b")
  )
  for (any in list(quote(left), quote(f(left)), quote(left[i]), quote(left[, "a"]),
    quote(left[[i]]), quote(get("left")$a), quote(with(left, a)))) {
    expect_null(ronda:::columns_used(any, "left"))
  }
})

test_that("a column that isn't there is named where a condition gives nothing", {
  expect_error(
    join_frames(many, many, on = "k", expect = "rows-multiply",
      where = function(left, right) left$vv > 1
    ),
    "no column `vv`.*Did you mean `v`",
    class = "ronda_error_argument"
  )
  # where no name is close, all of them are told
  columns <- paste("Its columns:", ronda:::ticked(names(many)))
  expect_error(pair_rows(many, many, on = "k", where = ~ right$other > 1), columns)
  expect_error(join_frames(many, many, on = "k", expect = "rows-multiply", if_absent = list(
    harbour = 1
  )), "Its columns: `k`")
  in_demo_folder()
  run <- run_cli("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--where",
    "right.harbour > 1"
  )
  expect_match(run$err, "Its columns: `code`", all = FALSE)
})

test_that("the analyst's own error comes along, with the calls that led to it", {
  inner <- function() stop(structure(class = c("tide_is_out", "error", "condition"),
    list(message = "the tide is out", call = quote(inner()))
  ))
  frames <- list(a = data.frame(k = 1, v = 1), b = data.frame(k = 1, v = 2))
  errors <- list(
    expect_error(pair_rows(frames$a, frames$b, on = "k", where = function(left, right) inner())),
    expect_error(pair_rows(frames$a, frames$b, on = same("k", via = function(x) inner()))),
    expect_error(join_frames(frames$a, frames$b, on = "k",
      collisions = function(left, right) inner()
    )),
    expect_error(join_many(frames, on = "k", collisions = function(left, right) inner()))
  )
  for (error in errors) {
    expect_s3_class(error, "ronda_error")
    expect_s3_class(error$parent, "tide_is_out")
    expect_identical(conditionCall(error$parent), quote(inner()))
    expect_match(conditionMessage(error), "the tide is out")
    called <- vapply(error$parent_calls, function(call) deparse(call)[1L], "")
    expect_true("inner()" %in% called)
  }
})

test_that("a time limit that runs out in the engine is an error, not an interrupt", {
  n <- 2e6
  long <- data.frame(k = rev(seq_len(n)), t = stats::runif(n))
  caught <- NULL
  tryCatch(
    {
      setTimeLimit(elapsed = 0.3, transient = TRUE)
      for (k in 1:20) pair_rows(long, long, on = nearest("t"))
    },
    error = function(e) caught <<- "error",
    interrupt = function(e) caught <<- "interrupt"
  )
  setTimeLimit()
  expect_identical(caught, "error")
})

test_that("what the engine takes over of a condition gives the pairs that R gives", {
  day <- as.Date("2031-05-01")
  noon <- as.POSIXct("2031-05-01 12:00", tz = "UTC")
  makers <- list(
    int = function(n) some(-3:3, n), num = function(n) some(c(-1, 0, -0, 0.5, NaN, Inf, 2), n),
    day = function(n) day + some(c(0, 0.5, 1), n), time = function(n) noon + some(0:3, n),
    east = function(n) structure(noon + some(0:3, n), tzone = "Etc/GMT-3"),
    mins = function(n) as.difftime(some(c(60, 90), n), units = "mins"),
    hours = function(n) as.difftime(some(c(1, 1.5), n), units = "hours"),
    flag = function(n) some(c(TRUE, FALSE), n), text = function(n) some(c("a", "B", "b"), n)
  )
  taken_with <- list(int = c("int", "num"), num = c("int", "num"), day = "day",
    time = c("time", "east"), east = c("time", "east"), mins = "mins", hours = "hours",
    flag = "flag"
  )
  set.seed(22)
  for (k in 1:150) {
    frames <- lapply(sample(0:9, 2L, TRUE), function(n) {
      frame <- lapply(makers, function(make) make(n))
      as_frame(c(list(key = some(1:2, n)), frame), n)
    })
    terms <- lapply(1:sample(3, 1L), function(term) {
      left <- one_of(names(makers))
      partners <- c(taken_with[[left]],
        if (left %in% c("flag", "text")) left, if (left == "mins") "hours"
      )
      list(op = one_of(comparison_ops), left = left, right = one_of(partners))
    })
    code <- lapply(terms, function(term) {
      sides <- list(call("$", quote(left), as.name(term$left)),
        call("[[", quote(right), term$right)
      )
      code <- as.call(c(list(as.name(term$op)), if (runif(1) < 0.5) rev(sides) else sides))
      if (runif(1) < 0.3) call("(", code) else code
    })
    where <- eval(call("~", Reduce(function(a, b) call("&", a, b), code)))
    by_hand <- function(left, right) eval(where[[2L]])
    on <- one_of(list("key", cross(), list("key", around("num", after = 1))))
    pairs <- function(condition) {
      pair_rows(frames[[1L]], frames[[2L]], on, where = condition, expect = "rows-multiply")
    }
    found <- pairs(where)
    expect_identical(found$counts[1:5], pairs(by_hand)$counts[1:5])
    expect_identical(all_pairs(found$matches), all_pairs(pairs(by_hand)$matches))
    expect_length(found$condition$taken, sum(vapply(terms, function(term) {
      term$right %in% taken_with[[term$left]]
    }, NA)))
  }
})

test_that("the account says what the engine took over, and R keeps what is not its own", {
  expect_printed(print(pair_rows(many, many, on = cross(),
    where = ~ left$v < right$v & left$w <= right$w, expect = "rows-multiply"
  )))
  # an operator of the analyst's is called
  `<` <- function(a, b) rep(TRUE, length(a))
  own <- pair_rows(many, many, on = cross(), where = ~ left$v < right$v)
  expect_identical(own$counts$pairs, 144)
  # 3,000 by 10,000 rows by an index
  left <- data.frame(at = seq_len(3000))
  right <- data.frame(from = seq_len(10000) - 0.5, to = seq_len(10000) + 0.5)
  expect_identical(nrow(join_frames(left, right, on = cross(), rows = "inner",
    where = ~ base::`<`(0, 1) & left$at >= right$from & left$at <= right$to
  )), 3000L)
})

test_that("a frame with a `$` or `[[` of its own is asked by it", {
  doubled <- structure(data.frame(v = 1:4), class = c("doubled_wind", "data.frame"))
  limit <- data.frame(w = 5)
  pairs_by <- function(where) pair_rows(doubled, limit, on = cross(), where = where)$counts$pairs
  expect_identical(pairs_by(~ left$v > right$w), 0)
  twice <- function(x, name) 2 * .subset2(x, name)
  local({
    local_mocked_s3("$.doubled_wind", twice)
    expect_identical(pairs_by(~ left$v > right$w), 2)
  })
  local_mocked_s3("[[.doubled_wind", twice)
  expect_identical(pairs_by(~ left[["v"]] > right$w), 2)
})
