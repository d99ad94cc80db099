# Reading csv and tsv: what is wrong with the file is found before a row could
# be lost, text is read first and types are chosen after, so that blanks stay and
# no number is rounded unseen.

read_delimited <- function(path, delimiter, types, decimal, label, call) {
  need_packages("readr", "Reading csv and tsv", class = "file")
  check_bytes(path, delimiter)
  # (tabs alone are no blank line, but a row of missing values)
  frame <- read_texts(path, delimiter, delimiter != "\t" || has_blank_lines(path))
  # (a blank line is a missing value where there is one column)
  if (length(frame) == 1L) frame <- read_texts(path, delimiter, FALSE)
  problems <- readr::problems(frame)
  if (nrow(problems)) {
    first <- problems[1L, ]
    stop(sprintf("line %d has %s where %s were expected", first$row,
      first$actual, first$expected
    ))
  }
  columns <- lapply(seq_along(frame), function(k) .subset2(frame, k))
  names(columns) <- names(frame)
  if (!length(columns)) stop("it is empty")
  check_encoding(columns)
  unknown <- setdiff(names(types), names(columns))
  if (length(unknown)) {
    stop_argument(sprintf("`types` names a column `%s`, which %s doesn't have.",
      unknown[1L], encodeString(label, quote = "'")
    ), closest_name(unknown[1L], names(columns)), call = call)
  }
  columns <- Map(function(text, name) {
    if (nzchar(name) && name %in% names(types)) {
      parse_as(text, types[[name]], name, decimal)
    } else {
      parse_column(text, decimal)
    }
  }, columns, names(columns))
  as_base_frame(columns, nrow(frame))
}

read_texts <- function(path, delimiter, skip_empty) {
  suppressWarnings(readr::read_delim(path,
    delim = delimiter, col_types = readr::cols(.default = "c"),
    trim_ws = FALSE, progress = FALSE, show_col_types = FALSE,
    name_repair = "minimal", quote = "\"", escape_double = TRUE,
    skip_empty_rows = skip_empty
  ))
}
