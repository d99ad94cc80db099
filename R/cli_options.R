# The options of the commands and how their text becomes arguments. Parsing
# itself is optparse's.

cli_option <- function(name, help, value = NULL) {
  list(name = name, help = help, value = value)
}

missing_option <- cli_option("missing-keys",
  "unmatched (default), match or stop", "WORD"
)

types_option <- cli_option("types", paste(
  "Types of columns when reading: id=text,day=date",
  "(text, number, integer, logical, date, datetime, or with the form of the cells",
  "date:%d.%m.%Y)"
), "TYPES")

decimal_option <- cli_option("decimal", paste(
  "The decimal mark of the files: . (default) or a comma, as in --decimal ,"
), "MARK")

matching_options <- list(
  cli_option("on", paste(
    "Key columns: port, or vessel=code where the names differ;",
    "several with commas"
  ), "KEYS"),
  cli_option("in-turn", paste(
    "Key columns tried one after the other, each for the rows that those before left open;",
    "given several times: --in-turn card --in-turn name"
  ), "KEYS"),
  cli_option("step", "For --in-turn: add a column that tells which one paired the row", "NAME"),
  missing_option,
  cli_option("repeats", paste(
    "Of several partners: all (default), first, last, stop, highest:COLUMN or",
    "lowest:COLUMN; once: each row of either file in one pair at the most"
  ), "WORD"),
  cli_option("expect", paste(
    "What must hold: one-to-one, one-to-many, many-to-one, rows-multiply,",
    "left-complete, right-complete, no-missing-keys, left_matched=0.99,",
    "right_matched=0.99; several with commas"
  ), "WORDS"),
  cli_option("max-rows", "Refuse more pairs than this", "NUMBER"),
  cli_option("sides", "Names of the two sides (default: left,right)", "NAMES"),
  types_option, decimal_option
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
  cli_option("row-order", "Row order: left (default), right or keys", "WORD")
)

pattern_option <- cli_option("name-pattern",
  "Names of renamed columns (default: {column}_{side})", "PATTERN"
)

column_options <- list(
  cli_option("take", paste(
    "Right columns to bring, in this order; new=old renames; .rest brings the",
    "others too; nothing (--take=) brings none"
  ), "COLUMNS"),
  cli_option("omit", "Right columns to do without", "COLUMNS"),
  cli_option("keys", "one (default) column for each key, or both", "WORD"),
  cli_option("collisions", paste(
    "Columns of one name: rename_right (default), rename_left, rename, left,",
    "right, fill, update, agree, stop; or by column: status=left,.other=fill"
  ), "WORDS"),
  pattern_option,
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
)

fold_option <- cli_option("fold", paste(
  "One row for each left row, its partners folded: km=sum(km); nrow(), length, sum, mean,",
  "min, max, any, all (na.rm = TRUE, too), x[1], x[length(x)], length(unique(x)); may be",
  "given several times"
), "NAME=FORM")

quiet_option <- cli_option("quiet", "Nothing on stderr but errors and warnings")

output_options <- list(
  cli_option("out", "The file to write (default: csv on stdout)", "FILE"),
  quiet_option
)
