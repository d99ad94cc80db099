# The options of the commands and how their text becomes arguments. Parsing
# itself is optparse's.

cli_option <- function(name, help, value = NULL, default = NULL) {
  list(name = name, help = help, value = value, default = default)
}

matching_options <- list(
  cli_option("on", paste(
    "Key columns: port, or vessel=code where the names differ;",
    "several with commas"
  ), "KEYS"),
  cli_option("missing-keys", "unmatched (default), match or stop", "WORD"),
  cli_option("repeats", paste(
    "Of several partners: all (default), first, last, stop, highest:COLUMN or",
    "lowest:COLUMN"
  ), "WORD"),
  cli_option("expect", paste(
    "What must hold: one-to-one, one-to-many, many-to-one, rows-multiply,",
    "left-complete, right-complete, no-missing-keys; several with commas"
  ), "WORDS"),
  cli_option("max-rows", "Refuse more pairs than this", "NUMBER"),
  cli_option("sides", "Names of the two sides (default: left,right)", "NAMES"),
  cli_option("types", paste(
    "Types of columns when reading: id=text,day=date",
    "(text, number, integer, logical, date, datetime)"
  ), "TYPES")
)

# the options of all rules, each before the first that says more about it
rule_options <- function() {
  options <- list()
  for (kind in rule_order) {
    form <- rule_kinds[[kind]]$option
    if (is.null(form)) next
    options[[kind]] <- cli_option(kind, form$help, form$value)
    for (name in names(form$details)) {
      detail <- form$details[[name]]
      if (!is.null(options[[name]])) next
      users <- paste0("--", rules_with_detail(name))
      options[[name]] <- cli_option(name,
        sprintf("For %s: %s", listed(users, "or"), detail$help), detail$value
      )
    }
  }
  unname(options)
}

# the rules that an option says more about
rules_with_detail <- function(name) {
  Filter(function(kind) name %in% names(rule_kinds[[kind]]$option$details),
    rule_order
  )
}

row_options <- function() list(
  cli_option("rows", paste("Which rows stay:",
    paste(sub("^left$", "left (default)", names(row_types)), collapse = ", ")
  ), "WORD"),
  cli_option("order", "Row order: left (default), right or keys", "WORD")
)

pattern_option <- cli_option("pattern",
  "Names of renamed columns (default: {column}_{side})", "PATTERN"
)

column_options <- list(
  cli_option("take", paste(
    "Right columns to bring, in this order; new=old renames;",
    "nothing (--take=) brings none"
  ), "COLUMNS"),
  cli_option("omit", "Right columns to do without", "COLUMNS"),
  cli_option("keys", "one (default) column for each key, or both", "WORD"),
  cli_option("collisions", paste(
    "Columns of one name: rename (default), rename_left, rename_right, left,",
    "right, fill, agree, stop; or by column: status=left,.other=rename"
  ), "WORDS"),
  pattern_option,
  cli_option("origin", "Add a column that tells where a row comes from",
    "NAME"
  ),
  cli_option("partners", "Add a column with the number of partners", "NAME"),
  cli_option("if-absent", paste(
    "Values where a row's side is absent: fare=0,name=unknown"
  ), "VALUES")
)

near_option <- cli_option("near-misses",
  "Unmatched keys beside their likely partner"
)

quiet_option <- cli_option("quiet", "No receipt on stderr")

output_options <- list(
  cli_option("out", "The file to write (default: csv on stdout)", "FILE"),
  quiet_option
)

many_options <- list(
  cli_option("on", "Key columns that all files have", "KEYS"),
  cli_option("rows", "full (default), left or inner", "WORD"),
  cli_option("collisions", paste(
    "rename (default), left, right, fill, agree or stop; or by column:",
    "note=fill,.other=rename"
  ), "WORDS"),
  pattern_option,
  cli_option("origin", "Add a column with the files that hold a row", "NAME"),
  cli_option("missing-keys", "unmatched (default), match or stop", "WORD"),
  cli_option("types", "Types of columns when reading: id=text", "TYPES"),
  cli_option("out", "The file to write (default: csv on stdout)", "FILE"),
  quiet_option
)

