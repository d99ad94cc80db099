# The command line inside this process: exit code and the lines of both streams
run_cli <- function(...) {
  err <- NULL
  out <- utils::capture.output(err <- utils::capture.output(
    code <- ronda_cli(c(...)),
    type = "message"
  ))
  list(code = code, out = out, err = err)
}

extdata <- system.file("extdata", package = "ronda")

in_demo_folder <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  file.copy(list.files(extdata, full.names = TRUE), folder)
  withr::local_dir(folder, .local_envir = frame)
}

# how R itself complains: never to be seen
base_messages <- paste(sep = "|",
  "subscript out of bounds", "argument .* is not", "argument is of length",
  "object '.*' not found", "non-numeric argument", "invalid '.*' argument",
  "must be of length", "undefined columns", "could not find function",
  "missing value where", "replacement has"
)
