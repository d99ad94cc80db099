# How long starts take: library(ronda) beside library(Rcpp), and commands on small files, as
# whole processes, started as exec/ronda starts itself. The last line joins two csv files of
# 1e6 rows by 6 columns and writes csv; its ratio is to reading both as texts and writing the
# same result by the same package alone (the line above it, without the start of a process).
# These two are timed three times.
#
#   Rscript bench/start.R [times]
#
# Seconds, the median of so many runs, the contenders one after the other in each.
# `target`: the ratio, or for commands the seconds, to stay below. Figures and reports
# load ggplot2, which takes longer than the rest. Written to bench/start.csv.
source("bench/common.R")
suppressMessages(library(ronda))
arguments <- commandArgs(TRUE)
times <- if (length(arguments)) as.numeric(arguments[1]) else 11
rscript <- file.path(R.home("bin"), "Rscript")
script <- system.file("exec", "ronda", package = "ronda")
data <- system.file("extdata", package = "ronda")
file <- function(name) file.path(data, name)

# two csv files of a million rows, and the package underneath on them alone
large <- tempfile("large")
dir.create(large)
n <- 1e6
set.seed(5)
for (side in c("left", "right")) {
  readr::write_csv(data.frame(
    key = sample.int(n), amount = round(runif(n) * 1000, 2),
    code = sprintf("v%05d", sample.int(1e5, n, TRUE)),
    port = sample(c("Aldby", "Brim", "Corr"), n, TRUE),
    day = as.Date("2031-01-01") + sample.int(2000L, n, TRUE), count = sample.int(1000L, n, TRUE)
  ), file.path(large, paste0(side, ".csv")), progress = FALSE)
}
of_large <- function(name) file.path(large, name)

alone <- function() {
  text <- function(file) {
    readr::read_csv(of_large(file), col_types = "cccccc", progress = FALSE, lazy = FALSE)
  }
  text("left.csv")
  text("right.csv")
  readr::write_csv(result, of_large("alone.csv"), progress = FALSE)
}
result <- join_frames(read_frame(of_large("left.csv")), read_frame(of_large("right.csv")),
  on = "key"
)

run <- function(words) {
  time <- seconds(function() {
    code <- system2(rscript, shQuote(words), stdout = FALSE, stderr = FALSE)
    if (code != 0L) stop(paste(words, collapse = " "), " exits with ", code)
  })
  time
}
command <- function(...) c("--default-packages=NULL", script, ...)
two <- c(file("sailings.csv"), file("vessels.csv"), "--on", "vessel=code")
cases <- list(
  R = c("-e", "invisible()"), Rcpp = c("-e", "library(Rcpp)"),
  "library(ronda)" = c("-e", "library(ronda)"),
  "ronda --help" = command("--help"), "ronda join" = command("join", two),
  "ronda pair" = command("pair", two),
  "ronda diagnose" = command("diagnose", two[1:2]),
  "ronda near-misses" = command("near-misses", two),
  "ronda explain" = command("explain", two, "--left", "23"),
  "ronda split" = command("split", two, "--out", tempfile()),
  "ronda many" = command("many", file("tide_readings.csv"), file("ports.csv"), "--on", "port"),
  "ronda keys" = command("keys", file("sailings.csv"), "--on", "vessel"),
  "ronda compare" = command("compare", file("sailings.csv"), file("sailings.csv"), "--on",
    "sailing"
  ),
  "ronda plot" = command("plot", two, "--out", tempfile(fileext = ".png")),
  "ronda report" = command("report", two, "--out", tempfile(fileext = ".html")),
  "ronda demo" = command("demo", "--out", tempfile())
)
took <- replicate(times, vapply(cases, run, 0))
large_took <- replicate(3, c(
  "both csv as text, written" = seconds(alone),
  "ronda join, csv of 1e6 rows" = run(command("join", of_large("left.csv"),
    of_large("right.csv"), "--on", "key", "--out", of_large("joined.csv")
  ))
))
median <- c(apply(took, 1L, stats::median), apply(large_took, 1L, stats::median))
beside <- rep(median[["Rcpp"]], length(median))
beside[length(median)] <- median[["both csv as text, written"]]
table <- data.frame(case = names(median), seconds = round(median, 3),
  ratio = round(median / beside, 2),
  target = c(NA, 1, 1.3, 1.3, rep(0.5, 9), NA, NA, 20, NA, 1.5),
  target_is = c("", rep("ratio", 3), rep("seconds", 9), "", "", "seconds", "", "ratio")
)
print(table, row.names = FALSE)
slower_than_stored(table, "bench/start.csv", "case")
store_table(table, "bench/start.csv", times >= 11)
