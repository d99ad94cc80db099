# The options of the commands: help, completion and the parser are made of these records.
# Parsing itself is optparse's.

# `value`: what its value is called, NULL for a flag; `choices`: the words that it may
# be; `is_file`: its value is a file
cli_option <- function(name, help, value = NULL, choices = NULL, is_file = FALSE) {
  list(name = name, help = help, value = value, choices = choices, is_file = is_file)
}

# options under a heading of the help
in_group <- function(group, options) lapply(options, function(option) c(option, group = group))

# an option for an argument that takes one of a few words
word_option <- function(name, help, words = argument_words[[argument_of(name)]]) {
  cli_option(name, paste0(help, ": ", words_help(words)), "WORD", words)
}

missing_option <- word_option("missing-keys",
  "Missing keys (unmatched: they equal nothing; match: they equal each other)"
)

types_option <- cli_option("types", paste(
  "Types of columns when reading: id=text,day=date",
  "(text, number, integer, logical, date, datetime, or with the form of the cells",
  "date:%d.%m.%Y)"
), "TYPES")

decimal_option <- cli_option("decimal", paste(
  "The decimal mark of the files: . (default) or a comma, as in --decimal ,"
), "MARK")

missing_texts_option <- cli_option("missing", paste(
  "Cells that mean a missing value, with commas, beside empty ones:",
  "NA,-,n/a (default: NA; '' for none)"
), "TEXTS")

reading_options <- in_group("Reading", list(types_option, decimal_option, missing_texts_option))

matching_options <- function() c(in_group("Matching", list(
  cli_option("on", paste(
    "Key columns: port, or vessel=code where the names differ;",
    "several with commas"
  ), "KEYS"),
  cli_option("in-turn", paste(
    "Key columns tried one after the other, each for the rows that those before left open;",
    "given several times: --in-turn card --in-turn name"
  ), "KEYS"),
  cli_option("step", "For --in-turn: add a column that tells which one paired the row", "NAME"),
  cli_option("clean", clean_help(), "WORDS", names(cleaning_steps)),
  cli_option("corrections", paste(
    "A file of columns from and to: values of left keys to replace before matching, as",
    "ronda pair --near-misses --out FILE writes it"
  ), "FILE", is_file = TRUE),
  cli_option("where", where_grammar, "CONDITION"),
  missing_option,
  cli_option("repeats", sprintf(
    "Of several partners: %s (once: each row of either file is in one pair at most)",
    words_help(c(argument_words$repeats, "highest:COLUMN", "lowest:COLUMN"))
  ), "WORD", c(argument_words$repeats, "highest:", "lowest:")),
  cli_option("expect", sprintf("What must hold: %s; several with commas", listed(
    c(expected_words, paste0(expected_shares, "=0.99")), "and", 20L
  )), "WORDS", c(expected_words, paste0(expected_shares, "="))),
  cli_option("max-rows", "Refuse more pairs than this", "NUMBER"),
  cli_option("sides", "Names of the two sides (default: left,right)", "NAMES")
)), reading_options)

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
  ), "COLUMNS"),
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
  ), "VALUES")
))

fold_options <- in_group("Columns", list(cli_option("fold", paste(
  "One row for each left row, its partners folded: km=sum(km); nrow(), length, sum, mean,",
  "min, max, any, all (na.rm = TRUE, too), x[1], x[length(x)], length(unique(x)); may be",
  "given several times"
), "NAME=FORM")))

quiet_option <- cli_option("quiet", "Nothing on stderr but errors and warnings")

# the file to write, and what is said beside it
output_options <- function(help = "The file to write (default: csv on stdout)") {
  in_group("Output", list(cli_option("out", help, "FILE", is_file = TRUE), quiet_option))
}
