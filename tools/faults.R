# What happens when things go wrong on the way: the user's interrupt at random
# moments of a large join, and memory that runs out.
#
#   Rscript tools/faults.R [interrupts] [rows]
#
# Prints how long each interrupt took to be heard, and fails where a join after
# one is not right, memory stays behind, or a process dies.
suppressMessages(library(ronda))
arguments <- as.numeric(commandArgs(TRUE))
times <- if (is.na(arguments[1])) 100 else arguments[1]
n <- if (is.na(arguments[2])) 3e6 else arguments[2]
options(ronda.receipt = FALSE, ronda.deferred = FALSE)
failures <- 0L
fail <- function(...) {
  failures <<- failures + 1L
  message("FAILED: ", ...)
}

# Interrupts ----------------------------------------------------------------

set.seed(9)
left <- data.frame(
  k = sample.int(n), t = sprintf("k%d", sample.int(n)), v = runif(n),
  g = sample.int(2000L, n, TRUE), at = runif(n)
)
right <- data.frame(
  k = sample.int(n), t = sprintf("k%d", sample.int(n)), w = runif(n),
  g = sample.int(2000L, n, TRUE), at = runif(n)
)
small <- left[seq_len(n / 10), ]
joins <- list(
  whole = function() join_frames(left, right, on = "k", take = "w"),
  text = function() join_frames(left, right, on = c("t", "k"), rows = "full"),
  repeated = function() {
    join_frames(small, right[seq_len(n / 10), ], on = "g", rows = "inner",
      expect = "many-to-many", take = "w", max_rows = Inf
    )
  },
  nearest = function() join_frames(left, right, on = list("g", nearest("at"))),
  key_order = function() {
    join_frames(left, right, on = "t", row_order = "keys", take = "w")
  }
)
resident <- function() {
  gc(FALSE)
  line <- grep("^VmRSS", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
seconds_of <- function(f) system.time(f())[["elapsed"]]

interrupt_after <- function(seconds) {
  system(sprintf("(sleep %.3f; kill -INT %d) &", seconds, Sys.getpid()))
}

expected <- lapply(joins, function(join) {
  x <- join()
  c(nrow(x), sum(x[["w"]], na.rm = TRUE))
})
typical <- vapply(joins, seconds_of, 0)
before <- resident()
heard <- data.frame()
for (i in seq_len(times)) {
  name <- names(joins)[1 + i %% length(joins)]
  moment <- runif(1, 0.01, max(0.05, typical[[name]] * 0.9))
  start <- proc.time()[[3]]
  interrupt_after(moment)
  caught <- tryCatch(
    {
      x <- joins[[name]]()
      rm(x)
      Sys.sleep(0.3)  # a signal that comes late must not hit the next round
      FALSE
    },
    interrupt = function(e) TRUE
  )
  late <- proc.time()[[3]] - start - moment
  if (caught) heard <- rbind(heard, data.frame(name, late))
}
cat("Interrupts heard:", nrow(heard), "of", times, "\n")
print(aggregate(late ~ name, heard, function(x) {
  c(median = median(x), worst = max(x))
}))
for (name in names(joins)) {
  x <- joins[[name]]()
  if (!isTRUE(all.equal(c(nrow(x), sum(x[["w"]], na.rm = TRUE)), expected[[name]]))) {
    fail("the join after interrupts is not right: ", name)
  }
  rm(x)
}
after <- resident()
cat(sprintf("Memory before %.0f MB, after %.0f MB\n", before, after))
if (after > before * 1.25 + 50) fail("memory stays behind")
if (any(heard$late > 0.5)) fail("an interrupt took more than half a second")

# Memory that runs out --------------------------------------------------------

code <- '
suppressMessages(library(ronda))
options(ronda.receipt = FALSE, ronda.threads = 1)
n <- 2e6
left <- data.frame(k = sample.int(n), v = 1, t = as.character(seq_len(n)))
right <- data.frame(k = sample.int(n), w = 2, t = as.character(seq_len(n)))
result <- tryCatch(
  nrow(join_frames(left, right, on = c("k", "t"), rows = "full")),
  error = conditionMessage
)
cat("OUTCOME", result, "\n")
x <- join_frames(left[1:10, ], right, on = "k")
cat("ALIVE", nrow(x), "\n")
'
file <- tempfile(fileext = ".R")
writeLines(code, file)
outcomes <- character()
for (mb in seq(450, 1200, by = 50)) {
  out <- suppressWarnings(system2("bash", c("-c", shQuote(sprintf(
    "ulimit -v %d; Rscript %s 2>&1", mb * 1024, shQuote(file)
  ))), stdout = TRUE))
  outcome <- sub("OUTCOME ", "", grep("^OUTCOME", out, value = TRUE))
  crashed <- any(grepl("segfault|caught|terminate|Aborted", out))
  if (crashed) fail("a crash with ", mb, " MB: ", paste(out, collapse = " "))
  outcomes <- c(outcomes, sprintf("%d MB: %s", mb,
    if (length(outcome)) outcome else "R itself had too little"
  ))
}
cat(outcomes, sep = "\n")
cat(if (failures) "faults: failed\n" else "faults: all well\n")
quit(save = "no", status = failures > 0)