split_options <- list(
  cli_option("out", "The folder to write to (default: this one)", "FOLDER"),
  cli_option("format", "csv (default), tsv, rds, parquet or jsonl", "WORD"),
  quiet_option
)

demo_options <- list(
  cli_option("out", "The folder to write to (default: demo-output)", "FOLDER")
)

option_parser <- function(name, command) {
  need_packages("optparse", "The command line", class = "file")
  parser <- optparse::OptionParser(
    usage = usage_line(name, command), add_help_option = FALSE,
    description = command$about,
    epilogue = paste(c("Examples:", paste0("  ", command$examples), ""),
      collapse = "\n"
    )
  )
  for (option in command$options) {
    parser <- optparse::add_option(parser, paste0("--", option$name),
      action = if (is.null(option$value)) "store_true" else "store",
      type = if (is.null(option$value)) "logical" else "character",
      dest = option$name, metavar = option$value, help = option$help
    )
  }
  optparse::add_option(parser, c("-h", "--help"),
    action = "store_true", dest = "help", help = "Show this"
  )
}

command_help <- function(name, command) {
  parser <- option_parser(name, command)
  text <- utils::capture.output(optparse::print_help(parser))
  paste0(paste(text, collapse = "\n"), "\n")
}

# list(files, options): options by name, as text
parse_options <- function(name, command, args) {
  known <- vapply(command$options, function(option) option$name, "")
  takes <- !vapply(command$options, function(x) is.null(x$value), NA)
  split <- split_words(args, name, known, known[takes])
  parser <- option_parser(name, command)
  parsed <- tryCatch(
    optparse::parse_args(parser, split$options,
      print_help_and_exit = FALSE, positional_arguments = FALSE
    ),
    error = function(e) stop_usage(paste0(conditionMessage(e), "."))
  )
  options <- lapply(parsed, function(value) {
    if (is.character(value)) gsub(kept_equals, "=", value, fixed = TRUE) else value
  })
  for (option in intersect(names(options), rule_order)) {
    if (!is.character(options[[option]]) || !nzchar(options[[option]])) next
    options[[option]] <- strsplit(options[[option]], between_rules)[[1L]]
  }
  list(files = split$files, options = options)
}

# stands for the equals signs of a value, which are kept from the parser
kept_equals <- "\003"

# Options that may be given several times: lists go on, rules come side by side
list_options <- c("on", "take", "if-absent", "expect", "types")
between_rules <- "\004"

# One word for each option: those given again are added to the first
added_up <- function(options) {
  names <- sub("=.*", "", options)
  for (name in unique(names[duplicated(names)])) {
    bare <- sub("^--", "", name)
    at <- which(names == name)
    if (!bare %in% c(list_options, rule_order)) {
      stop_usage(sprintf("%s is given twice.", name))
    }
    values <- sub("^[^=]*=", "", options[at])
    between <- if (bare %in% rule_order) between_rules else ","
    options[at[1L]] <- paste0(name, "=",
      paste(values[nzchar(values)], collapse = between)
    )
    options <- options[-at[-1L]]
    names <- names[-at[-1L]]
  }
  options
}

# Files and options apart; `--name value` becomes `--name=value`, so that a
# value may begin with a dash.
split_words <- function(args, name, known, takes) {
  files <- options <- character()
  at <- 1L
  while (at <= length(args)) {
    word <- args[at]
    at <- at + 1L
    if (word == "--") {
      files <- c(files, args[seq_along(args) >= at])
      break
    }
    if (!startsWith(word, "-") || word == "-") {
      files <- c(files, word)
      next
    }
    check_option_word(word, name, known)
    bare <- sub("^--", "", word)
    value <- NULL
    if (bare %in% takes) {
      if (at > length(args)) stop_usage(sprintf("%s needs a value.", word))
      value <- args[at]
      at <- at + 1L
    } else if (grepl("=", word, fixed = TRUE)) {
      value <- sub("^[^=]*=", "", word)
      word <- sub("=.*", "", word)
      if (!sub("^--", "", word) %in% takes) {
        stop_usage(sprintf("%s takes no value.", word))
      }
    }
    options <- c(options, if (is.null(value)) word else {
      paste0(word, "=", gsub("=", kept_equals, value, fixed = TRUE))
    })
  }
  list(files = files, options = added_up(options))
}

