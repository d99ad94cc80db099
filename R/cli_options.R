# What makes keys alike before they are matched: --clean (rule_clean.R) and --corrections.

clean_help <- function() {
  passes_over <- vapply(cleaning_steps, `[[`, "", "passes_over")
  sprintf("Of text keys, what makes no difference: %s; for one key: vessel=lower",
    paste(sprintf("%s (%s)", names(cleaning_steps), passes_over), collapse = ", ")
  )
}

# Key columns, as of split_pairs(), as rules with what is done to them. `known`: names that
# --clean may have
with_cleaning <- function(keys, options, known = c(names(keys), keys)) {
  cleaning <- read_clean(options$clean)
  fixes <- read_corrections(options)
  if (!length(cleaning) && is.null(fixes)) {
    return(as.list(keys))
  }
  names <- if (is.null(names(keys))) keys else ifelse(nzchar(names(keys)), names(keys), keys)
  unknown <- setdiff(names(cleaning), c(known, ""))
  if (length(unknown)) {
    stop_usage(sprintf("--clean names a column `%s`, which is not a key.", unknown[1L]))
  }
  do.call(c, Map(function(left, right) {
    words <- unlist(cleaning[names(cleaning) %in% c(left, "")])
    clean <- if (length(words)) list(words)
    of_column <- fixes
    if ("column" %in% names(fixes)) of_column <- fixes[fixes$column == left, ]
    steps <- list(
      left = c(clean, if (NROW(of_column)) list(corrections(of_column))), right = clean
    )
    same(left, right, if (length(compact(steps))) compact(steps))
  }, names, unname(keys)))
}

# words by the column that they are for, "" for all
read_clean <- function(text) {
  if (is.null(text)) {
    return(list())
  }
  words <- split_pairs(text)
  known <- names(cleaning_steps)
  unknown <- setdiff(words, known)
  if (length(unknown)) {
    stop_usage(
      sprintf("--clean has no word %s.", shown(unknown[1L])),
      sprintf("* Its words: %s.", listed(known, "and"))
    )
  }
  names <- if (is.null(names(words))) rep("", length(words)) else names(words)
  stats::setNames(as.list(unname(words)), names)
}

read_corrections <- function(options) {
  file <- options$corrections
  if (is.null(file)) {
    return(NULL)
  }
  if (!nzchar(file)) stop_usage("--corrections must name a file.")
  asked <- asked_of_file(options, side_of_corrections, NULL, c(from = "text", to = "text"))
  fixes <- read_file(file, asked, quote(read_frame()), TRUE)
  lacking <- setdiff(c("from", "to"), names(fixes))
  if (length(lacking)) {
    stop_usage(sprintf("%s has no column `%s`, which --corrections needs beside `%s`.", file,
      lacking[1L], setdiff(c("from", "to"), lacking[1L])
    ))
  }
  fixes
}

# Rules as options -------------------------------------------------------------------

# Rules as they are written on the command line; their forms stand with the rules.

# The rules of all options that make one
cli_rules <- function(options) {
  check_rule_details(options)
  if (!is.null(options$step) && is.null(options[["in-turn"]])) {
    stop_usage("--step goes with --in-turn.")
  }
  made <- lapply(rule_order, function(kind) {
    form <- rule_kinds[[kind]]$option
    if (!is.null(form)) cli_rule(kind, form, options)
  })
  c(
    if (!is.null(options$on)) with_cleaning(split_pairs(options$on), options),
    do.call(c, made),
    if (length(options[["in-turn"]]) == 1L) {
      stop_usage("--in-turn is given twice or more: --in-turn card --in-turn name")
    },
    if (!is.null(options[["in-turn"]])) {
      steps <- lapply(lapply(options[["in-turn"]], split_pairs), with_cleaning, options)
      do.call(in_turn, c(lapply(steps, plain_keys), list(step = plain_name(options$step))))
    }
  )
}

# keys without a rule among them are names of columns
plain_keys <- function(keys) if (all(vapply(keys, is.character, NA))) unlist(keys) else keys

# an option that says more about a rule goes with that rule
check_rule_details <- function(options) {
  given <- names(options)[!vapply(options, function(x) {
    is.null(x) || isFALSE(x)
  }, NA)]
  for (name in given) {
    rules <- rules_with_detail(name)
    if (length(rules) && !any(rules %in% given)) {
      stop_usage(sprintf("--%s goes with %s.", name,
        listed(paste0("--", rules), "or")
      ))
    }
  }
}

# the rules of one option, which may be given several times
cli_rule <- function(kind, form, options) {
  texts <- options[[kind]]
  if (is.null(form$value)) {
    return(if (isTRUE(texts)) form$make())
  }
  details <- Map(read_detail, form$details, options[names(form$details)])
  do.call(c, lapply(texts, function(text) {
    arguments <- if (is.null(form$read)) {
      c(rule_columns_of(text, form), list(details))
    } else {
      read <- form$read(masked(text))
      if (!is.null(read)) lapply(read, unmasked)
    }
    if (is.null(arguments)) {
      stop_usage(sprintf("--%s must be %s, not %s.", kind, form$example,
        shown(text)
      ))
    }
    do.call(form$make, arguments)
  }))
}

