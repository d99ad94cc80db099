# ronda join

cli_join <- function(files, options) {
  given <- cli_frames(files, options)
  columns <- column_arguments(options)
  if (!is.null(options$fold)) columns$fold <- read_folds(options$fold, given$pairing$right)
  rows <- if (is.null(columns$rows)) "left" else columns$rows
  frame <- with_call_quiet(with_memory_told({
    check_choice(rows, names(row_types), "rows", given$call)
    choices <- default_choices
    choices[setdiff(names(columns), "rows")] <- columns[setdiff(names(columns), "rows")]
    joined_frame(given$pairing, given$on, FALSE, given$call, rows, choices)
  }))
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
    c(matching_options(), rule_options(), row_options(), column_options(), fold_options,
      output_options()
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
      "ronda join vessels.csv sailings.csv --on code=vessel",
      "--fold \"trips=nrow()\" --fold \"km=sum(km)\""
    ),
    paste(
      "ronda join sailings.csv fare_bands.csv",
      "--inside km=from_km..to_km --open-ended"
    )
  )
)
