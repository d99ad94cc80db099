# A join that is made again, with other rows, is filled into the plan of the first one:
# the frame, the receipt and what is said are those of the long way.

session <- ronda:::session
forget_plans <- function() {
  session$plans <- list()
  session$marks <- NULL
}

# what a call gives and says: the frame or the error, warnings, the receipt's facts
told_of <- function(run) {
  said <- character()
  session$latest <- NULL
  value <- withCallingHandlers(
    tryCatch(run(), ronda_error = function(e) conditionMessage(e)),
    warning = function(w) {
      said <<- c(said, conditionMessage(w))
      invokeRestart("muffleWarning")
    }
  )
  receipt <- unclass(last_receipt())
  list(value = value, said = said, receipt = receipt[names(receipt) != "seconds"])
}

# the same frames with some of their rows, some of them twice
with_other_rows <- function(case) {
  for (side in c("left", "right")) {
    frame <- case[[side]]
    n <- nrow(frame)
    rows <- if (n) sample.int(n, sample.int(n, 1L), replace = TRUE) else integer()
    case[[side]] <- ronda:::own_rows(frame, rows, NULL)
  }
  case
}

# Whether run(case) tells the same by a plan that another case left as by none
same_again <- function(run, case) {
  forget_plans()
  for (time in 1:2) told_of(function() run(case))
  other <- with_other_rows(case)
  again <- told_of(function() run(other))
  forget_plans()
  identical(again, told_of(function() run(other)))
}

joined_again <- function() ronda:::road_uses_()[["joined again"]]

test_that("generated joins made again are what they are the long way", {
  before <- joined_again()
  differ <- vapply(1:240, function(seed) {
    ordered <- seed %% 4 == 0
    case <- seeded_case(seed, ordered)
    !same_again(function(case) run_spec(case, case$spec), case)
  }, NA)
  expect_identical(which(differ), integer())
  expect_gt(joined_again() - before, 0)
})

# Plain frames, and what is chosen of what the engine's side knows
plain_frame <- function(n, names) {
  columns <- list(
    some(1:6, n), some(c(0.5, 1, 2, NaN), n), some(c("a", "b", "\u00e9"), n),
    some(c(TRUE, FALSE), n), as.Date("2031-05-01") + some(0:3, n),
    as.POSIXct("2031-05-01", tz = "UTC") + some(c(0, 1800, 3600, 7200), n),
    factor(some(c("x", "y"), n), c("y", "x"))
  )
  names(columns) <- names
  as_frame(columns, n)
}

plain_case <- function(seed) {
  set.seed(seed)
  names <- c("whole", "real", "text", "flag", "day", "time", "mark")
  left <- plain_frame(12L, sample(names))
  right <- plain_frame(10L, ifelse(runif(7) < 0.5, names, paste0("r_", names)))
  names(left) <- names
  keys <- sample(1:6, one_of(1:2))
  on <- stats::setNames(names(right)[keys], names[keys])
  near <- one_of(list(NULL, NULL, nearest(names[2L], names(right)[2L], look = one_of(
    c("back", "ahead", "either")
  ), within = one_of(c(Inf, Inf, 0.5)), ties = one_of(c("last", "first"))),
  nearest(names[6L], names(right)[6L])))
  if (!is.null(near)) on <- c(as.list(on[runif(length(on)) < 0.5]), list(near))
  where <- if (is.null(near)) maybe(0.3, one_of(list(
    ~ left$whole <= right[["w"]], ~ (left$whole == right$w) & right$v > left$real,
    ~ left$whole + 0 <= right$w
  )))
  right$w <- some(1:6, 10L)
  right$v <- some(c(0.5, 1, 3), 10L)
  fold <- maybe(0.2, list(
    total = one_of(list(~ sum(right$w), ~ sum(right$v, na.rm = TRUE), ~ mean(right$v))),
    rows = ~ nrow(right), most = one_of(list(~ max(right$w, na.rm = TRUE), ~ right$v[1]))
  ))
  spec <- list(
    on = on, where = where, fold = fold, rows = if (is.null(fold)) {
      one_of(names(ronda:::row_types))
    } else {
      one_of(c("left", "inner"))
    },
    missing_keys = one_of(c("unmatched", "unmatched", "match")),
    repeats = one_of(c("all", "all", "first", "last")),
    expect = maybe(0.8, one_of(list(NULL, "rows-multiply")), one_of(list("many-to-one",
      "one-to-many", "left-complete", c("one-to-one", "no-missing-keys"), "right-complete"
    ))),
    origin = maybe(0.3, "origin"), row_numbers = maybe(0.3, c("i", "j"))
  )
  one_sided <- spec$rows %in% c("semi", "anti")
  if (one_sided) spec$origin <- NULL
  if (is.null(fold)) {
    spec$partners <- maybe(0.3, "partners")
    spec$keys <- one_of(c("one", "one", "both"))
    spec$collisions <- one_of(c("rename_right", "rename", "left", "right", "fill", "update",
      "agree"
    ))
    if (!one_sided) spec$take <- maybe(0.3, c("v", W = "w"))
  }
  list(left = left, right = right, spec = spec[!vapply(spec, is.null, NA)])
}

