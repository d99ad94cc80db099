# Seconds and size of a report on large frames: Rscript bench/report.R [rows]
n <- as.numeric(c(commandArgs(TRUE), "1e6")[1])
library(ronda)
options(ronda.receipt = FALSE)
set.seed(1)
left <- data.frame(k = sample.int(n), t = runif(n, 0, 1e6), v = runif(n))
right <- data.frame(k = sample.int(n + 1e4, n), t = runif(n, 0, 1e6))
file <- tempfile(fileext = ".html")
runs <- list(
  keys = function() pair_rows(left, right, on = "k"),
  nearest = function() pair_rows(left, right, on = nearest("t", within = 1))
)
table <- do.call(rbind, lapply(names(runs), function(name) {
  pairing <- seconds <- NULL
  matching <- system.time(pairing <- runs[[name]]())[["elapsed"]]
  writing <- system.time(write_report(pairing, file))[["elapsed"]]
  data.frame(pairing = name, rows = n, matching, writing,
    megabytes = round(file.size(file) / 1e6, 2)
  )
}))
print(table, row.names = FALSE)
if (n == 1e6) utils::write.csv(table, "bench/report.csv", row.names = FALSE)
