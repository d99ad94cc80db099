test_that("every guide runs", {
  skip_if_not_installed("knitr")
  guides <- list.files(test_path("..", "..", "vignettes"),
    pattern = "[.]Rmd$", full.names = TRUE
  )
  skip_if(!length(guides), "the guides aren't here")
  guides <- normalizePath(guides)
  # (the guides set these themselves)
  withr::local_options(width = 80L, ronda.receipt = FALSE)
  folder <- withr::local_tempdir()
  file.copy(test_path("..", "..", "bench"), dirname(folder), recursive = TRUE)
  withr::defer(unlink(file.path(dirname(folder), "bench"), recursive = TRUE))
  # (an error in a guide ends it here, as it does where guides are built)
  chunk <- knitr::opts_chunk$get("error")
  withr::defer(knitr::opts_chunk$set(error = chunk))
  knitr::opts_chunk$set(error = FALSE)
  # (figures are laid out, and not drawn: test-plot_look.R draws those of harder data)
  local_mocked_s3("print.ggplot", function(x, ...) invisible(ggplot2::ggplotGrob(x)))
  for (guide in guides) {
    out <- file.path(folder, paste0(basename(guide), ".md"))
    withr::with_dir(folder, knitr::knit(guide, out,
      quiet = TRUE, envir = new.env(parent = globalenv())
    ))
    expect_false(any(grepl("could not find|internal error", readLines(out))))
  }
})
