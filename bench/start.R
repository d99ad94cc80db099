# How long starts take: library(ronda) beside library(Rcpp), and commands on small files,
# as whole processes.
#
#   Rscript bench/start.R [times]
#
# Seconds, the median of so many runs, the contenders one after the other in each.
# `target`: the ratio, or for commands the seconds, to stay below. Figures and reports
# load ggplot2, which takes longer than the rest. Written to bench/start.csv.
source("bench/common.R")
arguments <- commandArgs(TRUE)
times <- if (length(arguments)) as.numeric(arguments[1]) else 11
rscript <- file.path(R.home("bin"), "Rscript")
script <- system.file("exec", "ronda", package = "ronda")
data <- system.file("extdata", package = "ronda")
file <- function(name) file.path(data, name)

run <- function(words) {
  time <- seconds(function() {
    code <- system2(rscript, shQuote(words), stdout = FALSE, stderr = FALSE)
    if (code != 0L) stop(paste(words, collapse = " "), " exits with ", code)
  })
  time
}
command <- function(...) c(script, ...)
two <- c(file("sailings.csv"), file("vessels.csv"), "--on", "vessel=code")
cases <- list(
  R = c("-e", "invisible()"), Rcpp = c("-e", "library(Rcpp)"),
  "library(ronda)" = c("-e", "library(ronda)"),
  "ronda --help" = command("--help"), "ronda join" = command("join", two),
  "ronda pair" = command("pair", two),
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
median <- apply(took, 1L, stats::median)
table <- data.frame(case = names(cases), seconds = round(median, 3),
  ratio = round(median / median[["Rcpp"]], 2),
  target = c(NA, 1, 1.3, 1.3, rep(0.5, 6), NA, NA, 20), target_is = c("", rep("ratio", 3),
    rep("seconds", 6), "", "", "seconds"
  )
)
print(table, row.names = FALSE)
slower_than_stored(table, "bench/start.csv", "case")
store_table(table, "bench/start.csv", times >= 11)
