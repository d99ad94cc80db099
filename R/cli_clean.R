# What makes keys alike before they are matched: --clean (type_clean.R) and --corrections.

clean_help <- function() {
  passes_over <- vapply(cleaning_steps, `[[`, "", "passes_over")
  sprintf("Of text keys, what makes no difference: %s; for one key: vessel=lower",
    paste(sprintf("%s (%s)", names(cleaning_steps), passes_over), collapse = ", ")
  )
}

# Key columns, as of split_pairs(), as rules with what is done to them
with_cleaning <- function(keys, options) {
  cleaning <- read_clean(options$clean)
  fixes <- read_corrections(options$corrections)
  if (!length(cleaning) && is.null(fixes)) {
    return(as.list(keys))
  }
  names <- if (is.null(names(keys))) keys else ifelse(nzchar(names(keys)), names(keys), keys)
  unknown <- setdiff(names(cleaning), c(names, ""))
  if (length(unknown)) {
    stop_usage(sprintf("--clean names a column `%s`, which is not a key.", unknown[1L]))
  }
  do.call(c, Map(function(left, right) {
    words <- unlist(cleaning[names(cleaning) %in% c(left, "")])
    clean <- if (length(words)) list(words)
    of_column <- fixes
    if ("column" %in% names(fixes)) of_column <- fixes[fixes$column == left, ]
    steps <- list(
      left = c(clean, if (NROW(of_column)) list(corrections(of_column))), right = clean
    )
    same(left, right, if (length(compact(steps))) compact(steps))
  }, names, unname(keys)))
}

# words by the column that they are for, "" for all
read_clean <- function(text) {
  if (is.null(text)) {
    return(list())
  }
  words <- split_pairs(text)
  known <- names(cleaning_steps)
  unknown <- setdiff(words, known)
  if (length(unknown)) {
    stop_usage(
      sprintf("--clean has no word %s.", shown(unknown[1L])),
      sprintf("* Its words: %s.", listed(known, "and"))
    )
  }
  names <- if (is.null(names(words))) rep("", length(words)) else names(words)
  stats::setNames(as.list(unname(words)), names)
}

read_corrections <- function(file) {
  if (is.null(file)) {
    return(NULL)
  }
  if (!nzchar(file)) stop_usage("--corrections must name a file.")
  asked <- reading_asked(c(from = "text", to = "text"))
  fixes <- read_file(file, asked, quote(read_frame()), TRUE)
  lacking <- setdiff(c("from", "to"), names(fixes))
  if (length(lacking)) {
    stop_usage(sprintf("%s has no column `%s`, which --corrections needs beside `%s`.", file,
      lacking[1L], setdiff(c("from", "to"), lacking[1L])
    ))
  }
  fixes
}
