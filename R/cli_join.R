# ronda pair

cli_account <- function(files, options) {
  pairing <- cli_pair(files, options)
  lines_to_stdout(if (isTRUE(options$json)) receipt_json(receipt(pairing)) else format(pairing))
}

register_command("pair", cli_account, two_files,
  "Tell what pairs, and the rows each join type would give.",
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(
      cli_option("json", "The receipt as JSON"), quiet_option
    )))
  },
  examples = c(
    "ronda pair sailings.csv vessels.csv --on vessel=code",
    "ronda pair sailings.csv vessels.csv --on vessel=code --json"
  )
)

# Folds ------------------------------------------------------------------------------

# Folds as they are written on the command line: "km=sum(km)".

# The formulas of all that were given, by name; `on`: rules, which may add columns
read_folds <- function(texts, right, on) {
  rules <- Filter(function(rule) inherits(rule, "ronda_rule_record"), on)
  columns <- c(names(right), plan_names(columns_added(rules, "shared")))
  folds <- lapply(texts, read_fold, columns = columns)
  stats::setNames(lapply(folds, `[[`, "formula"), vapply(folds, `[[`, "", "name"))
}

read_fold <- function(text, columns) {
  name <- regmatches(text, regexpr("^(?:`(?:[^`]|``)*`|[^=`])+(?==)", text, perl = TRUE))
  code <- if (length(name)) {
    tryCatch(parse(text = substring(text, nchar(name) + 2L), keep.source = FALSE),
      error = function(e) NULL
    )
  }
  code <- if (length(code) == 1L) with_right_columns(code[[1L]], columns)
  if (is.null(code) || is.null(form_of(code))) {
    stop_usage(
      sprintf("--fold can't take %s.", shown(text)),
      paste("* Write NAME=FORM, such as km=sum(km), with one of:", paste(fold_words,
        collapse = ", "
      )),
      sprintf("* Columns of the right file: %s", paste(columns, collapse = ", "))
    )
  }
  list(name = plain_name(trimws(name)), formula = eval(call("~", code), baseenv()))
}

fold_words <- c(
  "nrow()", "length(x)", "sum(x)", "mean(x)", "min(x)", "max(x)", "any(x)", "all(x)",
  "x[1]", "x[length(x)]", "length(unique(x))", "interpolated(x)"
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
  if (!is.null(options$fold)) {
    columns$fold <- read_folds(options$fold, given$pairing$right, given$on)
  }
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
  check_not_read(names(parts), files, options)
  watch_outputs("split", names(parts))
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
      overwrite_option, quiet_option
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
    list(frames, on = keys_by_file(options, names(frames))), columns,
    compact(list(
      missing_keys = options[["missing-keys"]], repeats = as_repeats(options$repeats),
      expect = expected_by_file(options$expect, names(frames)),
      max_rows = cli_number(options[["max-rows"]], "--max-rows")
    ))
  )))
  cli_write(result, options$out)
  if (!isTRUE(options$quiet)) to_stderr(c(many_line(last_receipt()), last_receipt()$notes))
}

# The parts of "vessels:vessel=code,ports:port": what each says, and the file that it names
# ("" for none)
parts_by_file <- function(text, labels, option) {
  parts <- strsplit(masked(text), ",", fixed = TRUE)[[1L]]
  file <- unmasked(ifelse(grepl("^[^:=]+:", parts), sub(":.*", "", parts), ""))
  is_file <- file %in% labels
  unknown <- file[nzchar(file) & !is_file]
  if (length(unknown)) {
    stop_usage(sprintf("%s names a file `%s`, which is not there.", option, unknown[1L]),
      sprintf("* The files after the first are %s.", ticked(labels[-1L]))
    )
  }
  list(
    file = ifelse(is_file, file, ""),
    text = ifelse(is_file, sub("^[^:]*:", "", parts), parts)
  )
}

# Keys of all files, or of each by its name
keys_by_file <- function(options, labels) {
  parts <- parts_by_file(options$on, labels, "--on")
  if (!any(nzchar(parts$file))) {
    return(plain_keys(with_cleaning(named_parts(parts$text), options)))
  }
  open <- setdiff(labels[-1L], parts$file)
  if (!all(nzchar(parts$file)) || length(open) || labels[1L] %in% parts$file) {
    stop_usage("--on by file names each file but the first.",
      sprintf("* Write, for example: --on %s", paste0(labels[-1L], ":port", collapse = ","))
    )
  }
  all_keys <- named_parts(parts$text)
  lapply(split(parts$text, factor(parts$file, labels[-1L])), function(texts) {
    plain_keys(with_cleaning(named_parts(texts), options, c(names(all_keys), all_keys)))
  })
}

# What must hold for all files, or for each by its name
expected_by_file <- function(text, labels) {
  if (is.null(text)) {
    return(NULL)
  }
  parts <- parts_by_file(text, labels, "--expect")
  if (!any(nzchar(parts$file))) {
    return(read_expect(text))
  }
  general <- parts$text[!nzchar(parts$file)]
  named <- split(parts$text, factor(parts$file, labels))
  named <- named[lengths(named) > 0L | names(named) != labels[1L]]
  Filter(length, lapply(named, function(texts) {
    if (length(c(texts, general))) read_expect(paste(c(texts, general), collapse = ","))
  }))
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
  reading <- vapply(reading_options, `[[`, "", "name")
  given <- setdiff(names(Filter(function(x) !isFALSE(x), compact(options))),
    c("on", reading, "out", "overwrite", "quiet", "help", takes)
  )
  if (length(given)) {
    stop_usage(sprintf("--%s speaks of two files, and can't be used with more.", given[1L]))
  }
}

