# Commands are records: each registers itself in its own file.

# in the order in which help lists them
command_order <- c(
  "join", "join-files", "split", "many", "pair", "diagnose", "near-misses", "review",
  "explain", "keys", "compare", "plot", "report", "demo", "completion"
)

commands <- new.env(parent = emptyenv())

# `run(files, options)` does it. `files`: what the files are called in its usage;
# `least` and `most`: how many there may be. `options()`: those of cli_options.R that
# it takes. `attaches`: it needs what R attaches by default.
register_command <- function(name, run, files, about, options, examples,
                             least = length(files), most = length(files), attaches = FALSE) {
  commands[[name]] <- list(
    name = name, run = run, files = files, about = about, options = options,
    examples = examples, least = least, most = most, attaches = attaches
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

# Files that are read and written ----------------------------------------------------

file_labels <- function(files) {
  labels <- file_stems(files)
  if (length(labels) == 2L && anyDuplicated(labels)) c("left", "right") else labels
}

# the same in sentences: a file joined with itself is "sailings (left)" there
labels_of_sides <- function(files) frame_labels(file_stems(files))

file_stems <- function(files) {
  ifelse(files == "-", "stdin", tools::file_path_sans_ext(basename(files)))
}

is_stdin <- function(files) files %in% c("-", "/dev/stdin", "/dev/fd/0", "/proc/self/fd/0")

check_one_stdin <- function(files) {
  if (sum(is_stdin(files)) > 1L) {
    stop_usage("stdin can be read once: give - for one file only.")
  }
}

# What a command writes must not be what it reads, unless --overwrite says so. `outs`: files
# to write; lines that are added to a file never go into one that is read.
check_not_read <- function(outs, files, options) {
  inputs <- c(files[!is_stdin(files)], options$corrections)
  read <- function(path) {
    for (input in inputs) {
      in_folder <- dir.exists(input) && file.exists(path) &&
        grepl(folder_files, path, ignore.case = TRUE) && same_file_(dirname(path), input)
      if (in_folder || same_file_(path, input)) {
        return(input)
      }
    }
  }
  for (out in setdiff(outs, "-")) {
    input <- if (!isTRUE(options$overwrite)) read(out)
    if (is.null(input)) next
    stop_usage(
      sprintf("--out %s would replace %s, which is read.", shell_words(out), if (out == input) {
        "that file"
      } else {
        encodeString(input, quote = "'")
      }),
      "* Write to another place, or add --overwrite."
    )
  }
  if (!is.null(options$ledger) && !is.null(read(options$ledger))) {
    stop_usage(sprintf("--ledger %s would add a line to a file that is read.",
      shell_words(options$ledger)
    ), "* Name another file.")
  }
}

overwrite_option <- cli_option("overwrite", "Let --out replace a file that is read")

# Standard output --------------------------------------------------------------------

# The streams of the command line.

to_stderr <- function(lines) {
  cat(on_terminal(lines, breaks = TRUE), file = stderr(), sep = "\n")
}

# whether something of the command's went to stdout
printed <- list2env(list(some = FALSE), parent = emptyenv())

# Text as it is; stops where not all of it could be written.
to_stdout <- function(text) {
  printed$some <- TRUE
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
