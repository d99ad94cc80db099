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
  convert <- "Write: (left|right)[$](`?)(.*?)\\2 <- as[.]character\\([^\n]*"
  if (grepl(convert, text, perl = TRUE)) {
    found <- regmatches(text, regexec(convert, text, perl = TRUE))[[1L]]
    text <- sub(convert, "Write: --types %s", text, perl = TRUE)
    text <- sub("%s", paste0(found[4L], "=text"), text, fixed = TRUE)
    if (nzchar(found[3L])) {
      # (a name that R would quote is quoted for the shell, too)
      words <- paste0(gsub("\\\\(.)", "\\1", found[4L]), "=text")
      text <- sub(paste0(found[4L], "=text"), shQuote(words), text, fixed = TRUE)
    }
  }
  text <- gsub(paste(
    "near_misses() of the pairing shows likely partners,",
    "explain_row() why not."
  ),
    "ronda pair ... --near-misses shows likely partners.", text,
    fixed = TRUE
  )
  gsub("write max_rows = ", "write --max-rows ", text, fixed = TRUE)
}

cli_names <- c(
  missing_keys = "--missing-keys", row_order = "--order",
  name_pattern = "--pattern", max_rows = "--max-rows", on = "--on",
  rows = "--rows", take = "--take", omit = "--omit", keys = "--keys",
  collisions = "--collisions", sides = "--sides", origin = "--origin",
  partners = "--partners", row_numbers = "--row-numbers",
  if_absent = "--if-absent", expect = "--expect", repeats = "--repeats", types = "--types", look = "--look",
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
