# Commands are records: each registers itself in its own file.

# in the order in which help lists them
command_order <- c(
  "join", "join-files", "split", "pair", "diagnose", "keys", "many", "compare", "plot", "report",
  "demo", "completion"
)

commands <- new.env(parent = emptyenv())

# `run(files, options)` does it. `files`: what the files are called in its usage;
# `least` and `most`: how many there may be. `options()`: those of cli_options.R that
# it takes.
register_command <- function(name, run, files, about, options, examples,
                             least = length(files), most = length(files)) {
  commands[[name]] <- list(
    name = name, run = run, files = files, about = about, options = options,
    examples = examples, least = least, most = most
  )
}

two_files <- c("LEFT", "RIGHT")

# `value`: what its value is called, NULL for a flag; `choices`: the words that it may
# be; `is_file`: its value is a file; `again`: NULL where it may be given only once
cli_option <- function(name, help, value = NULL, choices = NULL, is_file = FALSE,
                       again = NULL) {
  list(
    name = name, help = help, value = value, choices = choices, is_file = is_file,
    again = again
  )
}

# What stands between the values of an option that is given several times (`again`): a comma
# makes one list of them, this keeps them apart
kept_apart <- "\004"

# options under a heading of the help
in_group <- function(group, options) lapply(options, function(option) c(option, group = group))

# an option for an argument that takes one of a few words
word_option <- function(name, help, words = argument_words[[argument_of(name)]]) {
  cli_option(name, paste0(help, ": ", words_help(words)), "WORD", words)
}

# Wrong usage ------------------------------------------------------------------------

# What the command line says when it is used wrongly.

stop_usage <- function(...) {
  stop(structure(
    class = c("cli_usage", "error", "condition"),
    list(message = paste(on_terminal(c(...)), collapse = "\n"), call = NULL)
  ))
}

usage_line <- function(command) {
  paste(c("ronda", command$name, command$files, "[OPTIONS]"), collapse = " ")
}

check_file_count <- function(command, files) {
  least <- command$least
  most <- command$most
  if (length(files) >= least && length(files) <= most) {
    return()
  }
  wanted <- if (least == most) {
    counted(least, "file")
  } else if (is.infinite(most)) {
    sprintf("%d files or more", least)
  } else {
    sprintf("%d or %d files", least, most)
  }
  stop_usage(
    sprintf("%s takes %s, not %d.", command$name, wanted, length(files)),
    sprintf("* Usage: %s", usage_line(command))
  )
}

# Standard output --------------------------------------------------------------------

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
