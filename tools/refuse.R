# Memory that is refused at every request of the compiled code, one at a time, for joins of
# every kind: an error of ours or the answer, nothing kept, and the next join right.
#
#   Rscript tools/refuse.R [pattern]     joins whose names fit
#
# Begins itself anew with tools/refuse.cpp loaded before R.
arguments <- commandArgs(TRUE)
if (!nzchar(Sys.getenv("RONDA_REFUSE"))) {
  library <- file.path(tempdir(), "refuse.so")
  built <- system2("g++", c("-std=c++17", "-O1", "-shared", "-fPIC", "tools/refuse.cpp", "-o",
    shQuote(library)
  ))
  if (built != 0) quit(save = "no", status = 1)
  quit(save = "no", status = system2(file.path(R.home("bin"), "Rscript"),
    c("tools/refuse.R", shQuote(arguments)), env = c(
      paste0("RONDA_REFUSE=", library), paste0("LD_PRELOAD=", library),
      paste0("R_LIBS=", Sys.getenv("R_LIBS"))
    )
  ))
}
suppressMessages(library(ronda))
dyn.load(Sys.getenv("RONDA_REFUSE"))
place <- new.env(parent = asNamespace("ronda"))
sys.source("tests/testthat/helper-refused.R", place)
options(ronda.receipt = FALSE, ronda.chunk_rows = 7)

refuse <- function(number) invisible(.C("refuse_at", as.double(number)))
counts <- function() .C("refuse_counts", numeric(2))[[1L]]
held <- function() {
  gc(FALSE)
  gc(FALSE)
  counts()[2L]
}
failures <- 0L
fail <- function(...) {
  failures <<- failures + 1L
  message("FAILED: ", ...)
}

try_join <- function(name, join, check) {
  expected <- join()
  for (warm in 1:3) join()
  refuse(0)
  before <- held()
  errors <- number <- 0
  repeat {
    number <- number + 1
    refuse(number)
    found <- tryCatch(join(), error = identity)
    done <- counts()[1L] < number
    refuse(0)
    if (inherits(found, "error")) {
      errors <- errors + 1
      if (!inherits(found, "ronda_error")) {
        fail(name, ", request ", number, ": ", conditionMessage(found))
      }
    } else if (!identical(found, expected)) {
      fail(name, ", request ", number, ": another answer")
    }
    if (done) break
    if (number %% 10 == 0 && held() > before) {
      fail(name, ", up to request ", number, ": ", held() - before, " pieces are kept")
      before <- held()
    }
    check()
  }
  found <- expected <- NULL
  if (held() > before) fail(name, ": ", held() - before, " pieces are kept")
  cat(sprintf("%-15s %5.0f requests, %5.0f errors\n", name, number - 1, errors))
}

for (threads in 1:2) {
  for (path in c("direct", "hashed")) {
    options(ronda.threads = threads, ronda.path = path)
    joins <- place$all_kinds_of_joins()
    if (length(arguments)) joins <- joins[grep(arguments[1L], names(joins))]
    check <- local({
      small <- data.frame(k = c(2L, 1L, 2L), v = 1:3)
      expected <- join_frames(small, small[1:2, ], on = "k")
      function() {
        if (!identical(join_frames(small, small[1:2, ], on = "k"), expected)) {
          fail("a join afterwards is not right")
        }
      }
    })
    cat(threads, "threads,", path, "\n")
    for (name in names(joins)) try_join(name, joins[[name]], check)
  }
}
cat(if (failures) sprintf("%d failures\n", failures) else "refuse: no failure\n")
quit(save = "no", status = as.integer(failures > 0))
