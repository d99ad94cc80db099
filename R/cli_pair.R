# ronda pair

cli_account <- function(files, options) {
  wants_misses <- isTRUE(options[["near-misses"]])
  if (!is.null(options$out) && !wants_misses) {
    stop_usage("--out goes with --near-misses.")
  }
  pairing <- cli_pair(files, options)
  if (isTRUE(options$json)) {
    lines_to_stdout(receipt_json(receipt(pairing)))
  } else {
    lines_to_stdout(format(pairing))
  }
  if (!wants_misses) {
    return()
  }
  misses <- near_misses(pairing)
  if (is.null(options$out)) {
    return(lines_to_stdout(c("", format(misses))))
  }
  cli_write(as_base_frame(unclass_frame(misses), nrow(misses)), options$out)
  say_written(options$out, options)
}

register_command("pair", cli_account, two_files,
  "Tell what pairs, and the rows each join type would give.",
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(
      cli_option("json", "The receipt as JSON"),
      cli_option("near-misses", "Unmatched keys beside their likely partner"),
      cli_option("out", "With --near-misses: a file for them, as --corrections takes it", "FILE",
        is_file = TRUE
      ),
      quiet_option
    )))
  },
  examples = c(
    "ronda pair sailings.csv vessels.csv --on vessel=code",
    "ronda pair sailings.csv vessels.csv --on vessel=code --near-misses",
    "ronda pair sailings.csv vessels.csv --on vessel=code --json"
  )
)
