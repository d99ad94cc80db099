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
