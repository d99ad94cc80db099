# All options, read in one place. (The engine reads its own, ronda.threads,
# ronda.chunk_rows and ronda.path, in src/options.cpp.)

tells_receipts <- function() {
  isTRUE(getOption("ronda.receipt", interactive()))
}

shows_progress <- function() {
  isTRUE(getOption("ronda.progress", interactive()))
}

threads_option <- function(usual) getOption("ronda.threads", usual)

max_rows_option <- function() getOption("ronda.max_rows")

max_file_bytes_option <- function(usual) getOption("ronda.max_file_bytes", usual)

# "always", TRUE or FALSE: whether columns may be gathered only when they are read
deferred_option <- function() getOption("ronda.deferred", TRUE)

# TRUE: pairings of joins are kept, for follow()
keeps_pairings <- function() isTRUE(getOption("ronda.keep"))

# a file to which joins are appended, "" for none; NULL where only the environment may say
ledger_option <- function() getOption("ronda.ledger")

ledger_of_environment <- function() Sys.getenv("RONDA_LEDGER")

# For the tests: small frames take the ways of large ones

pairs_per_block_option <- function(usual) {
  getOption("ronda.pairs_per_block", usual)
}

sample_rows_option <- function(usual) getOption("ronda.sample_rows", usual)

few_cells_option <- function(usual) getOption("ronda.few_cells", usual)

path_option <- function() getOption("ronda.path")

piece_rows_option <- function(usual) getOption("ronda.piece_rows", usual)

# Progress ---------------------------------------------------------------------------

# Progress in stages, for joins that take long: off in scripts and tests.

long_seconds <- 2

long_rows <- 2e7

# Says which stage begins; for joins that have taken long already or surely will
show_stage <- function(text, frame) {
  if (shows_progress() && requireNamespace("cli", quietly = TRUE)) {
    cli::cli_progress_step(text, .envir = frame)
  }
}
