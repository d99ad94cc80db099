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
      cli_option("on", "For one file: the columns of its key", "COLUMNS", again = ","),
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

# diagnose ---------------------------------------------------------------------------

# ronda diagnose

cli_diagnose <- function(files, options) {
  has_on <- length(cli_rules(options)) > 0L
  given <- if (has_on) cli_frames(files, options) else {
    frames <- cli_read_all(files, options)
    labels <- file_labels(files)
    list(
      pairing = asked_pairing(frames[[1L]], frames[[2L]], with_usual_choices(list()), labels),
      call = call_with_frames(quote(ronda()), files, labels)
    )
  }
  if (!has_on && !is.null(options$expect)) stop_usage("--expect needs --on or another rule.")
  asked <- given$pairing
  asked$code <- files
  asked["expect"] <- "rows-multiply"
  asked["max_rows"] <- Inf
  lines_to_stdout(format(diagnose_frames(asked, given$on, given$call)))
  if (!is.null(options$expect)) {
    with_memory_errors(match_frames(given$pairing, given$on, FALSE, given$call))
  }
}

register_command("diagnose", cli_diagnose, two_files,
  "Say what is wrong with a join, and the command that works.",
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(quiet_option)))
  },
  examples = c(
    "ronda diagnose sailings.csv vessels.csv",
    "ronda diagnose sailings.csv vessels.csv --on vessel=code",
    "ronda diagnose sailings.csv fare_bands.csv --inside km=from_km..to_km"
  )
)

# near-misses and explain ------------------------------------------------------------

# ronda near-misses

cli_near_misses <- function(files, options) {
  misses <- near_misses(cli_pair(files, options))
  if (is.null(options$out)) {
    return(lines_to_stdout(format(misses)))
  }
  cli_write(as_base_frame(unclass_frame(misses), nrow(misses)), options$out)
  say_written(options$out, options)
}

register_command("near-misses", cli_near_misses, two_files,
  "List unmatched keys beside their likely partner.",
  options = function() {
    c(matching_options(), rule_options(), output_options(
      "A file for all of them, which --corrections takes when somebody has read it"
    ))
  },
  examples = c(
    "ronda near-misses sailings.csv vessels.csv --on vessel=code",
    "ronda near-misses sailings.csv vessels.csv --on vessel=code --out misses.csv"
  )
)

# ronda review

cli_review <- function(files, options) {
  out <- needed_out(options, "html")
  call <- quote(write_review())
  check_page(out, c("htmltools", "jsonlite"), "A review page", options$title, options$note, call)
  pairing <- cli_pair(files, options)
  columns <- if (!is.null(options$show)) split_commas(options$show)
  write_review(pairing, out, columns = columns, title = options$title, note = options$note)
  say_written(out, options)
}

register_command("review", cli_review, two_files,
  "Write a page to decide on near misses, for those without R.",
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(
      cli_option("show", "Columns of either file to show (the first four of each)", "A,B"),
      cli_option("title", "A title in place of the files' names", "TEXT"),
      cli_option("note", "A paragraph below the title", "TEXT")
    )), output_options("The .html file to write (required)"))
  },
  examples = c(
    "ronda review sailings.csv vessels.csv --on vessel=code --out review.html",
    "ronda review sailings.csv vessels.csv --on vessel=code --show name,port --out review.html"
  )
)

# ronda explain

cli_explain <- function(files, options) {
  row <- options[c("left", "right")]
  if (sum(lengths(row)) != 1L) {
    stop_usage("Give one row, --left or --right.",
      "* The first row below the names is row 1: --left 1"
    )
  }
  rows <- list(
    left = cli_number(row$left, "--left"), right = cli_number(row$right, "--right")
  )
  pairing <- cli_pair(files, options)
  lines_to_stdout(format(do.call(explain_row, c(list(pairing), rows))))
}

