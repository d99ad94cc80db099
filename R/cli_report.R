# ronda report

cli_report <- function(files, options) {
  out <- needed_out(options, "html")
  pairing <- cli_pair(files, options)
  fold <- if (!is.null(options$fold)) read_folds(options$fold, pairing$right)
  write_report(pairing, out, fold)
  say_written(out, options)
}

register_command("report", cli_report, two_files,
  "Write the account, figures and samples as one web page.",
  options = function() {
    c(matching_options(), rule_options(), fold_options,
      output_options("The .html file to write (required)")
    )
  },
  examples = c(
    "ronda report sailings.csv vessels.csv --on vessel=code --out report.html",
    paste(
      "ronda report sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--within \"15 mins\" --out readings.html"
    )
  )
)
