parts_table <- function(n, seconds = seq_len(n) / 10) {
  data.frame(
    part = sprintf("part-%05d", seq_len(n)), left_rows = rep(c(5, 1e7), length.out = n),
    right_rows = rep(0, n), pairs = rep(1, n), result_rows = rep(12345, n), seconds = seconds
  )
}

test_that("rows and seconds of each task are drawn, the longest first", {
  skip_if_not_installed("ggplot2")
  parts <- parts_table(6)
  drawn <- ggplot2::ggplot_build(plot_parts(parts))
  bars <- drawn$data[[1]]
  expect_identical(nrow(bars), 24L)
  of_panel <- function(k) bars$x[bars$PANEL == k][order(bars$y[bars$PANEL == k])]
  expect_equal(of_panel(1), parts$left_rows)
  expect_equal(of_panel(4), parts$seconds)
  middle <- drawn$data[[2]]$xintercept
  expect_equal(middle, c(stats::median(parts$left_rows), 0, 12345, stats::median(parts$seconds)))
})

test_that("titles are true for many tasks, one and none", {
  skip_if_not_installed("ggplot2")
  title <- function(parts) gsub("\n", " ", plot_parts(parts)$labels$title)
  expect_match(title(parts_table(3)), "3 tasks: median 0.2 s, slowest 0.3 s")
  expect_match(title(parts_table(1)), "^1 task: median 0.1 s, slowest 0.1 s")
  expect_identical(title(parts_table(0)), "No part had any row")
  many <- plot_parts(parts_table(50))
  built <- ggplot2::ggplot_build(many)
  shown <- nrow(built$data[[1]]) / 4
  expect_true(shown > 10 && shown < 40)
  expect_match(built$plot$labels$subtitle, sprintf("the %d that took longest", shown))
  for (n in c(0, 1, 50)) {
    expect_silent(ggplot2::ggplotGrob(plot_parts(parts_table(n, rep(0, n)))))
  }
})

test_that("numbers of axes are short", {
  expect_identical(short_numbers(c(0, 12, 9999, 12000, 1.5e6, NA)),
    c("0", "12", "9999", "12k", "1.5M", "")
  )
})

test_that("what join_files() returns is drawn by plot()", {
  skip_without_files()
  skip_if_not_installed("ggplot2")
  withr::local_options(ronda.receipt = FALSE)
  future::plan("sequential")
  joined <- join_files(sailings, vessels,
    on = c(vessel = "code"), way = "parts", parts = 3, out = tempfile()
  )
  expect_s3_class(plot(joined), "ggplot")
  expect_error(plot(joined, view = "x"), class = "ronda_error_argument")
})
