# ronda keys

cli_keys <- function(files, options) {
  frames <- cli_read_all(files, options)
  if (length(frames) == 2L) {
    if (length(cli_rules(options))) {
      stop_usage("--on and rules go with one file; two files get suggestions.")
    }
    found <- suggest_keys(frames[[1L]], frames[[2L]])
    attr(found, "sides") <- file_labels(files)
    return(lines_to_stdout(format(found)))
  }
  on <- cli_rules(options)
  if (!length(on)) {
    stop_usage("--on is missing: name the columns of the key.")
  }
  on <- plain_keys(on)
  result <- if (isTRUE(options$repeated)) {
    repeated_keys(frames[[1L]], on)
  } else {
    key_account(frames[[1L]], on)
  }
  cli_write(result, NULL)
}

register_command("keys", cli_keys, c("FRAME", "[RIGHT]"),
  "Suggest keys of two files, or check the key of one.",
  least = 1L,
  options = function() {
    c(in_group("Matching", list(
      cli_option("on", "For one file: the columns of its key", "COLUMNS"),
      cli_option("repeated", "For one file: the rows whose key repeats")
    )), rule_options(), reading_options, in_group("Output", list(quiet_option)))
  },
  examples = c(
    "ronda keys sailings.csv vessels.csv",
    "ronda keys tide_readings.csv --on port,read_at",
    "ronda keys tide_readings.csv --on port,read_at --repeated",
    "ronda keys crew_shifts.csv --on vessel --overlap starts..ends"
  )
)
