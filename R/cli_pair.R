# ronda pair

cli_account <- function(files, options) {
  pairing <- cli_pair(files, options)
  if (isTRUE(options$json)) {
    lines_to_stdout(receipt_json(receipt(pairing)))
  } else {
    lines_to_stdout(format(pairing))
  }
  if (isTRUE(options[["near-misses"]])) {
    lines_to_stdout(c("", format(near_misses(pairing))))
  }
}

register_command("pair", cli_account, two_files,
  "Tell what pairs, and the rows each join type would give.",
  options = function() {
    c(matching_options, rule_options(), list(
      cli_option("json", "The receipt as JSON"),
      cli_option("near-misses", "Unmatched keys beside their likely partner")
    ))
  },
  examples = c(
    "ronda pair sailings.csv vessels.csv --on vessel=code",
    "ronda pair sailings.csv vessels.csv --on vessel=code --near-misses",
    "ronda pair sailings.csv vessels.csv --on vessel=code --json"
  )
)
