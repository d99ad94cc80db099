#' The command line
#'
#' What the script `exec/ronda` runs: files in, files out, the receipt on
#' stderr. `ronda --help` lists the commands, `ronda join --help` the options
#' of one.
#'
#' @param args `[character]` The words after the program's name.
#' @return The exit code, invisibly: 0 done, 1 failed (also when stdout can't be
#'   written), 2 wrong usage, 3 an expectation failed. Nothing is written unless all
#'   went well.
#' @details Files and output are UTF-8 whatever the locale. `--on`, `--take`,
#'   `--if-absent`, `--expect`, `--types` and the rules may be given several times and
#'   add up; any other option given twice is wrong usage.
#' @examples
#' folder <- system.file("extdata", package = "ronda")
#' ronda_cli(c(
#'   "join", file.path(folder, "sailings.csv"),
#'   file.path(folder, "vessels.csv"), "--on", "vessel=code",
#'   "--rows", "anti"
#' ))
#' @export
ronda_cli <- function(args = commandArgs(TRUE)) {
  invisible(in_utf8(withCallingHandlers(
    tryCatch(run_command(args),
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
  )))
}

# Runs code where texts are UTF-8: scheduled jobs and containers often say nothing
# about the locale, and what isn't ASCII would be written as <U+00E9>.
in_utf8 <- function(code) {
  if (isTRUE(l10n_info()[["UTF-8"]])) {
    return(code)
  }
  before <- Sys.getlocale("LC_CTYPE")
  old <- options(cli.unicode = FALSE)
  on.exit({
    Sys.setlocale("LC_CTYPE", before)
    options(old)
  })
  for (locale in c("C.UTF-8", "C.utf8", "en_US.UTF-8", "UTF-8")) {
    if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", locale)))) break
  }
  code
}

to_stderr <- function(lines) cat(lines, file = stderr(), sep = "\n")

# Text as it is; stops where not all of it could be written.
to_stdout <- function(text) {
  if (interactive() || sink.number() > 0L) {
    return(cat(text))
  }
  problem <- write_stdout_(enc2utf8(text))
  if (problem == "EPIPE") {
    signalCondition(structure(class = c("cli_reader_gone", "condition"),
      list(message = "whoever reads our output has had enough", call = NULL)
    ))
  }
  if (nzchar(problem)) {
    stop_ronda("file", sprintf("The output can't be written: %s.", problem),
      "Write --out FILE to write to a file."
    )
  }
}

lines_to_stdout <- function(lines) to_stdout(paste0(lines, "\n", collapse = ""))

report_failure <- function(e, code) {
  to_stderr(paste("ronda:", as_cli_words(conditionMessage(e))))
  code
}

# Messages name R arguments; on the command line they are options.
as_cli_words <- function(text) {
  for (name in names(cli_names)) {
    text <- gsub(sprintf("`%s`", name), cli_names[[name]], text, fixed = TRUE)
  }
  text <- gsub("Write: on = .*", "Write: --on left_column=right_column", text)
  convert <- "Write: (left|right)[$](`?)(.*?)\\2 <- as[.]character\\([^\n]*"
  if (grepl(convert, text, perl = TRUE)) {
    found <- regmatches(text, regexec(convert, text, perl = TRUE))[[1L]]
    text <- sub(convert, "Write: --types %s", text, perl = TRUE)
    text <- sub("%s", paste0(found[4L], "=text"), text, fixed = TRUE)
    if (nzchar(found[3L])) {
      # (a name that R would quote is quoted for the shell, too)
      words <- paste0(gsub("\\\\(.)", "\\1", found[4L]), "=text")
      text <- sub(paste0(found[4L], "=text"), shQuote(words), text, fixed = TRUE)
    }
  }
  text <- gsub(paste(
    "near_misses() of the pairing shows likely partners,",
    "explain_row() why not."
  ),
    "ronda pair ... --near-misses shows likely partners.", text,
    fixed = TRUE
  )
  gsub("write max_rows = ", "write --max-rows ", text, fixed = TRUE)
}

cli_names <- c(
  missing_keys = "--missing-keys", row_order = "--order",
  name_pattern = "--pattern", max_rows = "--max-rows", on = "--on",
  rows = "--rows", take = "--take", omit = "--omit", keys = "--keys",
  collisions = "--collisions", sides = "--sides", origin = "--origin",
  partners = "--partners", if_absent = "--if-absent", expect = "--expect",
  repeats = "--repeats", types = "--types", look = "--look",
  within = "--within", ties = "--ties", gap = "--gap", before = "--before",
  after = "--after", ends = "--ends"
)

stop_usage <- function(...) {
  stop(structure(
    class = c("cli_usage", "error", "condition"),
    list(message = paste(c(...), collapse = "\n"), call = NULL)
  ))
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
  commands <- cli_commands()
  command <- commands[[args[1L]]]
  if (is.null(command)) {
    stop_usage(
      sprintf("there is no command %s.", shown(args[1L])),
      paste("*", c(
        closest_name(args[1L], names(commands)),
        "ronda --help lists the commands."
      ))
    )
  }
  given <- parse_options(args[1L], command, args[-1L])
  if (isTRUE(given$options$help)) {
    to_stdout(command_help(args[1L], command))
    return(0L)
  }
  check_file_count(args[1L], command, given$files)
  command$run(given$files, given$options)
  0L
}

cli_commands <- function() {
  list(
    join = list(
      run = cli_join, files = c("LEFT", "RIGHT"),
      about = "Join two files.",
      options = c(matching_options, rule_options(), row_options(),
        column_options, output_options
      ),
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
    ),
    split = list(
      run = cli_split, files = c("LEFT", "RIGHT"),
      about = "Write matched rows and those of each side alone to three files.",
      options = c(matching_options, rule_options(), column_options,
        split_options
      ),
      examples = "ronda split sailings.csv vessels.csv --on vessel=code --out parts"
    ),
    pair = list(
      run = cli_account, files = c("LEFT", "RIGHT"),
      about = "Tell what pairs, and the rows each join type would give.",
      options = c(matching_options, rule_options(), list(
        cli_option("json", "The receipt as JSON"), near_option
      )),
      examples = c(
        "ronda pair sailings.csv vessels.csv --on vessel=code",
        "ronda pair sailings.csv vessels.csv --on vessel=code --near-misses",
        "ronda pair sailings.csv vessels.csv --on vessel=code --json"
      )
    ),
    keys = list(
      run = cli_keys, files = c("FRAME", "[RIGHT]"), least = 1L,
      about = "Suggest keys of two files, or check the key of one.",
      options = list(
        cli_option("on", "For one file: the columns of its key", "COLUMNS"),
        cli_option("repeated", "For one file: the rows whose key repeats"),
        matching_options[[length(matching_options)]]
      ),
      examples = c(
        "ronda keys sailings.csv vessels.csv",
        "ronda keys tide_readings.csv --on port,read_at",
        "ronda keys tide_readings.csv --on port,read_at --repeated"
      )
    ),
    many = list(
      run = cli_many, files = c("FILE", "FILE", "..."), least = 2L, most = Inf,
      about = "Join several files on keys that all have.",
      options = many_options,
      examples = paste(
        "ronda many tide_readings.csv wind_readings.csv --on port,read_at",
        "--origin held_by --out readings.csv"
      )
    ),
    plot = list(
      run = cli_plot, files = c("LEFT", "RIGHT"),
      about = "Draw a pairing.",
      options = c(matching_options, rule_options(), list(
        cli_option("view", paste(
          "overlap (default), join_types, repeats, timeline or gaps"
        ), "WORD"),
        cli_option("out", "The .png, .pdf or .svg file to write (required)",
          "FILE"
        )
      )),
      examples = paste(
        "ronda plot sailings.csv vessels.csv --on vessel=code",
        "--view join_types --out types.png"
      )
    ),
    report = list(
      run = cli_report, files = c("LEFT", "RIGHT"),
      about = "Write the account, figures and samples as one web page.",
      options = c(matching_options, rule_options(), list(
        cli_option("out", "The .html file to write (required)", "FILE")
      )),
      examples = paste(
        "ronda report sailings.csv vessels.csv --on vessel=code",
        "--out report.html"
      )
    ),
    demo = list(
      run = cli_demo, files = character(),
      about = "Run the example on the demo data.",
      options = demo_options,
      examples = "ronda demo --out demo-output"
    )
  )
}

general_help <- function() {
  commands <- cli_commands()
  c(
    "ronda: join data frames and see what happened",
    "",
    "Usage: ronda COMMAND FILES [OPTIONS]",
    "",
    "Commands:",
    sprintf("  %-6s %s", names(commands),
      vapply(commands, function(x) x$about, "")
    ),
    "",
    "ronda COMMAND --help shows the options of a command.",
    "--on, --take, --if-absent, --expect, --types and rules may be given several times.",
    "Files: .csv, .tsv, .rds, .parquet, .jsonl, or - for csv on stdin.",
    "Exit codes: 0 done, 1 failed, 2 wrong usage, 3 an expectation failed."
  )
}

check_file_count <- function(name, command, files) {
  most <- if (is.null(command$most)) length(command$files) else command$most
  least <- if (is.null(command$least)) most else command$least
  if (length(files) < least || length(files) > most) {
    wanted <- if (least == most) {
      counted(least, "file")
    } else if (is.infinite(most)) {
      sprintf("%d files or more", least)
    } else {
      sprintf("%d or %d files", least, most)
    }
    stop_usage(
      sprintf("%s takes %s, not %d.", name, wanted, length(files)),
      sprintf("* Usage: %s", usage_line(name, command))
    )
  }
}

usage_line <- function(name, command) {
  paste(c("ronda", name, command$files, "[OPTIONS]"), collapse = " ")
}
