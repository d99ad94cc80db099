# What the command line says when it is used wrongly, and messages in its own words.

stop_usage <- function(...) {
  stop(structure(
    class = c("cli_usage", "error", "condition"),
    list(message = paste(c(...), collapse = "\n"), call = NULL)
  ))
}

report_failure <- function(e, code) {
  to_stderr(paste("ronda:", as_cli_words(conditionMessage(e))))
  code
}

# Messages name R arguments; on the command line they are options.
as_cli_words <- function(text) {
  for (name in names(cli_names)) {
    text <- gsub(sprintf("`%s`", name), cli_names[[name]], text, fixed = TRUE)
  }
  text <- gsub("Write: on = .*", "Write: --on left_column=right_column", text)
  text <- with_type_options(text)
  text <- gsub(paste(
    "near_misses() of the pairing shows likely partners,",
    "explain_row() why not."
  ),
    "ronda pair ... --near-misses shows likely partners.", text,
    fixed = TRUE
  )
  gsub("write max_rows = ", "write --max-rows ", text, fixed = TRUE)
}

# A conversion that R would write is a type to read the file with, where there is one
with_type_options <- function(text) {
  line <- paste0(
    "Write: (?:`(?:[^`\\\\]|\\\\.)*`|[^$\n]+)[$]", # the frame
    "(`?)((?:[^`\\\\\n]|\\\\.)*?)\\1 <- ([^\n]*)" # the column, and the code
  )
  found <- regmatches(text, regexec(line, text, perl = TRUE))[[1L]]
  if (!length(found)) {
    return(text)
  }
  code <- found[4L]
  type <- if (grepl("^ifelse[(]is[.]na|^(bit64::)?as[.]character", code)) {
    "text"
  } else if (startsWith(code, "as.numeric(")) {
    "number"
  } else if (startsWith(code, "bit64::as.integer64(")) {
    "integer"
  }
  advice <- if (is.null(type)) sub("^Write: ", "In R: ", found[1L]) else {
    words <- paste0(gsub("\\\\(.)", "\\1", found[3L]), "=", type)
    paste("Write: --types", if (nzchar(found[2L])) shQuote(words) else words)
  }
  sub(found[1L], advice, text, fixed = TRUE)
}

cli_names <- c(
  missing_keys = "--missing-keys", row_order = "--row-order",
  name_pattern = "--name-pattern", max_rows = "--max-rows", on = "--on",
  rows = "--rows", take = "--take", omit = "--omit", keys = "--keys",
  collisions = "--collisions", sides = "--sides", origin = "--origin",
  partners = "--partners", row_numbers = "--row-numbers",
  if_absent = "--if-absent", fold = "--fold", expect = "--expect", repeats = "--repeats",
  types = "--types", decimal = "--decimal", step = "--step", columns = "--columns",
  tolerance = "--tolerance", look = "--look",
  within = "--within", ties = "--ties", gap = "--gap", before = "--before",
  after = "--after", ends = "--ends"
)

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
