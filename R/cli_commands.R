# The commands: files, options and examples of each.

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