# "left=right", where a side may be from..to
rule_columns_of <- function(text, form) {
  pair <- masked(text)
  if (!nzchar(pair) || grepl("^=|=$|,", pair)) {
    stop_usage(sprintf("%s must be one left=right.", shown(text)))
  }
  pair <- c(sub("=.*", "", pair), sub("^[^=]*=", "", pair))
  Map(function(column, is) {
    if (is == "point") {
      return(unmasked(column))
    }
    parts <- strsplit(column, "..", fixed = TRUE)[[1L]]
    if (length(parts) != 2L) {
      stop_usage(sprintf("%s must name an interval as from..to.", shown(text)))
    }
    unmasked(parts)
  }, pair, c(form$left, form$right), USE.NAMES = FALSE)
}

read_detail <- function(detail, given) {
  if (is.null(detail$value)) {
    return(isTRUE(given))
  }
  if (is.null(given)) {
    return(detail$usual)
  }
  if (detail$value == "NUMBER") {
    return(cli_number(given, "--n"))
  }
  if (detail$value == "NAMES") {
    return(split_commas(given))
  }
  if (detail$value != "DISTANCE") {
    return(plain_name(given))
  }
  cli_distance(given)
}

# a number, or text with a unit
cli_distance <- function(given) {
  number <- suppressWarnings(as.numeric(given))
  if (is.na(number)) given else number
}

# All options ------------------------------------------------------------------------

# The options of the commands: help, completion and the parser are made of these records.
# Parsing itself is optparse's.

missing_option <- word_option("missing-keys",
  "Missing keys (unmatched: they equal nothing; match: they equal each other)"
)

matching_options <- function() c(in_group("Matching", list(
  cli_option("on", paste(
    "Key columns: port, or vessel=code where the names differ;",
    "several with commas"
  ), "KEYS", again = ","),
  cli_option("in-turn", paste(
    "Key columns tried one after the other, each for the rows that those before left open;",
    "given several times: --in-turn card --in-turn name"
  ), "KEYS", again = kept_apart),
  cli_option("step", "For --in-turn: add a column that tells which one paired the row", "NAME"),
  cli_option("clean", clean_help(), "WORDS", names(cleaning_steps), again = ","),
  cli_option("corrections", paste(
    "A file of columns from and to: values of left keys to replace before matching, as",
    "ronda near-misses --out FILE writes it"
  ), "FILE", is_file = TRUE),
  cli_option("where", where_grammar, "CONDITION"),
  missing_option,
  cli_option("repeats", sprintf(
    paste("Of several partners: %s (once: each row of either file is in one pair at most;",
      "lowest:A,B: B decides where A is equal; once:lowest:A: pairs of the lowest A first)"
    ),
    words_help(c(argument_words$repeats, "highest:COLUMN", "lowest:COLUMN"))
  ), "WORD", c(argument_words$repeats, "highest:", "lowest:", "once:highest:", "once:lowest:")),
  cli_option("expect", sprintf("What must hold: %s; several with commas", listed(
    c(expected_words, paste0(expected_shares, "=0.99")), "and", 20L
  )), "WORDS", c(expected_words, paste0(expected_shares, "=")), again = ","),
  cli_option("max-rows", "Refuse more pairs than this", "NUMBER"),
  cli_option("sides", "Names of the two sides (default: left,right)", "NAMES"),
  ledger_option_of_commands
)), reading_options)

# the options of all rules, each before the first that says more about it
rule_options <- function() {
  options <- list()
  for (kind in rule_order) {
    form <- rule_kinds[[kind]]$option
    if (is.null(form)) next
    options[[kind]] <- cli_option(kind, form$help, form$value,
      again = if (!is.null(form$value)) kept_apart
    )
    for (name in names(form$details)) {
      detail <- form$details[[name]]
      if (!is.null(options[[name]])) next
      users <- paste0("--", rules_with_detail(name))
      options[[name]] <- cli_option(name,
        sprintf("For %s: %s", listed(users, "or"), detail$help), detail$value,
        detail$choices
      )
    }
  }
  in_group("Rules for ordered columns", unname(options))
}

# the rules that an option says more about
rules_with_detail <- function(name) {
  Filter(function(kind) name %in% names(rule_kinds[[kind]]$option$details),
    rule_order
  )
}

row_options <- function() in_group("Rows", list(
  cli_option("rows", paste("Which rows stay:", words_help(names(row_types), "left")), "WORD",
    names(row_types)
  ),
  word_option("row-order", "Row order")
))

pattern_option <- function(usual) {
  cli_option("name-pattern", sprintf("Names of renamed columns (default: %s)", usual), "PATTERN")
}

