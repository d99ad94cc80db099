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
        "be given several times."
      ),
      paste(
        "Files: .csv, .tsv, .jsonl (these also with .gz), .rds, .parquet, a folder of .parquet,",
        "or - for csv on stdin."
      ),
      "Exit codes: 0 done, 1 failed, 2 wrong usage, 3 an expectation failed."
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

# Completion -------------------------------------------------------------------------

# ronda completion: what a shell needs to complete ronda's words, made of the records of
# the commands.

cli_completion <- function(files, options) {
  shells <- list(bash = bash_completion, zsh = zsh_completion)
  if (!files %in% names(shells)) {
    stop_usage(sprintf("completion is there for %s, not for %s.", listed(names(shells), "and"),
      shown(files)
    ))
  }
  lines_to_stdout(shells[[files]]())
}

bash_completion <- function() {
  c(
    "# completion of ronda in bash; for good: ronda completion bash >> ~/.bashrc",
    "_ronda() {",
    "  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]} words=",
    "  COMPREPLY=()",
    "  if [ \"$COMP_CWORD\" = 1 ]; then",
    sprintf("    COMPREPLY=( $(compgen -W '%s' -- \"$word\") )",
      paste(c(command_order, "--help", "--version"), collapse = " ")
    ),
    "    return",
    "  fi",
    "  case \"${COMP_WORDS[1]} $before\" in",
    unlist(lapply(completed_options(), function(one) {
      sprintf("    '%s --%s') words='%s' ;;", one$command, one$name,
        paste(one$choices, collapse = " ")
      )
    })),
    "  esac",
    "  if [ -z \"$words\" ] && [ \"${word#-}\" != \"$word\" ]; then",
    "    case \"${COMP_WORDS[1]}\" in",
    unlist(lapply(command_order, function(name) {
      sprintf("      %s) words='%s' ;;", name, paste(option_words(name), collapse = " "))
    })),
    "    esac",
    "  fi",
    "  if [ -n \"$words\" ]; then",
    "    COMPREPLY=( $(compgen -W \"$words\" -- \"$word\") )",
    "  else",
    "    COMPREPLY=( $(compgen -f -- \"$word\") )",
    "  fi",
    "}",
    "complete -o filenames -F _ronda ronda"
  )
}

zsh_completion <- function() {
  c(
    "#compdef ronda",
    "# completion of ronda in zsh; for good: ronda completion zsh > a folder of $fpath/_ronda",
    "_ronda() {",
    "  local -a words_here",
    "  if (( CURRENT == 2 )); then",
    "    words_here=(",
    sprintf("      %s", zsh_word(command_order, vapply(command_order, function(name) {
      commands[[name]]$about
    }, ""))),
    "    )",
    "    _describe command words_here",
    "    return",
    "  fi",
    "  case \"$words[2] $words[CURRENT-1]\" in",
    unlist(lapply(completed_options(), function(one) {
      c(
        sprintf("    '%s --%s')", one$command, one$name),
        sprintf("      compadd -- %s", paste(one$choices, collapse = " ")),
        "      return ;;"
      )
    })),
    "  esac",
    "  if [[ $PREFIX == -* ]]; then",
    "    case $words[2] in",
    unlist(lapply(command_order, function(name) {
      options <- c(commands[[name]]$options(), list(cli_option("help", "Show this")))
      c(
        sprintf("      %s)", name), "        words_here=(",
        sprintf("          %s", zsh_word(
          paste0("--", vapply(options, `[[`, "", "name")), vapply(options, `[[`, "", "help")
        )),
        "        ) ;;"
      )
    })),
    "    esac",
    "    _describe option words_here",
    "  else",
    "    _files",
    "  fi",
    "}",
    "if [ \"$funcstack[1]\" = _ronda ]; then _ronda \"$@\"; else compdef _ronda ronda; fi"
  )
}

# 'word:what it means', as _describe takes it
zsh_word <- function(words, texts) {
  texts <- gsub("'", "", vapply(strwrap(texts, 70L, simplify = FALSE), `[`, "", 1L))
  sprintf("'%s:%s'", words, gsub(":", "\\:", texts, fixed = TRUE))
}

option_words <- function(name) {
  paste0("--", c(vapply(commands[[name]]$options(), `[[`, "", "name"), "help"))
}

# the options whose words are known: list(command, name, choices) for each
completed_options <- function() {
  found <- lapply(command_order, function(name) {
    options <- Filter(function(option) length(option$choices) > 0L, commands[[name]]$options())
    lapply(options, function(option) c(list(command = name), option[c("name", "choices")]))
  })
  do.call(c, found)
}

register_command("completion", cli_completion, "SHELL",
  "Print what a shell needs to complete ronda's words.",
  options = function() list(),
  examples = c("ronda completion bash", "ronda completion zsh")
)
