# Progress in stages, for joins that take long: off in scripts and tests.

long_seconds <- 2

long_rows <- 2e7

# Says which stage begins; for joins that have taken long already or surely will
show_stage <- function(text, frame) {
  if (shows_progress() && requireNamespace("cli", quietly = TRUE)) {
    cli::cli_progress_step(text, .envir = frame)
  }
}
