# Values of options.

# "a,b\\,c" -> c("a", "b,c")
split_commas <- function(text) {
  if (is.null(text) || !nzchar(text)) {
    return(character())
  }
  marked <- gsub("\\,", "\001", text, fixed = TRUE)
  parts <- strsplit(marked, ",", fixed = TRUE)[[1L]]
  gsub("\001", ",", parts, fixed = TRUE)
}

# "vessel=code,port" -> c(vessel = "code", "port")
split_pairs <- function(text) {
  parts <- split_commas(text)
  marked <- gsub("\\=", "\002", parts, fixed = TRUE)
  has <- grepl("=", marked, fixed = TRUE)
  plain <- function(x) gsub("\002", "=", x, fixed = TRUE)
  values <- plain(sub("^[^=]*=", "", marked))
  if (any(has)) names(values) <- ifelse(has, plain(sub("=.*", "", marked)), "")
  values
}

cli_number <- function(text, option) {
  if (is.null(text)) {
    return(NULL)
  }
  number <- suppressWarnings(as.numeric(text))
  if (is.na(number)) {
    stop_usage(sprintf("%s must be a number, not %s.", option, shown(text)))
  }
  number
}

as_repeats <- function(text) {
  if (is.null(text) || !grepl("^(highest|lowest):", text)) {
    return(text)
  }
  column <- sub("^[a-z]+:", "", text)
  if (startsWith(text, "highest")) highest(column) else lowest(column)
}

as_types <- function(text) {
  if (is.null(text)) {
    return(NULL)
  }
  types <- split_pairs(text)
  if (is.null(names(types)) || !all(nzchar(names(types)))) {
    stop_usage("--types must be types by column, such as id=text.")
  }
  check_types(types, NULL)
  types
}
