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

# Folds ------------------------------------------------------------------------------

# Folds as they are written on the command line: "km=sum(km)".

# The formulas of all that were given, by name
read_folds <- function(texts, right) {
  folds <- lapply(texts, read_fold, right = right)
  stats::setNames(lapply(folds, `[[`, "formula"), vapply(folds, `[[`, "", "name"))
}

read_fold <- function(text, right) {
  pair <- regmatches(text, regexec("^([^=]+)=(.+)$", text))[[1L]]
  code <- if (length(pair) == 3L) {
    tryCatch(parse(text = pair[3L], keep.source = FALSE), error = function(e) NULL)
  }
  code <- if (length(code) == 1L) with_right_columns(code[[1L]], names(right))
  if (is.null(code) || is.null(form_of(code))) {
    stop_usage(
      sprintf("--fold can't take %s.", shown(text)),
      paste("* Write NAME=FORM, such as km=sum(km), with one of:", paste(fold_words,
        collapse = ", "
      )),
      sprintf("* Columns of the right file: %s", paste(names(right), collapse = ", "))
    )
  }
  list(name = trimws(pair[2L]), formula = eval(call("~", code), baseenv()))
}

fold_words <- c(
  "nrow()", "length(x)", "sum(x)", "mean(x)", "min(x)", "max(x)", "any(x)", "all(x)",
  "x[1]", "x[length(x)]", "length(unique(x))"
)

# the names of columns as right$name, and nrow() as that of the partners
with_right_columns <- function(code, columns) {
  if (is.name(code)) {
    return(if (as.character(code) %in% columns) call("$", quote(right), code) else code)
  }
  if (identical(code, quote(nrow()))) {
    return(quote(nrow(right)))
  }
  if (is.call(code)) code[-1L] <- lapply(as.list(code)[-1L], with_right_columns, columns)
  code
}

# join -------------------------------------------------------------------------------

# ronda join

cli_join <- function(files, options) {
  given <- cli_frames(files, options)
  columns <- column_arguments(options)
  if (!is.null(options$fold)) columns$fold <- read_folds(options$fold, given$pairing$right)
  rows <- if (is.null(columns$rows)) "left" else columns$rows
  frame <- with_call_quiet(with_memory_errors({
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

# split ------------------------------------------------------------------------------

# ronda split

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

register_command("split", cli_split, two_files,
  "Write matched rows and those of each side alone to three files.",
  options = function() {
    c(matching_options(), rule_options(), column_options(), in_group("Output", list(
      cli_option("out", "The folder to write to (default: this one)", "FOLDER", is_file = TRUE),
      cli_option("format", "csv (default), tsv, rds, parquet or jsonl", "WORD",
        unique(file_formats)
      ),
      quiet_option
    )))
  },
  examples = c(
    "ronda split sailings.csv vessels.csv --on vessel=code --out parts",
    paste(
      "ronda split sailings.csv vessels.csv --on vessel=code --sides trips,ships",
      "--format tsv --out parts"
    )
  )
)

# many -------------------------------------------------------------------------------

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
        cli_option("on", "Key columns that all files have", "KEYS", again = ","), missing_option
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

# join-files -------------------------------------------------------------------------

# ronda join-files

cli_join_files <- function(files, options) {
  if (is.null(options$out)) {
    stop_usage("--out is missing: name the folder to write.", "* Write, for example: --out joined")
  }
  arguments <- matching_arguments(options)
  types <- as_types(options$types)
  asked <- asked_of_options(options)
  sides <- lapply(files, function(file) {
    read_as <- function(types) {
      with_call_quiet(frame_files(file, types, asked$decimal, asked$missing))
    }
    found <- read_as(NULL)
    own <- types[names(types) %in% found$columns$name]
    if (length(own) && found$kind != "parquet") read_as(own) else found
  })
  check_types_used(types, lapply(sides, function(side) side$columns$name))
  labels <- file_labels(files)
  likes <- if (!is.null(options$where) || !is.null(options$fold)) {
    lapply(sides, first_rows)
  }
  if (!is.null(options$where)) {
    arguments$where <- read_where(options$where, likes[[1L]], likes[[2L]])
  }
  columns <- column_arguments(options)
  if (!is.null(options$fold)) columns$fold <- read_folds(options$fold, likes[[2L]])
  if (!is.null(options$sides)) arguments$sides <- split_commas(options$sides)
  with_workers(options$workers, {
    joined <- with_call_quiet(do.call(join_files, c(
      lapply(labels, as.name), arguments, columns, work_arguments(options)
    ), envir = list2env(stats::setNames(sides, labels), parent = globalenv())))
  })
  if (!isTRUE(options$quiet)) {
    to_stderr(c(receipt_line(joined$receipt), joined$receipt$notes))
    to_stderr(sprintf("%s: %s, %s", options$out, counted(nrow(joined$files$files), "file"),
      byte_words(sum(joined$files$files$bytes))
    ))
  }
}

work_arguments <- function(options) {
  compact(list(
    out = options$out, way = options$way, memory = options$memory,
    parts = cli_number(options$parts, "--parts"), tries = cli_number(options$tries, "--tries"),
    resume = !isTRUE(options[["no-resume"]])
  ))
}

# With so many processes on this machine
with_workers <- function(workers, code) {
  workers <- cli_number(workers, "--workers")
  if (!is.null(workers)) {
    check_how_many(workers, "--workers", NULL)
    need_packages("future", "join-files", class = "file", least = least_future)
    before <- future::plan("multisession", workers = workers)
    on.exit(future::plan(before))
  }
  force(code)
}

register_command("join-files", cli_join_files, two_files,
  "Join files that are larger than memory, in parts.",
  options = function() {
    c(
      matching_options(), rule_options(),
      in_group("Rows", list(
        row_options()[[1L]],
        cli_option("row-order", "left or right: all rows in that order (default: part by part)",
          "WORD", c("left", "right")
        )
      )),
      column_options(), fold_options,
      in_group("Work", list(
        cli_option("workers", "Processes on this machine (default: this one)", "NUMBER"),
        cli_option("memory", "What one process may take (default: \"2 GB\")", "SIZE"),
        cli_option("way", "auto (default), parts, right_whole or ranges", "WORD", join_ways),
        cli_option("parts", "How many parts (default: as many as memory asks for)", "NUMBER"),
        cli_option("tries", "How often a task is tried whose process is lost (default: 2)",
          "NUMBER"
        ),
        cli_option("no-resume", "Begin anew, whatever an earlier run has done")
      )),
      in_group("Output", list(
        cli_option("out", "The folder to write; it must not be there yet", "FOLDER",
          is_file = TRUE
        ),
        quiet_option
      ))
    )
  },
  examples = c(
    "ronda join-files sailings.csv vessels.csv --on vessel=code --out joined --workers 2",
    paste(
      "ronda join-files sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--within \"15 mins\" --out with_tide --memory \"1 GB\""
    )
  )
)
