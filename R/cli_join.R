# ronda join

cli_join <- function(files, options) {
  pairing <- cli_pair(files, options)
  frame <- with_call_quiet(
    do.call(build_frame, c(list(pairing), column_arguments(options)))
  )
  cli_write(frame, options$out)
  cli_receipt(options)
}

cli_receipt <- function(options) {
  if (!isTRUE(options$quiet)) {
    to_stderr(c(receipt_line(last_receipt()), last_receipt()$notes))
  }
}

register_command("join", cli_join, two_files, "Join two files.",
  options = function() {
    c(matching_options, rule_options(), row_options(), column_options,
      output_options
    )
  },
  examples = c(
    "ronda join sailings.csv vessels.csv --on vessel=code --out joined.csv",
    "ronda join sailings.csv vessels.csv --on vessel=code --rows anti",
    paste(
      "ronda join sailings.csv vessels.csv --on vessel=code --rows full",
      "--take ship=name,status --origin origin"
    ),
    paste(
      "ronda join sailings.csv tide_readings.csv --on port",
      "--nearest departs=read_at --within \"15 mins\" --gap age"
    ),
    paste(
      "ronda join sailings.csv fare_bands.csv",
      "--inside km=from_km..to_km --open-ended"
    )
  )
)