check_option_word <- function(word, name, known) {
  bare <- sub("=.*", "", sub("^--", "", word))
  if (word == "-h" || (startsWith(word, "--") && bare %in% c(known, "help"))) {
    return()
  }
  near <- gsub("`", "", sub("`", "`--", closest_name(bare, known)))
  if (!is.na(file_formats[tolower(tools::file_ext(word))])) {
    near <- sprintf("If it is a file, write %s.", encodeString(
      paste0("./", word),
      quote = "'"
    ))
  }
  stop_usage(
    sprintf("%s has no option %s.", name, sub("=.*", "", word)),
    paste("*", c(
      near[nzchar(near)], sprintf("ronda %s --help lists them.", name)
    ))
  )
}

# "a,b\\,c" -> c("a", "b,c")
split_commas <- function(text) {
  if (is.null(text) || !nzchar(text)) {
    return(character())
  }
  marked <- gsub("\\,", "\001", text, fixed = TRUE)
  parts <- strsplit(marked, ",", fixed = TRUE)[[1L]]
  gsub("\001", ",", parts, fixed = TRUE)
}

# "vessel=code,port" -> c(vessel = "code", "port")
split_pairs <- function(text) {
  parts <- split_commas(text)
  marked <- gsub("\\=", "\002", parts, fixed = TRUE)
  has <- grepl("=", marked, fixed = TRUE)
  plain <- function(x) gsub("\002", "=", x, fixed = TRUE)
  values <- plain(sub("^[^=]*=", "", marked))
  if (any(has)) names(values) <- ifelse(has, plain(sub("=.*", "", marked)), "")
  values
}

# Arguments of pair_rows() from the options given
matching_arguments <- function(options) {
  on <- cli_rules(options)
  if (!length(on)) {
    stop_usage("--on is missing: say which columns must be equal.",
      "* Write, for example: --on port, or --on vessel=code",
      paste("* Or a rule:", paste0("--", setdiff(rule_order, c("same", "cross")),
        collapse = ", "
      ))
    )
  }
  compact(list(
    on = on, missing_keys = options[["missing-keys"]],
    repeats = as_repeats(options$repeats),
    expect = if (!is.null(options$expect)) split_commas(options$expect),
    max_rows = cli_number(options[["max-rows"]], "--max-rows")
  ))
}

# Arguments of build_frame()
column_arguments <- function(options) {
  collisions <- if (!is.null(options$collisions)) {
    split_pairs(options$collisions)
  }
  if (!is.null(names(collisions))) collisions <- as.list(collisions)
  absent <- options[["if-absent"]]
  if (!is.null(absent)) absent <- lapply(as.list(split_pairs(absent)), as_unread)
  compact(list(
    rows = options$rows, row_order = options$order,
    take = if (!is.null(options$take)) split_pairs(options$take),
    omit = if (!is.null(options$omit)) split_commas(options$omit),
    keys = options$keys, collisions = collisions,
    name_pattern = options$pattern, origin = options$origin,
    partners = options$partners,
    if_absent = absent
  ))
}

compact <- function(x) x[!vapply(x, is.null, NA)]

cli_number <- function(text, option) {
  if (is.null(text)) {
    return(NULL)
  }
  number <- suppressWarnings(as.numeric(text))
  if (is.na(number)) {
    stop_usage(sprintf("%s must be a number, not %s.", option, shown(text)))
  }
  number
}

as_repeats <- function(text) {
  if (is.null(text) || !grepl("^(highest|lowest):", text)) {
    return(text)
  }
  column <- sub("^[a-z]+:", "", text)
  if (startsWith(text, "highest")) highest(column) else lowest(column)
}

as_types <- function(text) {
  if (is.null(text)) {
    return(NULL)
  }
  types <- split_pairs(text)
  if (is.null(names(types)) || !all(nzchar(names(types)))) {
    stop_usage("--types must be types by column, such as id=text.")
  }
  check_types(types, NULL)
  types
}
