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
    "What must hold: one-to-one, one-to-many, many-to-one, many-to-many,",
    "left-complete, right-complete, no-missing-keys; several with commas"
  ), "WORDS"),
  cli_option("max-rows", "Refuse more pairs than this", "NUMBER"),
  cli_option("sides", "Names of the two sides (default: left,right)", "NAMES"),
  cli_option("types", paste(
    "Types of columns when reading: id=text,day=date",
    "(text, number, integer, logical, date, datetime)"
  ), "TYPES")
)

row_options <- list(
  cli_option("rows", paste(
    "Which rows stay: inner, left (default), right, full, semi, anti,",
    "unmatched"
  ), "WORD"),
  cli_option("order", "Row order: left (default), right or keys", "WORD")
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
  cli_option("pattern", "Names of renamed columns (default: {column}_{side})",
    "PATTERN"
  ),
  cli_option("origin", "Add a column that tells where a row comes from",
    "NAME"
  ),
  cli_option("partners", "Add a column with the number of partners", "NAME"),
  cli_option("fill", paste(
    "Values where a row's side is absent: fare=0,name=unknown"
  ), "VALUES")
)

quiet_option <- cli_option("quiet", "No receipt on stderr")

output_options <- list(
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
  need_package("optparse", "The command line")
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
  list(files = split$files, options = parsed)
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
    if (bare %in% takes) {
      if (at > length(args)) stop_usage(sprintf("%s needs a value.", word))
      word <- paste0(word, "=", args[at])
      at <- at + 1L
    }
    options <- c(options, word)
  }
  list(files = files, options = options)
}

check_option_word <- function(word, name, known) {
  bare <- sub("=.*", "", sub("^--", "", word))
  if (word == "-h" || (startsWith(word, "--") && bare %in% c(known, "help"))) {
    return()
  }
  near <- gsub("`", "", sub("`", "`--", closest_name(bare, known)))
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
  if (is.null(options$on)) {
    stop_usage("--on is missing: say which columns must be equal.",
      "* Write, for example: --on port, or --on vessel=code"
    )
  }
  compact(list(
    on = split_pairs(options$on), missing_keys = options[["missing-keys"]],
    repeats = as_repeats(options$repeats),
    expect = if (!is.null(options$expect)) split_commas(options$expect),
    max_rows = as_number(options[["max-rows"]], "--max-rows")
  ))
}

# Arguments of build_frame()
column_arguments <- function(options) {
  collisions <- if (!is.null(options$collisions)) {
    split_pairs(options$collisions)
  }
  if (!is.null(names(collisions))) collisions <- as.list(collisions)
  fill <- if (!is.null(options$fill)) as.list(split_pairs(options$fill))
  compact(list(
    rows = options$rows, row_order = options$order,
    take = if (!is.null(options$take)) split_pairs(options$take),
    omit = if (!is.null(options$omit)) split_commas(options$omit),
    keys = options$keys, collisions = collisions,
    name_pattern = options$pattern, origin = options$origin,
    partners = options$partners,
    fill = if (!is.null(fill)) lapply(fill, as_unread)
  ))
}

compact <- function(x) x[!vapply(x, is.null, NA)]

as_number <- function(text, option) {
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
  types
}
