test_that("the way of a row is no longer than it is drawn", {
  top <- normalizePath(test_path("..", ".."))
  script <- file.path(top, "tools", "ways.R")
  skip_if_not(file.exists(script), "the tools aren't here")
  lines <- withr::with_dir(top, system2(file.path(R.home("bin"), "Rscript"), script,
    stdout = TRUE, env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  ))
  most <- list(plain = c(60, 16), fold = c(163, 29), files = c(386, 55))
  for (name in names(most)) {
    line <- grep(paste0("^", name, ":"), lines, value = TRUE)
    expect_length(line, 1L)
    found <- as.numeric(regmatches(line, gregexpr("[0-9]+", line))[[1L]])
    expect_lte(found[1L], most[[name]][1L], label = paste("functions of", name))
    expect_lte(found[2L], most[[name]][2L], label = paste("files of", name))
  }
})
