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

# (A collection of R's own can't be stopped and takes 0.1 s and more for every
# million texts in the session, so there are not too many different ones.)
set.seed(9)
left <- data.frame(
  k = sample.int(n), t = sprintf("k%d", sample.int(n) %/% 20L), v = runif(n),
  g = sample.int(2000L, n, TRUE), at = runif(n)
)
right <- data.frame(
  k = sample.int(n), t = sprintf("k%d", sample.int(n) %/% 20L), w = runif(n),
  g = sample.int(2000L, n, TRUE), at = runif(n)
)
small <- left[seq_len(n / 10), ]
joins <- list(
  whole = function() join_frames(left, right, on = "k", take = "w"),
  text = function() join_frames(left, right, on = c("t", "k"), rows = "full"),
  repeated = function() {
    join_frames(small, right[seq_len(n / 10), ], on = "g", rows = "inner",
      expect = "rows-multiply", take = "w", max_rows = Inf
    )
  },
  nearest = function() join_frames(left, right, on = list("g", nearest("at"))),
  key_order = function() {
    join_frames(left[seq_len(n / 2), ], right[seq_len(n / 2), ],
      on = "t", row_order = "keys", take = "w", expect = "rows-multiply"
    )
  }
)
# What the allocator keeps for later is given back first: a small block above freed
# columns can hold hundreds of MB of them, which nothing uses.
Rcpp::cppFunction("int give_back() { return malloc_trim(0); }",
  includes = "#include <malloc.h>"
)
resident <- function() {
  gc(FALSE)
  give_back()
  line <- grep("^VmRSS", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
seconds_of <- function(f) system.time(f())[["elapsed"]]

# A process of its own sends the signal and writes down when it did.
sent_at <- tempfile()
interrupt_after <- function(seconds) {
  unlink(sent_at)
  system(sprintf(
    "(sleep %.3f; date +%%s.%%N > %s; kill -INT %d; touch %s.done) > /dev/null 2>&1 &",
    seconds, sent_at, Sys.getpid(), sent_at
  ))
}
now <- function() as.numeric(Sys.time())
# A signal that comes after the join must not hit the next round.
wait_for_signal <- function() {
  while (!file.exists(paste0(sent_at, ".done"))) Sys.sleep(0.01)
  Sys.sleep(0.1)
}

expected <- lapply(joins, function(join) {
  x <- join()
  c(nrow(x), sum(x[["w"]], na.rm = TRUE))
})
typical <- vapply(joins, seconds_of, 0)
before <- resident()
held <- numeric()
heard <- data.frame()
for (i in seq_len(times)) {
  # (R's own collection can't be stopped, and to free the columns of the join before,
  # 2 GB at times, takes it up to 0.7 s: not in the middle of this one)
  gc(FALSE)
  name <- names(joins)[1 + i %% length(joins)]
  moment <- runif(1, 0.01, max(0.05, typical[[name]] * 0.9))
  unlink(paste0(sent_at, ".done"))
  finished <- FALSE
  tryCatch(
    {
      interrupt_after(moment)
      x <- joins[[name]]()
      rm(x)
      finished <- TRUE
      wait_for_signal()
    },
    interrupt = function(e) NULL
  )
  stopped <- now()
  tryCatch(wait_for_signal(), interrupt = function(e) NULL)
  if (!finished) {
    late <- stopped - as.numeric(readLines(sent_at))
    heard <- rbind(heard, data.frame(name, late))
  }
  if (i %% ceiling(times / 10) == 0) held <- c(held, resident())
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
cat(sprintf("Memory before %.0f MB, on the way %s, after %.0f MB\n", before,
  paste(round(held), collapse = " "), after
))
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
  error = function(e) {
    paste(
      if (inherits(e, "ronda_error")) "ours," else "NOT OURS,",
      strsplit(conditionMessage(e), "\\n")[[1]][1]
    )
  }
)
cat("OUTCOME", result, "\n")
x <- join_frames(left[1:10, ], right, on = "k")
cat("ALIVE", nrow(x), "\n")
'
file <- tempfile(fileext = ".R")
writeLines(code, file)
outcomes <- character()
for (mb in c(seq(320, 560, by = 20), 800, 1200)) {
  out <- suppressWarnings(system2("bash", c("-c", shQuote(sprintf(
    "ulimit -v %d; Rscript %s 2>&1", mb * 1024, shQuote(file)
  ))), stdout = TRUE))
  outcome <- sub("OUTCOME ", "", grep("^OUTCOME", out, value = TRUE))
  crashed <- any(grepl("segfault|caught|terminate|Aborted", out))
  if (any(grepl("NOT OURS", outcome))) fail("an error that is not ours, ", mb, " MB")
  if (crashed) fail("a crash with ", mb, " MB: ", paste(out, collapse = " "))
  outcomes <- c(outcomes, sprintf("%d MB: %s", mb,
    if (length(outcome)) outcome else "R itself had too little"
  ))
}
cat(outcomes, sep = "\n")
cat(if (failures) "faults: failed\n" else "faults: all well\n")
quit(save = "no", status = failures > 0)
