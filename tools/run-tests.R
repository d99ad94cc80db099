# Runs every test and ends with the counts. `Rscript tools/run-tests.R PATTERN` runs the
# files whose names fit. Files run side by side in TEST_PROCESSES processes (default: one
# a core, at most eight), those first that took longest before.

main <- function() {
  filter <- c(commandArgs(TRUE), "")[1L]
  files <- sub("^test-(.*)[.]R$", "\\1", list.files("tests/testthat", "^test-"))
  files <- grep(filter, files, value = TRUE)
  if (!length(files)) stop("No test file fits ", filter, call. = FALSE)
  started <- Sys.time()
  results <- run_files(files, remembered_seconds())
  failures <- unlist(lapply(results, function(result) result$failures))
  cat(failures, sep = "\n")
  count <- function(part) sum(vapply(results, function(x) x[[part]], 0))
  slow <- Filter(function(result) result$seconds > 30, results)
  for (result in slow) {
    cat(sprintf("slow: %s, %.0f s\n", result$name, result$seconds))
  }
  remember_seconds(results)
  cat(sprintf("%.0f s in all\n", as.numeric(Sys.time() - started, units = "secs")))
  cat(sprintf("%.0f passed, %.0f failed, %.0f skipped\n", count("passed"),
    count("failed"), count("skipped")
  ))
  quit(save = "no", status = as.integer(count("failed") > 0 || count("passed") == 0))
}

# Results of all files, each list(name, passed, failed, skipped, failures, seconds)
run_files <- function(files, seconds) {
  before <- seconds[files]
  before[is.na(before)] <- 20
  waiting <- files[order(-before)]
  most <- as.integer(Sys.getenv("TEST_PROCESSES", min(8L, parallel::detectCores())))
  workers <- lapply(seq_len(min(most, length(files))), new_worker)
  on.exit(for (worker in workers) if (worker$is_alive()) worker$close())
  results <- list()
  running <- rep(NA_character_, length(workers))
  begun <- rep(Sys.time(), length(workers))
  while (length(results) < length(files)) {
    for (k in which(is.na(running))) {
      if (!length(waiting)) break
      running[k] <- waiting[1L]
      waiting <- waiting[-1L]
      begun[k] <- Sys.time()
      workers[[k]]$call(run_one, list(running[k]))
    }
    for (k in which(!is.na(running))) {
      if (workers[[k]]$poll_process(50) != "ready") next
      answer <- workers[[k]]$read()
      result <- as_result(answer, running[k], begun[k])
      results[[result$name]] <- result
      cat(sprintf("%3d/%d %-22s %6d passed%s %5.0f s\n", length(results), length(files),
        result$name, result$passed,
        if (result$failed) sprintf(", %d failed", result$failed) else "",
        result$seconds
      ))
      running[k] <- NA
      # (a test that ends its process takes no other file with it)
      if (!workers[[k]]$is_alive()) workers[[k]] <- new_worker(k)
    }
  }
  results
}

# what tests, and programs that they call, print goes to a file
new_worker <- function(number) {
  log <- tempfile("tests-")
  callr::r_session$new(wait = TRUE, callr::r_session_options(
    stdout = log, stderr = log, env = c(
      NOT_CRAN = "true", TESTTHAT_MAX_FAILS = "Inf", R_LIBS = Sys.getenv("R_LIBS")
    )
  ))
}

run_one <- function(name) {
  reporter <- testthat::SilentReporter$new()
  results <- testthat::test_dir("tests/testthat",
    package = "ronda", load_package = "installed", filter = sprintf("^%s$", name),
    stop_on_failure = FALSE, reporter = reporter
  )
  counts <- as.data.frame(results)
  failed <- Filter(function(result) {
    inherits(result, c("expectation_failure", "expectation_error"))
  }, unlist(lapply(results, function(test) test$results), recursive = FALSE))
  list(
    passed = sum(counts$passed), failed = sum(counts$failed) + sum(counts$error),
    skipped = sum(counts$skipped),
    failures = vapply(failed, function(result) {
      at <- result$srcref
      line <- if (is.null(at)) "" else sprintf(":%d", as.integer(at)[1L])
      text <- strsplit(conditionMessage(result), "\n")[[1L]]
      paste(c(
        sprintf("FAILED test-%s.R%s: %s", name, line, result$test),
        substr(utils::head(text, 40L), 1L, 200L)
      ), collapse = "\n  ")
    }, "")
  )
}

as_result <- function(answer, name, begun) {
  result <- answer$result
  if (is.null(result)) {
    result <- list(passed = 0L, failed = 1L, skipped = 0L,
      failures = sprintf("FAILED test-%s.R: its process ended: %s", name,
        paste(conditionMessage(answer$error), collapse = " ")
      )
    )
  }
  c(list(name = name), result, list(
    seconds = as.numeric(Sys.time() - begun, units = "secs")
  ))
}

memory <- file.path(".library", "test-seconds.rds")

remembered_seconds <- function() {
  if (file.exists(memory)) readRDS(memory) else numeric()
}

remember_seconds <- function(results) {
  if (!dir.exists(dirname(memory))) {
    return()
  }
  seconds <- remembered_seconds()
  seconds[names(results)] <- vapply(results, function(x) x$seconds, 0)
  saveRDS(seconds, memory)
}

main()
