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
