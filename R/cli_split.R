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
