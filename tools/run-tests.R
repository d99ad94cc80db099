# Runs every test and ends with the counts. `Rscript tools/run-tests.R PATTERN` runs the
# files whose names fit. Files run side by side in TEST_PROCESSES processes (default: one
# more than there are cores, for some files wait for programs that they start; at most
# eight; 0: in this one), those first that took longest before.

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

# Results of all files, each list(name, passed, failed, skipped, failures, seconds).
# Workers take files from a folder: who makes a file's own folder there first has it.
run_files <- function(files, seconds) {
  before <- seconds[files]
  before[is.na(before)] <- 10
  files <- files[order(-before)]
  place <- tempfile("tests-")
  dir.create(place)
  most <- as.integer(Sys.getenv("TEST_PROCESSES", min(8L, parallel::detectCores() + 1L)))
  # (0: in this one, for those who watch it)
  if (most == 0L) {
    Sys.setenv(NOT_CRAN = "true")
    return(lapply(files, function(name) c(list(name = name, seconds = 0), run_one(name))))
  }
  workers <- lapply(seq_len(min(most, length(files))), new_worker, files, place)
  on.exit(for (worker in workers) worker$kill_tree())
  results <- list()
  while (length(results) < length(files)) {
    Sys.sleep(0.1)
    alive <- vapply(workers, function(worker) worker$is_alive(), NA)
    done <- setdiff(sub("[.]rds$", "", list.files(place, "[.]rds$")), names(results))
    for (name in done) {
      results[[name]] <- readRDS(file.path(place, paste0(name, ".rds")))
      show_result(results[[name]], length(results), length(files))
    }
    # (a test that ends its process takes no other file with it)
    for (k in which(!alive & length(results) < length(files))) {
      last <- readLines(file.path(place, paste0("worker", k)))
      if (!last %in% c(names(results), sub("[.]rds$", "", list.files(place, "[.]rds$")))) {
        results[[last]] <- ended_early(last)
        show_result(results[[last]], length(results), length(files))
      }
      workers[[k]] <- new_worker(k, files, place)
    }
  }
  results
}

show_result <- function(result, k, n) {
  cat(sprintf("%3d/%d %-22s %6d passed%s %5.0f s\n", k, n, result$name, result$passed,
    if (result$failed) sprintf(", %d failed", result$failed) else "", result$seconds
  ))
}

ended_early <- function(name) {
  list(name = name, passed = 0L, failed = 1L, skipped = 0L, seconds = 0,
    failures = sprintf("FAILED test-%s.R: its process ended", name)
  )
}

# What tests, and programs that they call, print goes to a file. (Threads of files that
# run side by side wait for each other: asleep, or they take the time that the other
# needs, four times as long for the files that try two threads.)
new_worker <- function(number, files, place) {
  log <- file.path(place, sprintf("worker%d.log", number))
  callr::r_bg(run_worker, list(number, files, place, run_one), stdout = log, stderr = log,
    env = c(NOT_CRAN = "true", TESTTHAT_MAX_FAILS = "Inf", OMP_WAIT_POLICY = "passive",
      R_LIBS = Sys.getenv("R_LIBS")
    )
  )
}

run_worker <- function(number, files, place, run_one) {
  # (threads of two files that run side by side would wait for each other; what tests
  # threads asks for them)
  options(ronda.threads = 1L)
  for (name in files) {
    if (!dir.create(file.path(place, name), showWarnings = FALSE)) next
    writeLines(name, file.path(place, paste0("worker", number)))
    begun <- Sys.time()
    result <- c(list(name = name), run_one(name))
    result$seconds <- as.numeric(Sys.time() - begun, units = "secs")
    part <- file.path(place, paste0("part", number))
    saveRDS(result, part)
    file.rename(part, file.path(place, paste0(name, ".rds")))
  }
}

run_one <- function(name) {
  # (the next file of this process finds the options as this one did)
  before <- options()
  on.exit(options(before))
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

memory <- file.path(".library", "test-seconds.rds")

# (in a fresh checkout: those that take longest are known by name)
remembered_seconds <- function() {
  if (file.exists(memory)) {
    return(readRDS(memory))
  }
  long <- c("join_files", "plot_look", "big_part", "write_report", "odd_data", "documentation",
    "properties", "explain_row", "same_story", "big_append", "big_skip", "near_misses", "cli_run"
  )
  stats::setNames(seq(60, by = -5, length.out = length(long)), long)
}

remember_seconds <- function(results) {
  if (file.access(dirname(memory), 2L) != 0L) {
    return()
  }
  seconds <- remembered_seconds()
  seconds[names(results)] <- vapply(results, function(x) x$seconds, 0)
  saveRDS(seconds, memory)
}

main()
