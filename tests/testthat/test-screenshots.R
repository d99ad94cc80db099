test_that("no picture is older than what it shows, and the README links each", {
  top <- normalizePath(test_path("..", ".."))
  script <- file.path(top, "tools", "screenshots.R")
  skip_if_not(file.exists(script), "the pictures aren't here")
  skip_if_not_installed("rmarkdown")
  withr::local_dir(top)
  place <- new.env()
  source(script, local = place)
  names <- names(place$shots)
  files <- list.files(place$pictures, "[.]png$")
  expect_setequal(files, paste0(names, ".png"))
  expect_lt(length(files), 20L)
  readme <- paste(readLines("README.md"), collapse = "\n")
  for (file in files) expect_match(readme, file.path(place$pictures, file), fixed = TRUE)
  known <- utils::read.csv(file.path(place$pictures, "shown.csv"))
  withr::local_options(ronda.receipt = FALSE, width = 80L)
  # (tables of a document are laid out by its tools)
  for (name in setdiff(names, if (!rmarkdown::pandoc_available()) "notebook")) {
    expect_identical(place$shown_by(place$shots[[name]]), known$shows[known$picture == name],
      label = sprintf("what %s.png shows (make screenshots)", name)
    )
  }
})
