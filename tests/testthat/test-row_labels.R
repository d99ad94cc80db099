test_that("row names become the first column", {
  depths <- data.frame(metres = c(4.2, 6.1), row.names = c("Ambrel", "Osmere"))
  labelled <- row_labels(depths, "port")
  expect_identical(labelled,
    data.frame(port = c("Ambrel", "Osmere"), metres = c(4.2, 6.1))
  )
  expect_identical(row_labels(labelled)$label, c("1", "2"))
  joined <- join_frames(labelled, ports, on = "port")
  expect_identical(joined$island, c("Main", "Osm"))
})
