# Snapshots show lines alone, never code, so that they read the same whatever
# the version of the test package.
expect_lines <- function(lines) {
  expect_snapshot(cat(lines, sep = "\n"))
}

expect_printed <- function(code) expect_lines(utils::capture.output(code))

# The class and text of what each call stops with
expect_errors <- function(...) {
  calls <- as.list(substitute(list(...)))[-1L]
  expect_lines(utils::capture.output(show_errors(calls, parent.frame())))
}

show_errors <- function(calls, place) {
  for (code in calls) {
    cat("> ", paste(trimws(deparse(code, 60L)), collapse = " "), "\n", sep = "")
    condition <- tryCatch(
      {
        eval(code, place)
        cat("no error\n")
        NULL
      },
      error = function(e) e,
      ronda_warning = function(w) w
    )
    if (is.null(condition)) next
    own <- grep("^ronda_", class(condition), value = TRUE)
    if (!length(own)) own <- "NOT OUR OWN:"
    where <- deparse(conditionCall(condition))[1L]
    cat(sprintf("<%s> in %s\n%s\n\n", own[1L], where,
      conditionMessage(condition)
    ))
  }
}

# An S3 method for the time of a test
local_mocked_s3 <- function(name, method, frame = parent.frame()) {
  assign(name, method, envir = globalenv())
  withr::defer(
    if (exists(name, globalenv())) rm(list = name, envir = globalenv()), frame
  )
}

# Another function in place of a package's own for the time of a test
local_function <- function(name, value, space = asNamespace("ronda"), frame = parent.frame()) {
  own <- get(name, space)
  put <- function(value) {
    base::unlockBinding(name, space)
    assign(name, value, space)
    lockBinding(name, space)
  }
  withr::defer(put(own), envir = frame)
  put(value)
}

summary_rows <- function(pairing) {
  sizes <- summary(pairing)
  structure(sizes$result_rows, names = sizes$rows)
}
