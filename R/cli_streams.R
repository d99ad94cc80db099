# The streams of the command line.

to_stderr <- function(lines) {
  cat(on_terminal(lines, breaks = TRUE), file = stderr(), sep = "\n")
}

# Text as it is; stops where not all of it could be written.
to_stdout <- function(text) {
  if (interactive() || sink.number() > 0L) {
    return(cat(text))
  }
  problem <- write_stdout_(enc2utf8(text))
  if (problem == "EPIPE") {
    signalCondition(structure(class = c("cli_reader_gone", "condition"),
      list(message = "whoever reads our output has had enough", call = NULL)
    ))
  }
  if (nzchar(problem)) {
    stop_ronda("file", sprintf("The output can't be written: %s.", problem),
      "Write --out FILE to write to a file."
    )
  }
}

lines_to_stdout <- function(lines) {
  to_stdout(paste0(on_terminal(lines, breaks = TRUE), "\n", collapse = ""))
}

# Runs code where texts are UTF-8: scheduled jobs and containers often say nothing
# about the locale, and what isn't ASCII would be written as <U+00E9>.
in_utf8 <- function(code) {
  if (isTRUE(l10n_info()[["UTF-8"]])) {
    return(code)
  }
  before <- Sys.getlocale("LC_CTYPE")
  old <- options(cli.unicode = FALSE)
  on.exit({
    Sys.setlocale("LC_CTYPE", before)
    options(old)
  })
  for (locale in c("C.UTF-8", "C.utf8", "en_US.UTF-8", "UTF-8")) {
    if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", locale)))) break
  }
  code
}

# Receipts as messages are for R; the command line writes its own.
with_call_quiet <- function(code) {
  old <- options(ronda.receipt = FALSE)
  on.exit(options(old))
  code
}
