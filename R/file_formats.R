# The kinds of files, by extension.

file_formats <- c(
  csv = "csv", tsv = "tsv", txt = "tsv", rds = "rds", parquet = "parquet",
  jsonl = "jsonl", ndjson = "jsonl"
)

# whether a file is compressed: its name ends in .gz
is_gz <- function(path) grepl("[.]gz$", path, ignore.case = TRUE)

# (only text comes compressed, and without types of its own)
text_formats <- c("csv", "tsv", "jsonl")

file_format <- function(path, call) {
  extension <- tolower(tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE)))
  if (is_gz(path) && !file_formats[extension] %in% text_formats) extension <- "gz"
  if (!extension %in% names(file_formats)) {
    stop_ronda("file",
      sprintf("The kind of the file %s is not known.",
        encodeString(shortened(path, 200L), quote = "'")
      ),
      sprintf("Its name must end in %s; .csv, .tsv and .jsonl may be followed by .gz.",
        listed(paste0(".", names(file_formats)), "or")
      ),
      call = call
    )
  }
  file_formats[[extension]]
}

stop_file <- function(text, path, call, ...) {
  path <- encodeString(shortened(path, 200L), quote = "'")
  stop_ronda("file", one_line(sprintf(text, path, ...)),
    call = call
  )
}

# the extension, with .gz behind it where it is compressed
file_ending <- function(path) {
  inner <- tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE))
  paste0(".", inner, if (is_gz(path)) ".gz")
}