collisions_option <- function(words, usual) {
  cli_option("collisions", sprintf("Columns of one name: %s; or by column: status=left,.other=fill",
    words_help(words, usual)
  ), "WORDS", words)
}

column_options <- function() in_group("Columns", list(
  cli_option("take", paste(
    "Right columns to bring, in this order; new=old renames; .rest brings the",
    "others too; nothing (--take=) brings none"
  ), "COLUMNS", again = ","),
  cli_option("omit", "Right columns to do without", "COLUMNS"),
  word_option("keys", "Columns for each key"),
  collisions_option(names(collision_kinds), "rename_right"),
  pattern_option("{side}.{column}"),
  cli_option("origin", "Add a column that tells where a row comes from",
    "NAME"
  ),
  cli_option("partners", "Add a column with the number of partners", "NAME"),
  cli_option("row-numbers", paste(
    "Add two columns with the row numbers of both files: left_row,right_row"
  ), "NAMES"),
  cli_option("if-absent", paste(
    "Values where a row's side is absent: fare=0,name=unknown; .other=0 is for",
    "every other column that it fits"
  ), "VALUES", again = ",")
))

fold_options <- in_group("Columns", list(cli_option("fold", paste(
  "One row for each left row, its partners folded: km=sum(km); nrow(), length, sum, mean,",
  "min, max, any, all (na.rm = TRUE, too), x[1], x[length(x)], length(unique(x)); may be",
  "given several times"
), "NAME=FORM", again = kept_apart)))

quiet_option <- cli_option("quiet", "Nothing on stderr but errors and warnings")

ledger_option_of_commands <- cli_option("ledger",
  "A file to which the join is added, as one line of JSON", "FILE",
  is_file = TRUE
)

# the file to write, and what is said beside it
output_options <- function(help = "The file to write (default: csv on stdout)") {
  in_group("Output", list(
    cli_option("out", help, "FILE", is_file = TRUE), overwrite_option, quiet_option
  ))
}

# Options as arguments ---------------------------------------------------------------

# Arguments of the functions, from the options given.

# Arguments of pair_rows() from the options given
matching_arguments <- function(options) {
  on <- cli_rules(options)
  if (!length(on)) {
    stop_usage("--on is missing: say which columns must be equal.",
      "* Write, for example: --on port, or --on vessel=code",
      paste("* Or a rule:", paste0("--", ordered_rules(), collapse = ", "))
    )
  }
  compact(list(
    on = on, missing_keys = options[["missing-keys"]],
    repeats = as_repeats(options$repeats),
    expect = if (!is.null(options$expect)) read_expect(options$expect),
    max_rows = cli_number(options[["max-rows"]], "--max-rows")
  ))
}

# Arguments of build_frame()
column_arguments <- function(options) {
  collisions <- if (!is.null(options$collisions)) {
    split_pairs(options$collisions)
  }
  check_collision_words(collisions)
  if (!is.null(names(collisions))) collisions <- as.list(collisions)
  absent <- options[["if-absent"]]
  if (!is.null(absent)) absent <- lapply(as.list(split_pairs(absent)), as_unread)
  compact(list(
    rows = options$rows, row_order = options[["row-order"]],
    take = if (!is.null(options$take)) read_take(options$take),
    omit = if (!is.null(options$omit)) split_commas(options$omit),
    keys = options$keys, collisions = collisions,
    name_pattern = options[["name-pattern"]], origin = plain_name(options$origin),
    partners = plain_name(options$partners),
    row_numbers = if (!is.null(options[["row-numbers"]])) {
      split_commas(options[["row-numbers"]])
    },
    if_absent = absent
  ))
}

# words, and shares such as left_matched=0.99
read_expect <- function(text) {
  parts <- split_pairs(text)
  if (is.null(names(parts))) {
    return(parts)
  }
  lapply(as.list(parts), function(part) {
    number <- suppressWarnings(as.numeric(part))
    if (is.na(number)) part else number
  })
}

# `.rest` by itself brings the other columns
read_take <- function(text) {
  take <- split_pairs(text)
  bare <- take == ".rest" & (if (is.null(names(take))) TRUE else !nzchar(names(take)))
  if (any(bare)) {
    if (is.null(names(take))) names(take) <- rep("", length(take))
    names(take)[bare] <- ".rest"
    take[bare] <- "TRUE"
  }
  take
}

# Functions are for R only; what remains are words.
check_collision_words <- function(ways) {
  words <- names(collision_kinds)
  unknown <- which(!ways %in% words)
  if (!length(unknown)) {
    return()
  }
  column <- names(ways)[unknown[1L]]
  stop_usage(
    sprintf("--collisions has no way %s%s.", shown(ways[[unknown[1L]]]),
      if (length(column) && nzchar(column)) sprintf(" for `%s`", column) else ""
    ),
    sprintf("* Its ways: %s.", listed(words, "and", length(words))),
    "* By column, and for all others: --collisions status=left,.other=fill"
  )
}
