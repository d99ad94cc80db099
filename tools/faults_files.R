# A join of files whose processes are killed at random moments, workers and the session
# itself, and which is started again until it is done: the bytes must be those of a join
# that nobody disturbed.
#
#   Rscript tools/faults_files.R [rounds, default 5] [seed]
suppressMessages(library(ronda))
arguments <- as.numeric(commandArgs(TRUE))
rounds <- if (is.na(arguments[1])) 5 else arguments[1]
seed <- if (is.na(arguments[2])) as.integer(Sys.time()) %% 1e6 else arguments[2]
set.seed(seed)

folder <- tempfile("faults")
dir.create(file.path(folder, "left"), recursive = TRUE)
for (k in 1:12) {
  write_frame(data.frame(
    sailing = sample.int(3000L, 20000L, TRUE), fare = stats::runif(20000L)
  ), file.path(folder, "left", sprintf("%02d.parquet", k)))
}
write_frame(data.frame(sailing = 1:4000, km = stats::runif(4000)),
  file.path(folder, "right.parquet")
)

# every stage has its turn: rows put into order, and right rows alone of pieces
script <- file.path(folder, "join.R")
writeLines(sprintf('
  suppressMessages(library(ronda))
  options(ronda.receipt = FALSE, ronda.piece_rows = 9000)
  future::plan("multisession", workers = 2)
  join_files(frame_files(file.path("%1$s", "left")), frame_files(file.path("%1$s",
    "right.parquet")), on = "sailing", rows = "full", way = "parts", parts = 4,
    row_order = "left", tries = 20, memory = "1 GB", out = commandArgs(TRUE)[1])
', folder), script)

start <- function(out) {
  command <- sprintf("%s %s %s > %s 2>&1 & echo $!", file.path(R.home("bin"), "Rscript"),
    script, out, file.path(folder, "log")
  )
  as.integer(system(command, intern = TRUE))
}
runs <- function(process) {
  state <- tryCatch(suppressWarnings(readLines(file.path("/proc", process, "stat"))),
    error = function(e) ""
  )
  nzchar(state[1]) && !grepl("[)] Z ", state[1])
}
# (workers are processes of R that know which session they work for)
workers_of <- function(process) {
  as.integer(suppressWarnings(system(sprintf("pgrep -f 'parallelly[.]parent=%d[.]'", process),
    intern = TRUE
  )))
}
sums <- function(out) {
  files <- list.files(out, "parquet$", full.names = TRUE)
  stats::setNames(tools::md5sum(files), basename(files))
}
finish <- function(out, kills) {
  killed <- c(workers = 0, sessions = 0)
  started <- 0
  while (!dir.exists(out)) {
    process <- start(out)
    started <- started + 1
    if (started > 40) stop("it does not come to an end: see ", file.path(folder, "log"))
    while (runs(process)) {
      Sys.sleep(stats::runif(1, 0.2, 1.5))
      if (sum(killed) >= kills || !runs(process)) next
      if (stats::runif(1) < 0.3) {
        tools::pskill(process, 9L)
        killed[["sessions"]] <- killed[["sessions"]] + 1
        for (worker in workers_of(process)) tools::pskill(worker, 9L)
      } else {
        workers <- workers_of(process)
        if (!length(workers)) next
        tools::pskill(workers[sample.int(length(workers), 1)], 9L)
        killed[["workers"]] <- killed[["workers"]] + 1
      }
    }
  }
  c(killed, starts = started)
}

whole <- file.path(folder, "whole")
invisible(finish(whole, 0))
expected <- sums(whole)
wrong <- 0
for (round in seq_len(rounds)) {
  out <- file.path(folder, sprintf("round%d", round))
  told <- finish(out, 12)
  same <- identical(sums(out), expected) && !dir.exists(paste0(out, ".work"))
  wrong <- wrong + !same
  cat(sprintf("round %d: %d workers and %d sessions killed, started %d times: %s\n", round,
    told[["workers"]], told[["sessions"]], told[["starts"]],
    if (same) "the same bytes" else "OTHER BYTES"
  ))
}
unlink(folder, recursive = TRUE)
cat(sprintf("%d rounds from seed %d, %d wrong\n", rounds, seed, wrong))
quit(save = "no", status = wrong > 0)
