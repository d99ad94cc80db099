#' The command line
#'
#' What the script `exec/ronda` runs: files in, files out, the receipt on
#' stderr. `ronda --help` lists the commands, `ronda join --help` the options
#' of one.
#'
#' @param args `[character]` The words after the program's name.
#' @return The exit code, invisibly: 0 done, 1 failed (also when stdout can't be
#'   written), 2 wrong usage, 3 an expectation failed, 130 interrupted. Nothing is written
#'   unless all went well, and a file that is read is never replaced without `--overwrite`.
#' @details Output is UTF-8 whatever the locale. `--on`, `--take`,
#'   `--fold`, `--in-turn`, `--if-absent`, `--expect`, `--types`, `--clean` and the rules
#'   may be given several times and add up; any other option given twice is wrong usage.
#'
#'   Put a name with `,`, `=`, `:` or `..` in it in backticks, in every option:
#'   `` --on '`a,b`=code' ``; two backticks inside are one. Options of reading are for all
#'   files, or for one of them: `--delimiter "left=;" --types left.day=date`, where `left` and
#'   `right` may be the file's name without its ending, too (with `ronda many` only that).
#'
#'   A file that is read is never replaced: `--out` with such a file, by whatever path or link,
#'   is wrong usage unless `--overwrite` is given. An interrupt says what was written.
#'
#'   `--where` takes a condition on each pair, in a small language of its own (it is never
#'   run as R code):
#'
#'   ```
#'   condition  = both { "|" both }
#'   both       = part { "&" part }
#'   part       = "!" part | "(" condition ")" | comparison | column
#'   comparison = value ("<" | "<=" | ">" | ">=" | "=" | "!=") value
#'   value      = column | number | text | day | time | "TRUE" | "FALSE"
#'   column     = "left." name | "right." name
#'   ```
#'
#'   Put a name of other signs than letters, digits, `_` and `.` in backticks:
#'   `` left.`max km` ``. Texts go in `"` or `'`, a quote in them doubled; days and times
#'   (in UTC) are `2031-05-01` and `2031-05-01T10:05`. Values of unlike types are wrong
#'   usage; texts are compared by `=` and `!=` only. A comparison with a missing value
#'   does not hold.
#'
#'   `--clean` takes words for what makes no difference in text keys: `trim` (blanks at the
#'   ends), `spaces` (all blanks), `lower` (letter case), `zeros` (leading ones), `signs`
#'   (punctuation and blanks), `accents` and `look_alike` (O and 0, I, L and 1).
#' @section Errors: `ronda_error_argument` when `args` is not texts. What is wrong with a command
#'   is written to stderr, and is its exit code.
#' @seealso `vignette("reports-and-command-line")`.
#' @examples
#' folder <- system.file("extdata", package = "ronda")
#' ronda_cli(c(
#'   "join", file.path(folder, "sailings.csv"),
#'   file.path(folder, "vessels.csv"), "--on", "vessel=code",
#'   "--rows", "anti"
#' ))
#' @export
ronda_cli <- function(args = commandArgs(TRUE)) {
  if (!is.character(args) || anyNA(args)) {
    stop_argument(
      sprintf("`args` must be the words of a command as texts, not %s.", shown(args)),
      "Write, for example: ronda_cli(c(\"keys\", \"sailings.csv\", \"vessels.csv\"))",
      call = quote(ronda_cli())
    )
  }
  report_failure <- function(e, code) {
    to_stderr(paste("ronda:", conditionMessage(e)))
    code
  }
  invisible(in_utf8(in_options(withCallingHandlers(
    tryCatch(run_command(args),
      # What was being worked out when it came may be worked out again, of which R warns.
      interrupt = function(e) suppressWarnings(suspendInterrupts({
        to_stderr(interrupted_words())
        130L
      })),
      cli_reader_gone = function(e) 0L,
      cli_usage = function(e) report_failure(e, 2L),
      ronda_error_argument = function(e) report_failure(e, 2L),
      ronda_error_key = function(e) report_failure(e, 2L),
      ronda_error_expectation = function(e) report_failure(e, 3L),
      error = function(e) report_failure(e, 1L)
    ),
    ronda_warning = function(w) {
      to_stderr(paste("Warning:", conditionMessage(w)))
      invokeRestart("muffleWarning")
    }
  ))))
}

run_command <- function(args) {
  if (!length(args) || args[1L] %in% c("--help", "-h", "help")) {
    lines_to_stdout(general_help())
    return(if (length(args)) 0L else 2L)
  }
  if (args[1L] == "--version") {
    lines_to_stdout(sprintf("ronda %s", utils::packageVersion("ronda")))
    return(0L)
  }
  command <- if (nzchar(args[1L])) commands[[args[1L]]]
  if (is.null(command)) {
    near <- c(closest_name(args[1L], command_order), "ronda --help lists the commands.")
    stop_usage(sprintf("there is no command %s.", shown(args[1L])),
      paste("*", near[nzchar(near)])
    )
  }
  options <- command$options()
  parsed <- parse_options(command, options, args[-1L])
  if (isTRUE(parsed$options$help)) {
    lines_to_stdout(command_help(command, options))
    return(0L)
  }
  check_file_count(command, parsed$files)
  check_not_read(if (command$name != "split") parsed$options$out, parsed$files, parsed$options)
  if (command$attaches) attach_default_packages()
  watch_outputs(command$name, parsed$options$out)
  speech$frame <- parsed$files[1L]
  # A report says how it was made.
  attr(parsed$options, "typed") <- paste(c("ronda", shell_words(args)), collapse = " ")
  run_with_progress(command, parsed)
  0L
}

# What R attaches by default: the script goes without, which saves half of its start. Packages
# that draw, and the code of the demo, count on it.
attach_default_packages <- function() {
  for (package in c("datasets", "utils", "grDevices", "graphics", "stats", "methods")) {
    if (!paste0("package:", package) %in% search()) attachNamespace(package)
  }
}

# What a command found when it began, so that an interrupt can say what became of it
under_way <- list2env(list(command = "", out = NULL, before = NULL), parent = emptyenv())

watch_outputs <- function(command, out) {
  printed$some <- FALSE
  under_way$command <- command
  under_way$out <- setdiff(as.character(out), "-")
  under_way$before <- file.mtime(under_way$out)
}

interrupted_words <- function() {
  work <- if (under_way$command == "join-files") work_folder(under_way$out)
  if (!is.null(work) && dir.exists(work)) {
    return(sprintf("Stopped; what was done is kept in %s: the same command goes on.",
      encodeString(work, quote = "'")
    ))
  }
  now <- file.mtime(under_way$out)
  is_written <- !is.na(now) & (is.na(under_way$before) | now != under_way$before)
  if (any(is_written)) {
    sprintf("Stopped; %s was written before.",
      listed(encodeString(under_way$out[is_written], quote = "'"), "and")
    )
  } else if (printed$some) {
    "Stopped; the output is not whole."
  } else {
    "Stopped; nothing was written."
  }
}

# What is going on is told on stderr: notes always, stages where it is a terminal; but
# for --quiet
run_with_progress <- function(command, given) {
  quiet <- isTRUE(given$options$quiet)
  old <- options(ronda.progress = !quiet && isatty(stderr()))
  if (!is.null(given$options$ledger)) old <- c(old, options(ronda.ledger = given$options$ledger))
  on.exit(options(old))
  withCallingHandlers(command$run(given$files, given$options),
    ronda_message_note = function(m) {
      if (!quiet) to_stderr(sub("\n$", "", conditionMessage(m)))
      invokeRestart("muffleMessage")
    }
  )
}
