# The help of the command line, folded at the width of the terminal.

general_help <- function() {
  about <- vapply(command_order, function(name) commands[[name]]$about, "")
  c(
    "ronda: join data frames and see what happened",
    "",
    "Usage: ronda COMMAND FILES [OPTIONS]",
    "",
    "Commands:",
    in_two_columns(command_order, about, 12L),
    "",
    "Options without a command:",
    in_two_columns(c("--help, -h", "--version"), c("Show this", "Show the version"), 12L),
    "",
    help_lines(c(
      "ronda COMMAND --help shows the options of a command.",
      paste(
        "--on, --take, --fold, --in-turn, --if-absent, --expect, --types, --clean and rules may",
        "be given several times. Put a name with , = : or .. in it in backticks."
      ),
      paste(
        "Files: .csv, .tsv, .jsonl (these also with .gz), .rds, .parquet, a folder of .parquet,",
        "or - for csv on stdin. What separates cells is found in the first rows."
      ),
      "Exit codes: 0 done, 1 failed, 2 wrong usage, 3 an expectation failed, 130 interrupted."
    ))
  )
}

command_help <- function(command, options) {
  options <- c(options, in_group("Output", list(cli_option("help", "Show this"))))
  groups <- vapply(options, `[[`, "", "group")
  c(
    paste("Usage:", usage_line(command)),
    help_lines(command$about),
    unlist(lapply(intersect(help_groups, groups), function(group) {
      c("", paste0(group, ":"), option_lines(options[groups == group]))
    })),
    "", "Examples:",
    unlist(lapply(command$examples, function(example) {
      folded_command(example)
    }))
  )
}

# in the order in which help has them
help_groups <- c(
  "Matching", "Rules for ordered columns", "Rows", "Columns", "Comparing", "Output", "Reading"
)

option_lines <- function(options) {
  forms <- vapply(options, function(option) {
    paste(c(paste0("--", option$name), option$value), collapse = " ")
  }, "")
  in_two_columns(forms, vapply(options, `[[`, "", "help"), 24L)
}

# Words and what they mean; a word that is too long has a line of its own
in_two_columns <- function(words, texts, indent) {
  unlist(Map(function(word, text) {
    lines <- strwrap(text, max(help_width() - indent - 2L, 30L))
    first <- paste0("  ", formatC(word, width = -(indent - 1L)))
    below <- paste0(strrep(" ", indent + 2L), lines)
    if (nchar(word) < indent) {
      below[1L] <- paste(first, lines[1L])
      below
    } else {
      c(paste0("  ", word), below)
    }
  }, words, texts), use.names = FALSE)
}

help_lines <- function(texts) unlist(lapply(texts, strwrap, help_width()))

# A command that is too long for a line goes on behind a backslash
folded_command <- function(text) {
  words <- scan(text = gsub("\"([^\"]*)\"", "\"'\\1'\"", text), what = "", quiet = TRUE)
  words <- gsub("^'|'$", "\"", words)
  # An option and its value stay on one line.
  follows <- !startsWith(words, "--") & c(FALSE, startsWith(words, "--")[-length(words)])
  words <- vapply(split(words, cumsum(!follows)), paste, "", collapse = " ")
  lines <- character()
  line <- "  "
  for (word in words) {
    if (nchar(line) + nchar(word) > help_width() - 2L) {
      lines <- c(lines, paste0(line, "\\"))
      line <- "    "
    }
    line <- paste0(line, word, " ")
  }
  c(lines, sub(" $", "", line))
}

# the terminal's, no wider than is read with ease
help_width <- function() {
  width <- if (requireNamespace("cli", quietly = TRUE)) cli::console_width() else 80L
  min(max(width, 40L), 100L)
}
