# ronda completion: what a shell needs to complete ronda's words, made of the records of the
# commands. Shells ask ronda itself for the columns of the files that were typed.

cli_completion <- function(files, options) {
  if (files[1L] == "columns") {
    return(completed_columns(files[-1L]))
  }
  shells <- list(bash = bash_completion, zsh = zsh_completion, fish = fish_completion)
  if (!files[1L] %in% names(shells) || length(files) > 1L) {
    stop_usage(sprintf("completion is there for %s, not for %s.", listed(names(shells), "and"),
      shown(paste(files, collapse = " "))
    ))
  }
  lines_to_stdout(shells[[files]]())
}

# Options whose values have names of columns; those of rules besides
column_options_known <- c(
  "on", "in-turn", "clean", "where", "take", "omit", "collisions", "if-absent", "fold", "types",
  "columns", "repeats", "show"
)

names_columns <- function(option) {
  option$name %in% c(column_options_known, rule_order) && !is.null(option$value)
}

# Words that `word`, the value of an option begun, may become with the names of columns of the
# files: one a line. Nothing where they can't be read.
completed_columns <- function(asked) {
  if (length(asked) < 3L) {
    return()
  }
  option <- asked[1L]
  word <- asked[2L]
  columns <- lapply(asked[-(1:2)], columns_of_file)
  begin <- regmatches(word, regexpr(column_begins, word, perl = TRUE))
  found <- complete_in(option, begin, columns)
  words <- paste0(begin, name_in_option(unique(found)))
  words <- words[startsWith(words, word)]
  if (length(words)) to_stdout(paste0(words, "\n", collapse = ""))
}

# what of a value is before the name that is typed now
column_begins <- "^(?:.*(?:,|=|<=?|>=?|!=|[.][.]|:|\\bleft[.]|\\bright[.]|[(& |]))?"

# the names that fit: of the left file before `=`, of the right one behind it
complete_in <- function(option, begin, columns) {
  pairs <- option %in% c("on", "in-turn", "columns", setdiff(rule_order, "in_turn"))
  part <- sub(".*,", "", begin)
  second <- if (grepl("left[.]$", begin)) FALSE else if (grepl("right[.]$", begin)) TRUE else {
    option %in% c("take", "omit", "fold", "repeats") || pairs && grepl("[=<>]", part)
  }
  if (length(columns) == 2L && (pairs || second || grepl("left[.]$", begin))) {
    columns[[if (second) 2L else 1L]]
  } else {
    unlist(columns)
  }
}

# the names of a file's columns; none where it can't be read at once
columns_of_file <- function(file) {
  unless_it_fails({
    format <- if (dir.exists(file)) "parquet" else file_format(file, NULL)
    switch(format,
      csv = , tsv = text_head(file, asked_of_first_line(file, reading_asked()),
        usual_separators[[format]]
      )$names,
      parquet = {
        # Of a folder its first file, with the columns that folders make.
        first <- if (dir.exists(file)) files_in(file, "[.]parquet$", NULL)[1L] else file
        c(schema_in_file(first)$name, if (dir.exists(file)) names(values_of_folders(first)))
      },
      if (file.size(file) < 1e7) names(read_frame(file))
    )
  }, character())
}

# bash -------------------------------------------------------------------------------

