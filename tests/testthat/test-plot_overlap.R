test_that("the overlap figure says and draws the counts", {
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  figure <- plot_overlap(pairing)
  expect_s3_class(figure, "ggplot")
  expect_identical(figure$labels$title,
    "54 of 60 sailings and 8 of 9 vessels have a partner"
  )
  expect_identical(figure$data$rows, c(54, 6, 8, 1))
  expect_equal(figure$data$to, c(0.9, 1, 8 / 9, 1))
  # areas are rows
  area <- with(figure$data, (to - from) * (ymax - ymin))
  expect_equal(area / sum(area), figure$data$rows / 69)
  # what has any row can be seen
  unlike <- plot_overlap(pair_rows(data.frame(k = 1:3), data.frame(k = 3:1e6), on = "k"))$data
  expect_true(all(unlike$to - unlike$from >= 0.006) && all(unlike$ymax - unlike$ymin >= 0.04))
  expect_equal(unlike$rows, c(1, 2, 1, 999997))
  expect_identical(figure$data$share, c("90%", "10%", "89%", "11%"))
  few <- pair_rows(data.frame(k = 1:10000), data.frame(k = 5L), on = "k")
  expect_identical(plot_overlap(few)$data$share, c("under 0.1%", "over 99.9%", "100%"))
  none <- plot_overlap(pair_rows(sailings[0, ], vessels,
    on = c(vessel = "code"), sides = c("a", "b")
  ))
  path <- withr::local_tempfile(fileext = ".png")
  ggplot2::ggsave(path, none, width = 8, height = 5, dpi = 50)
  expect_gt(file.size(path), 1000)
})

test_that("the guide draws what joining gives", {
  figure <- plot_rows_guide()
  cells <- figure$data[figure$data$row > 0L, ]
  rows <- tapply(cells$row, cells$panel, max)
  frames <- ronda:::guide_frames()
  for (type in c("inner", "left", "right", "full", "semi", "anti",
    "unmatched"
  )) {
    joined <- join_frames(frames$left, frames$right, on = "key", rows = type)
    panel <- grep(sprintf("^%s:", type), names(rows), value = TRUE)
    expect_identical(rows[[panel]], nrow(joined))
    drawn <- cells[cells$panel == panel & cells$column == "km", "label"]
    expect_identical(drawn == "\u00b7", is.na(joined$km))
  }
  path <- withr::local_tempfile(fileext = ".png")
  ggplot2::ggsave(path, figure, width = 9.8, height = 6.2, dpi = 50)
  expect_gt(file.size(path), 5000)
})
