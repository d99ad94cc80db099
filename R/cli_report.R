# ronda report

cli_report <- function(files, options) {
  out <- needed_out(options, "html")
  call <- quote(write_report())
  shows_rows <- !isTRUE(options[["no-rows"]])
  check_report(out, shows_rows, options$title, options$note, call)
  command <- attr(options, "typed")
  if (length(files) > 2L) {
    check_for_many(options, c("title", "note", "no-rows"))
    frames <- cli_many_frames(files, options)
    content <- with_call_quiet(many_report_of(frames, split_pairs(options$on), shows_rows,
      command, quote(write_many_report())
    ))
  } else {
    pairing <- cli_pair(files, options)
    fold <- if (!is.null(options$fold)) read_folds(options$fold, pairing$right)
    folded <- if (!is.null(fold) && shows_rows) folded_for_report(pairing, fold, call)
    content <- report_of(pairing, shows_rows, fold, folded, command, call)
  }
  write_page(content, out, options$title, options$note, call)
  say_written(out, options)
}

report_options <- in_group("Output", list(
  cli_option("title", "A title in place of the finding", "TEXT"),
  cli_option("note", "A paragraph below the title", "TEXT"),
  cli_option("no-rows", "Show no cell of the data, as for personal data")
))

register_command("report", cli_report, c("LEFT", "RIGHT", "[FILE...]"),
  "Write the account, figures and samples as one web page.",
  least = 2L, most = Inf,
  options = function() {
    c(matching_options(), rule_options(), fold_options, report_options,
      output_options("The .html file to write (required)")
    )
  },
  examples = c(
    "ronda report sailings.csv vessels.csv --on vessel=code --out report.html",
    paste(
      "ronda report sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--within \"15 mins\" --out readings.html"
    ),
    paste(
      "ronda report sailings.csv tide_readings.csv ports.csv --on port --no-rows",
      "--out ports.html"
    )
  )
)
