# Runs every test and ends with the counts. `Rscript tools/run-tests.R NAME`
# runs the files that match.

filter <- c(commandArgs(TRUE), NA)[1L]
Sys.setenv(NOT_CRAN = "true", TESTTHAT_MAX_FAILS = "Inf")
results <- testthat::test_dir("tests/testthat",
  package = "ronda", load_package = "installed",
  filter = if (!is.na(filter)) filter, stop_on_failure = FALSE,
  reporter = testthat::CheckReporter$new()
)
results <- as.data.frame(results)
failed <- sum(results$failed) + sum(results$error)
passed <- sum(results$passed)
cat(sprintf("%d passed, %d failed, %d skipped\n", passed, failed,
  sum(results$skipped)
))
quit(save = "no", status = as.integer(failed > 0 || passed == 0))