join_plain <- function(case) {
  do.call(join_frames, c(list(quote(case$left), quote(case$right)), case$spec))
}

test_that("so are those of plain frames, whatever is chosen", {
  before <- joined_again()
  differ <- vapply(1:400, function(seed) !same_again(join_plain, plain_case(seed)), NA)
  expect_identical(which(differ), integer())
  expect_gt(joined_again() - before, 100)
})

test_that("a plan is filled in only where names, types and what is asked are the same", {
  left <- data.frame(k = 1:3, a = c(0.5, 1, 2))
  right <- data.frame(k = c(2L, 3L, 5L), b = 1:3)
  join <- function(left, right, ...) join_frames(left, right, on = "k", ...)
  long_way <- function(...) {
    forget_plans()
    join(...)
  }
  uses <- function(...) {
    long_way(left, right)
    join(left, right)
    before <- joined_again()
    found <- tryCatch(join(...), ronda_error = class)
    used <- joined_again() - before
    expect_identical(found, tryCatch(long_way(...), ronda_error = class))
    used
  }
  expect_identical(uses(left[3:1, ], right), 1)
  expect_identical(uses(left, right, rows = "inner"), 0)
  expect_identical(uses(left, right, origin = "from"), 0)
  expect_identical(uses(transform(left, k = k + 0), right), 0)
  expect_identical(uses(transform(left, a = factor(a)), right), 0)
  expect_identical(uses(left[2:1], right), 0)
  expect_identical(uses(stats::setNames(left, c("k", "A")), right), 0)
  expect_identical(uses(structure(left, class = c("tbl_df", "tbl", "data.frame")), right), 0)
  expect_identical(uses(structure(left, row.names = 1:2), right), 0)
  withr::with_options(list(ronda.max_rows = 2), expect_identical(uses(left, right), 0))
  withr::with_options(list(ronda.deferred = "always"), expect_identical(uses(left, right), 0))
})

test_that("a plan with a formula is filled in only where R's own functions are called", {
  left <- data.frame(k = 1L, a = 1:3)
  right <- data.frame(k = 1L, b = 2L)
  join <- function(`<`) {
    if (missing(`<`)) `<` <- base::`<`
    join_frames(left, right, on = "k", where = ~ left$a < right$b)
  }
  forget_plans()
  first <- join()
  join()
  before <- joined_again()
  expect_identical(join(), first)
  expect_identical(joined_again() - before, 1)
  expect_identical(join(function(x, y) x > y)$b, c(NA, NA, 2L))
  expect_identical(join(), first)
})

test_that("receipts say what the frames are called in each call", {
  sailings <- data.frame(k = 1:2)
  vessels <- data.frame(k = 2:3, b = 1)
  boats <- vessels
  forget_plans()
  for (time in 1:2) join_frames(sailings, vessels, on = "k")
  join_frames(sailings, boats, on = "k")
  expect_identical(last_receipt()$labels, c("sailings", "boats"))
  expect_identical(names(last_receipt()$seconds), c("check", "match", "columns"))
  withr::local_options(ronda.receipt = TRUE)
  expect_message(join_frames(sailings, boats, on = "k"),
    "2 sailings, 2 boats .* 2 rows: 1 paired, 1 sailings alone"
  )
  join_frames(sailings, boats, on = "k", sides = c("left", "right")) |> suppressMessages()
  expect_identical(last_receipt()$labels, c("left", "right"))
})

test_that("plans keep no environment of a formula alive", {
  forget_plans()
  ask <- function() {
    large <- 1
    join_frames(vessels, sailings, on = c(code = "vessel"), fold = list(n = ~ nrow(right)),
      where = ~ left$seats > right$km
    )
  }
  for (time in 1:3) ask()
  expect_gt(length(session$plans), 0L)
  choices <- session$plans[[1L]]$choices
  expect_identical(environment(choices$where), emptyenv())
  expect_identical(environment(choices$fold$n), emptyenv())
})