register_command("explain", cli_explain, two_files,
  "Say why a row has the partners it has, or none.",
  options = function() {
    c(matching_options(), rule_options(), in_group("Rows", list(
      cli_option("left", "The number of a row of the left file, counted below the names",
        "NUMBER"
      ),
      cli_option("right", "The number of a row of the right file", "NUMBER")
    )), in_group("Output", list(quiet_option)))
  },
  examples = c(
    "ronda explain sailings.csv vessels.csv --on vessel=code --left 23",
    paste(
      "ronda explain sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--within \"15 mins\" --left 2"
    )
  )
)

# compare ----------------------------------------------------------------------------

# ronda compare

cli_compare <- function(files, options) {
  if (!is.null(options$expect)) check_choice(options$expect, "same", "--expect", NULL)
  given <- cli_frames(files, options[setdiff(names(options), "expect")])
  # Rows of a repeated key would all be compared with each other.
  if (is.null(options$repeats)) given$pairing["expect"] <- "one-to-one"
  found <- with_memory_errors(match_frames(given$pairing, given$on, FALSE, given$call))
  pairing <- structure(found$pairing, class = "ronda_pairing")
  shared <- compared_or_none(pairing, options, given$call)
  if (!is.null(options$out)) cli_write(all_changes(pairing, shared), options$out)
  lines_to_stdout(c(change_lines(pairing, shared), if (!is.null(shared)) {
    c(difference_table(shared), difference_notes(shared), difference_lines(shared))
  }))
  if (!is.null(options$expect) && !all_same(pairing, shared)) {
    stop_expectation(pairing, sprintf("%s and %s are not the same.", pairing$labels[1L],
      pairing$labels[2L]
    ), left_rows = unmatched(pairing$matches, "left"),
    right_rows = unmatched(pairing$matches, "right"), call = given$call
    )
  }
}

# the differences, NULL where the files have only keys in common
compared_or_none <- function(pairing, options, call) {
  columns <- if (!is.null(options$columns)) split_pairs(options$columns)
  if (is.null(columns) && !length(shared_columns(pairing))) {
    return(NULL)
  }
  tolerance <- if (is.null(options$tolerance)) 0 else cli_distance(options$tolerance)
  with_call_quiet(differences(pairing, columns = columns, tolerance = tolerance))
}

all_same <- function(pairing, shared) {
  all(pairing$sizes == c(pairing$counts$matched_left, pairing$counts$matched_right)) &&
    (is.null(shared) || !changed_pairs(shared)) && !length(columns_of_one(pairing))
}

# the columns that one file has alone
columns_of_one <- function(pairing) {
  named <- lapply(side_names, function(side) rule_columns(pairing$rules, side))
  c(
    setdiff(names(pairing$left), c(names(pairing$right), named[[1L]])),
    setdiff(names(pairing$right), c(names(pairing$left), named[[2L]]))
  )
}

change_lines <- function(pairing, shared) {
  counts <- pairing$counts
  labels <- pairing$labels
  changed <- if (is.null(shared)) 0L else changed_pairs(shared)
  alone <- pairing$sizes - c(counts$matched_left, counts$matched_right)
  of_one <- columns_of_one(pairing)
  c(
    sprintf("%s of %s, %s of %s", counted(pairing$sizes[1L], "row"), labels[1L],
      counted(pairing$sizes[2L], "row"), labels[2L]
    ),
    sprintf("removed: %s (in %s alone)", counted(alone[1L], "row"), labels[1L]),
    sprintf("added: %s (in %s alone)", counted(alone[2L], "row"), labels[2L]),
    sprintf("changed: %s", counted(changed, "row")),
    sprintf("the same: %s", counted(counts$pairs - changed, "row")),
    if (length(of_one)) sprintf("columns of one file alone: %s", listed(of_one, "and"))
  )
}