register_command("many", cli_many, c("FILE", "FILE", "..."),
  "Join several files on keys that all have, or each on its own.",
  least = 2L, most = Inf,
  options = function() {
    shared <- c("clean", "corrections", "repeats", "expect", "max-rows", "ledger")
    own <- list(
      cli_option("on", paste(
        "Key columns that all files have; or for each file but the first, how it pairs with",
        "those before it: vessels:vessel=code,ports:port"
      ), "KEYS", again = ","),
      missing_option
    )
    c(
      in_group("Matching", own),
      Filter(function(option) option$name %in% shared, matching_options()),
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
    paste(
      "ronda many sailings.csv vessels.csv ports.csv --on vessels:vessel=code,ports:port",
      "--rows left --clean vessel=lower --expect ports:many-to-one"
    )
  )
)

# join-files -------------------------------------------------------------------------

# ronda join-files

cli_join_files <- function(files, options) {
  if (is.null(options$out)) {
    stop_usage("--out is missing: name the folder to write.", "* Write, for example: --out joined")
  }
  target <- sub("/+$", "", options$out)
  replaces <- isTRUE(options$overwrite) && file.exists(target)
  # What is there stays until the join is whole.
  if (replaces) options$out <- paste0(target, ".new")
  watch_outputs("join-files", options$out)
  arguments <- matching_arguments(options)
  check_one_stdin(files)
  names_of_sides <- sides_of_files(files)
  types <- read_types(options$types, unlist(names_of_sides))
  sides <- Map(function(file, asked) {
    with_call_quiet(files_for_join(file, asked))
  }, files, asked_of_files(options, names_of_sides, types))
  check_types_used(types, lapply(sides, function(side) side$columns$name), names_of_sides)
  labels <- file_labels(files)
  likes <- if (!is.null(options$where) || !is.null(options$fold)) {
    lapply(sides, first_rows)
  }
  if (!is.null(options$where)) {
    arguments$where <- read_where(options$where, likes[[1L]], likes[[2L]])
  }
  columns <- column_arguments(options)
  if (!is.null(options$fold)) columns$fold <- read_folds(options$fold, likes[[2L]], arguments$on)
  if (!is.null(options$sides)) arguments$sides <- split_commas(options$sides)
  with_workers(options$workers, {
    joined <- with_call_quiet(do.call(join_files, c(
      lapply(labels, as.name), arguments, columns, work_arguments(options)
    ), envir = list2env(stats::setNames(unname(sides), labels), parent = globalenv())))
  })
  if (isTRUE(options$plan)) {
    return(lines_to_stdout(format(joined)))
  }
  if (replaces) replace_folder(options$out, target, NULL)
  if (!isTRUE(options$quiet)) {
    to_stderr(c(receipt_line(joined$receipt), joined$receipt$notes))
    to_stderr(sprintf("%s: %s, %s", target, counted(nrow(joined$files$files), "file"),
      byte_words(sum(joined$files$files$bytes))
    ))
  }
}

# frame_files() of one side, with those of the types that its columns have
files_for_join <- function(file, asked) {
  types <- asked$types
  asked["types"] <- list(NULL)
  found <- files_as_asked(file, asked, quote(frame_files()))
  own <- types[names(types) %in% found$columns$name]
  if (!length(own) || found$kind == "parquet") {
    return(found)
  }
  asked$types <- own
  suppressMessages(files_as_asked(file, asked, quote(frame_files())),
    classes = "ronda_message_note"
  )
}

work_arguments <- function(options) {
  compact(list(
    out = options$out, by = if (!is.null(options$by)) split_commas(options$by),
    compression = options$compression, append = isTRUE(options$append),
    way = options$way, memory = options$memory,
    parts = cli_number(options$parts, "--parts"), tries = cli_number(options$tries, "--tries"),
    resume = !isTRUE(options[["no-resume"]]), run = !isTRUE(options$plan)
  ))
}

most_workers <- 1000

# With so many processes on this machine
with_workers <- function(workers, code) {
  workers <- cli_number(workers, "--workers")
  if (!is.null(workers)) {
    check_how_many(workers, "workers", NULL, most_workers)
    need_packages("future", "join-files", class = "file", least = least_future)
    before <- future::plan()
    on.exit(future::plan(before))
    future::plan("multisession", workers = workers)
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
        cli_option("no-resume", "Begin anew, whatever an earlier run has done"),
        cli_option("plan", "Say how it would be done and what it takes, and stop")
      )),
      in_group("Output", list(
        cli_option("out", "The folder to write; it must not be there yet", "FOLDER",
          is_file = TRUE
        ),
        cli_option("overwrite", "Replace what is at --out, once the join is whole"),
        cli_option("append", "Add the rows to what the same command made of other left files"),
        cli_option("by", "Put the files into folders by the values of these columns", "COLUMNS"),
        cli_option("compression", "snappy (default), zstd, gzip or uncompressed", "WORD",
          compressions
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
