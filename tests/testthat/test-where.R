many <- data.frame(k = rep(1:3, each = 4L), v = 1:12, w = letters[1:12])

test_that("only the columns that a condition touches are fetched", {
  right <- many
  right$trap <- structure(1:12, class = "ronda_test_trap")
  local_mocked_s3("[.ronda_test_trap", function(x, i) stop("fetched"))
  joined <- join_frames(many, right, on = "k", where = ~ left$v < right$v,
    omit = "trap", rows = "inner", expect = "many-to-many"
  )
  expect_identical(nrow(joined), 18L)
  expect_error(
    join_frames(many, right, on = "k", where = ~ right$trap == 1,
      expect = "many-to-many"
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
    expect = "many-to-many"
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
  expect_identical(joined$v_left, 1:12)
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
    expect = "many-to-many"
  ), class = "ronda_error")
  expect_match(deparse(conditionCall(error))[1L], "^join_frames")
  expect_match(conditionMessage(error), "nowhere")
  expect_error(join_frames(many, many, on = "k", expect = "many-to-many",
    where = function(left, right) stop("the tide is out")
  ), "`where` failed: the tide is out", class = "ronda_error")
})