# One line a change: rows removed and added, and each cell that was changed
all_changes <- function(pairing, shared) {
  keys <- rule_columns(pairing$key_rules, "left")
  cells <- if (!is.null(shared)) as.data.frame(shared)
  one <- function(change, side) {
    rows <- unmatched(pairing$matches, side)
    none <- rep(NA_character_, length(rows))
    own <- rule_columns(pairing$key_rules, side)[seq_along(keys)]
    texts <- lapply(own, function(name) column_texts(pairing[[side]], name, rows))
    numbers <- rep(NA_integer_, length(rows))
    as_base_frame(c(
      list(change = rep(change, length(rows)),
        left_row = if (side == "left") rows else numbers,
        right_row = if (side == "right") rows else numbers
      ),
      stats::setNames(texts, keys), list(column = none, left = none, right = none)
    ), length(rows))
  }
  changed <- if (!is.null(cells)) {
    texts <- lapply(keys, function(name) column_texts(pairing$left, name, cells$left_row))
    as_base_frame(c(
      list(change = rep("changed", nrow(cells))), cells[c("left_row", "right_row")],
      stats::setNames(texts, keys), cells[c("column", "left", "right")]
    ), nrow(cells))
  }
  do.call(rbind, compact(list(one("removed", "left"), one("added", "right"), changed)))
}

register_command("compare", cli_compare, c("OLD", "NEW"),
  "Compare two versions of a file: rows added, removed, changed, and which cells.",
  options = function() {
    c(
      Filter(function(option) option$name != "expect", matching_options()), rule_options(),
      in_group("Comparing", list(
        cli_option("expect", "same: exit code 3 where anything differs", "WORD", "same"),
        cli_option("columns", paste(
          "Columns to compare; old=new where the names differ (default: all that both have)"
        ), "COLUMNS"),
        cli_option("tolerance", "Values no farther apart are equal: 0.01, '10 mins'", "DISTANCE")
      )),
      in_group("Output", list(
        cli_option("out", "A file for all changes, one a line", "FILE", is_file = TRUE),
        overwrite_option, quiet_option
      ))
    )
  },
  examples = c(
    "ronda compare timetable_old.csv timetable_new.csv --on trip",
    "ronda compare timetable_old.csv timetable_new.csv --on trip --out changes.csv"
  )
)

# plot -------------------------------------------------------------------------------

# ronda plot

cli_plot <- function(files, options) {
  out <- needed_out(options, c("png", "pdf", "svg"))
  if (length(files) > 2L) {
    return(cli_plot_many(files, options, out))
  }
  view <- if (is.null(options$view)) "overlap" else options$view
  pairing <- cli_pair(files, options)
  figure <- plot.ronda_pairing(pairing, view)
  save_figure(figure, out)
  say_written(out, options)
}

# which keys several files share
cli_plot_many <- function(files, options, out) {
  check_for_many(options, character())
  frames <- cli_many_frames(files, options)
  figure <- with_call_quiet(plot_many(frames, split_pairs(options$on)))
  save_figure(figure, out)
  say_written(out, options)
}

register_command("plot", cli_plot, c("LEFT", "RIGHT", "[FILE...]"),
  "Draw a pairing; of three or more files, which keys they share.",
  least = 2L, most = Inf, attaches = TRUE,
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(
      cli_option("view",
        listed(sub("^overlap$", "overlap (default)", figure_order), "or"), "WORD", figure_order
      )
    )), output_options("The .png, .pdf or .svg file to write (required)"))
  },
  examples = c(
    "ronda plot sailings.csv vessels.csv --on vessel=code --view join_types --out types.png",
    paste(
      "ronda plot sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--view timeline --out readings.svg"
    ),
    paste(
      "ronda plot sailings.csv tide_readings.csv ports.csv --on port",
      "--out shared.png"
    )
  )
)

# report -----------------------------------------------------------------------------

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
    fold <- if (!is.null(options$fold)) read_folds(options$fold, pairing$right, pairing$rules)
    folded <- if (!is.null(fold) && shows_rows) folded_for_report(pairing, fold, call)
    content <- report_of(pairing, shows_rows, fold, folded, command, call)
  }
  write_page(content, out, options$title, options$note, call)
  say_written(out, options)
}

report_options <- in_group("Output", list(
  cli_option("title", "A title in place of the frames' names", "TEXT"),
  cli_option("note", "A paragraph below the title", "TEXT"),
  cli_option("no-rows", "Show no cell of the data, as for personal data")
))

register_command("report", cli_report, c("LEFT", "RIGHT", "[FILE...]"),
  "Write the account, figures and samples as one web page.",
  least = 2L, most = Inf, attaches = TRUE,
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
