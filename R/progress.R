# Progress in stages, for joins that take long: off in scripts and tests.

long_seconds <- 2
long_rows <- 2e7

# Says which stage begins, where the join has taken long already or surely will
begin_stage <- function(text, clock, rows, frame) {
  if (!isTRUE(getOption("ronda.progress", interactive()))) {
    return(invisible())
  }
  takes_long <- now() - clock[[1L]] > long_seconds || sum(rows) > long_rows
  if (takes_long && requireNamespace("cli", quietly = TRUE)) {
    cli::cli_progress_step(text, .envir = frame)
  }
}
