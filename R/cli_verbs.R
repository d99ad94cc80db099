# What the commands do, once their options are read.

cli_join <- function(files, options) {
  pairing <- cli_pair(files, options)
  frame <- with_call_quiet(
    do.call(build_frame, c(list(pairing), column_arguments(options)))
  )
  cli_write(frame, options$out)
  cli_receipt(options)
}

cli_split <- function(files, options) {
  format <- options$format
  if (is.null(format)) format <- "csv"
  check_choice(format, unique(file_formats), "--format", NULL)
  folder <- if (is.null(options$out)) "." else options$out
  arguments <- column_arguments(options)
  pairing <- cli_pair(files, options)
  parts <- with_call_quiet(do.call(split_frames, c(list(pairing), arguments)))
  make_folder(folder)
  names(parts) <- file.path(folder, paste0(names(parts), ".", format))
  write_frames(parts, NULL)
  if (!isTRUE(options$quiet)) {
    to_stderr(sprintf("%s: %s", names(parts),
      vapply(parts, function(part) counted(nrow(part), "row"), "")
    ))
  }
}

cli_pair <- function(files, options) {
  arguments <- matching_arguments(options)
  frames <- cli_read_all(files, options)
  labels <- file_labels(files)
  sides <- if (is.null(options$sides)) {
    c("left", "right")
  } else {
    split_commas(options$sides)
  }
  on <- arguments$on
  arguments$on <- NULL
  pairing <- with_memory_told(pair_up(frames[[1L]], frames[[2L]], on,
    c(arguments, list(sides = sides)),
    if (is.null(options$sides)) labels else sides, NULL
  ))
  structure(pairing, class = "ronda_pairing")
}

cli_receipt <- function(options) {
  if (!isTRUE(options$quiet)) {
    to_stderr(c(receipt_line(last_receipt()), last_receipt()$notes))
  }
}

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

cli_keys <- function(files, options) {
  frames <- cli_read_all(files, options)
  if (length(frames) == 2L) {
    if (!is.null(options$on)) {
      stop_usage("--on goes with one file; two files get suggestions.")
    }
    found <- suggest_keys(frames[[1L]], frames[[2L]])
    attr(found, "sides") <- file_labels(files)
    return(lines_to_stdout(format(found)))
  }
  if (is.null(options$on)) {
    stop_usage("--on is missing: name the columns of the key.")
  }
  on <- split_commas(options$on)
  result <- if (isTRUE(options$repeated)) {
    repeated_keys(frames[[1L]], on)
  } else {
    key_account(frames[[1L]], on)
  }
  cli_write(result, NULL)
}

cli_many <- function(files, options) {
  if (is.null(options$on)) {
    stop_usage("--on is missing: say which columns must be equal.")
  }
  frames <- cli_read_all(files, options)
  labels <- file_labels(files)
  if (length(labels) != length(files) || anyDuplicated(labels)) {
    stop_usage("The files need names of their own.")
  }
  names(frames) <- labels
  columns <- column_arguments(options)
  columns <- columns[setdiff(names(columns), c("row_order", "keys", "take"))]
  result <- with_call_quiet(do.call(join_many, c(
    list(frames, on = split_pairs(options$on)), columns,
    compact(list(missing_keys = options[["missing-keys"]]))
  )))
  cli_write(result, options$out)
  if (!isTRUE(options$quiet)) to_stderr(many_line(last_receipt()))
}

cli_plot <- function(files, options) {
  out <- needed_out(options, c("png", "pdf", "svg"))
  view <- if (is.null(options$view)) "overlap" else options$view
  pairing <- cli_pair(files, options)
  figure <- plot.ronda_pairing(pairing, view)
  save_figure(figure, out)
}

cli_report <- function(files, options) {
  out <- needed_out(options, "html")
  write_report(cli_pair(files, options), out)
}

# The example on the demo data: each step is shown as an analyst would write
# it, with what comes back; results go to files.
cli_demo <- function(files, options) {
  folder <- if (is.null(options$out)) "demo-output" else options$out
  make_folder(folder)
  old <- options(width = 78, digits = 4, ronda.receipt = FALSE)
  on.exit(options(old))
  run_demo(folder)
}
