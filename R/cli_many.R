# ronda many

cli_many <- function(files, options) {
  frames <- cli_many_frames(files, options)
  columns <- column_arguments(options)
  columns <- columns[setdiff(names(columns), c("row_order", "keys", "take"))]
  result <- with_call_quiet(do.call(join_many, c(
    list(frames, on = split_pairs(options$on)), columns,
    compact(list(missing_keys = options[["missing-keys"]]))
  )))
  cli_write(result, options$out)
  if (!isTRUE(options$quiet)) to_stderr(many_line(last_receipt()))
}

# several files, each under its own name
cli_many_frames <- function(files, options) {
  if (is.null(options$on)) {
    stop_usage("--on is missing: say which columns must be equal.")
  }
  frames <- cli_read_all(files, options)
  labels <- file_labels(files)
  if (length(labels) != length(files) || anyDuplicated(labels)) {
    stop_usage("Give the files different names.")
  }
  structure(frames, names = labels)
}

# options that speak of two files alone
check_for_many <- function(options, takes) {
  given <- setdiff(names(Filter(function(x) !isFALSE(x), compact(options))),
    c("on", "types", "decimal", "missing", "out", "quiet", "help", takes)
  )
  if (length(given)) {
    stop_usage(sprintf("--%s speaks of two files, and can't be used with more.", given[1L]))
  }
}

register_command("many", cli_many, c("FILE", "FILE", "..."),
  "Join several files on keys that all have.",
  least = 2L, most = Inf,
  options = function() {
    c(
      in_group("Matching", list(
        cli_option("on", "Key columns that all files have", "KEYS"), missing_option
      )),
      in_group("Rows", list(
        word_option("rows", "Which rows stay", argument_words$many_rows)
      )),
      in_group("Columns", list(
        collisions_option(many_collisions, "rename"),
        pattern_option("{frame}.{column}"),
        cli_option("origin", "Add a column with the files that hold a row", "NAME")
      )),
      reading_options, output_options()
    )
  },
  examples = c(
    paste(
      "ronda many tide_readings.csv wind_readings.csv --on port,read_at",
      "--origin held_by --out readings.csv"
    ),
    "ronda many tide_readings.csv wind_readings.csv --on port,read_at --rows inner"
  )
)
