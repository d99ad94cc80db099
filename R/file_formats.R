# The kinds of files, by extension.

file_formats <- c(
  csv = "csv", tsv = "tsv", txt = "tsv", rds = "rds", parquet = "parquet",
  jsonl = "jsonl", ndjson = "jsonl"
)

file_format <- function(path, call) {
  extension <- tolower(tools::file_ext(path))
  if (!extension %in% names(file_formats)) {
    stop_ronda("file",
      sprintf("The kind of the file %s is not known.",
        encodeString(shortened(path, 200L), quote = "'")
      ),
      sprintf("Its name must end in %s.",
        listed(paste0(".", names(file_formats)), "or")
      ),
      call = call
    )
  }
  file_formats[[extension]]
}

stop_file <- function(text, path, call, ...) {
  path <- encodeString(shortened(path, 200L), quote = "'")
  stop_ronda("file", sprintf(text, path, ...),
    call = call
  )
}