bash_completion <- function() {
  c(
    "# completion of ronda in bash; for good: ronda completion bash >> ~/.bashrc",
    "_ronda() {",
    "  # The words up to the cursor: bash itself takes them apart at = and :, too.",
    "  local line=${COMP_LINE:0:COMP_POINT} word before words= files=() typed name",
    "  read -ra typed <<< \"$line\"",
    "  case $line in *[[:space:]]) typed+=(\"\") ;; esac",
    "  word=${typed[${#typed[@]}-1]} before=${typed[${#typed[@]}-2]}",
    "  COMPREPLY=()",
    "  if [ \"${#typed[@]}\" -le 2 ]; then",
    sprintf("    COMPREPLY=( $(compgen -W '%s' -- \"$word\") )",
      paste(c(command_order, "--help", "--version"), collapse = " ")
    ),
    "    return",
    "  fi",
    "  case \"${typed[1]} $before\" in",
    unlist(lapply(completed_options(), function(one) {
      sprintf("    '%s --%s') words='%s' ;;", one$command, one$name,
        paste(one$choices, collapse = " ")
      )
    })),
    "  esac",
    sprintf("  case \"$before\" in %s)", paste0("--", column_option_names(), collapse = "|")),
    "    for name in \"${typed[@]:2}\"; do",
    "      case $name in -*) ;; *) [ -e \"$name\" ] && files+=(\"$name\") ;; esac",
    "    done",
    "    local IFS=$'\\n'",
    "    COMPREPLY=( $(compgen -W \"$words\" -- \"$word\")",
    "      $(\"${typed[0]}\" completion columns \"${before#--}\" \"$word\" \\",
    "        \"${files[@]}\" 2>/dev/null) )",
    "    # bash puts in what follows the last = or :",
    "    local kept=${word%\"${word##*[=:]}\"}",
    "    COMPREPLY=( \"${COMPREPLY[@]#\"$kept\"}\" )",
    "    compopt -o nospace 2>/dev/null",
    "    return ;;",
    "  esac",
    "  if [ -z \"$words\" ] && [ \"${word#-}\" != \"$word\" ]; then",
    "    case \"${typed[1]}\" in",
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

# zsh --------------------------------------------------------------------------------

zsh_completion <- function() {
  c(
    "#compdef ronda",
    "# completion of ronda in zsh; for good: ronda completion zsh > a folder of $fpath/_ronda",
    "_ronda() {",
    "  local -a words_here files",
    "  local name",
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
        sprintf("      compadd -- %s ;;", paste0("'", one$choices, "'", collapse = " "))
      )
    })),
    "  esac",
    sprintf("  case \"$words[CURRENT-1]\" in %s)",
      paste0("--", column_option_names(), collapse = "|")
    ),
    "    for name in ${words[3,-1]}; do",
    "      [[ $name != -* && -e $name ]] && files+=($name)",
    "    done",
    paste(
      "    words_here=(\"${(@f)$($words[1] completion columns ${words[CURRENT-1]#--} \"$PREFIX\"",
      "$files 2>/dev/null)}\")"
    ),
    "    compadd -S '' -- ${words_here:#}",
    "    return ;;",
    "  esac",
    "  (( compstate[nmatches] )) && return",
    "  if [[ $PREFIX == -* ]]; then",
    "    case $words[2] in",
    unlist(lapply(command_order, function(name) {
      options <- options_with_help(name)
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
  sprintf("'%s:%s'", words, gsub(":", "\\:", first_words(texts), fixed = TRUE))
}

# a text as far as one line of a menu has room, without quotes
first_words <- function(texts) {
  gsub("'", "", vapply(strwrap(texts, 70L, simplify = FALSE), `[`, "", 1L))
}

# fish -------------------------------------------------------------------------------

fish_completion <- function() {
  all <- lapply(command_order, function(name) {
    vapply(options_with_help(name), fish_option, "", command = name)
  })
  c(
    paste(
      "# completion of ronda in fish; for good:",
      "ronda completion fish > ~/.config/fish/completions/ronda.fish"
    ),
    "function __ronda_columns",
    "    set -l typed (commandline -opc)",
    "    set -l files",
    "    for word in $typed",
    "        string match -q -- '-*' $word; and continue",
    "        test -e $word; and set -a files $word",
    "    end",
    paste(
      "    $typed[1] completion columns (string replace -r '^--' '' -- $typed[-1])",
      "(commandline -ct) $files 2>/dev/null"
    ),
    "end",
    "complete -c ronda -f -n 'test (count (commandline -opc)) -eq 1' -l help",
    "complete -c ronda -f -n 'test (count (commandline -opc)) -eq 1' -l version",
    sprintf("complete -c ronda -f -n 'test (count (commandline -opc)) -eq 1' -a %s -d '%s'",
      command_order, first_words(vapply(command_order, function(name) commands[[name]]$about, ""))
    ),
    unlist(all)
  )
}

fish_option <- function(option, command) {
  values <- c(
    if (length(option$choices)) paste(option$choices, collapse = " "),
    if (names_columns(option)) "(__ronda_columns)"
  )
  paste0(
    sprintf("complete -c ronda -n '__fish_seen_subcommand_from %s' -l %s -d '%s'", command,
      option$name, first_words(option$help)
    ),
    if (!is.null(option$value)) if (option$is_file) " -r" else " -x",
    if (length(values)) sprintf(" -a '%s'", paste(values, collapse = " "))
  )
}

# What all of them need --------------------------------------------------------------

options_with_help <- function(name) {
  c(commands[[name]]$options(), list(cli_option("help", "Show this")))
}

option_words <- function(name) paste0("--", vapply(options_with_help(name), `[[`, "", "name"))

# the options whose words are known: list(command, name, choices) for each
completed_options <- function() {
  found <- lapply(command_order, function(name) {
    options <- Filter(function(option) length(option$choices) > 0L, commands[[name]]$options())
    lapply(options, function(option) c(list(command = name), option[c("name", "choices")]))
  })
  do.call(c, found)
}

# the options of all commands that take names of columns
column_option_names <- function() {
  unique(unlist(lapply(command_order, function(name) {
    vapply(Filter(names_columns, commands[[name]]$options()), `[[`, "", "name")
  })))
}

register_command("completion", cli_completion, "SHELL",
  "Print what a shell needs to complete ronda's words and columns.",
  least = 1L, most = Inf,
  options = function() list(),
  examples = c("ronda completion bash", "ronda completion zsh", "ronda completion fish")
)
