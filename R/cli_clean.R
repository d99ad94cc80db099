# What makes keys alike before they are matched: --clean and --corrections.

# The words of --clean and what each does to a text, as code; in the order in which they
# are done
clean_steps <- function() {
  list(
    accents = step_plain_letters, signs = step_without_signs, spaces = step_without_spaces,
    trim = step_trimmed, zeros = step_without_zeros, look_alike = step_look_alike,
    lower = step_lower
  )
}

# what each word passes over
clean_words <- c(
  trim = "blanks at the ends", spaces = "all blanks", lower = "letter case",
  zeros = "leading zeros", signs = "punctuation and blanks", accents = "accents",
  look_alike = "O and 0, I, L and 1"
)

clean_help <- sprintf("Of text keys, what makes no difference: %s; for one key: vessel=lower",
  paste(sprintf("%s (%s)", names(clean_words), clean_words), collapse = ", ")
)

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
    stop_usage(sprintf("--clean names a column `%s`, which is no key.", unknown[1L]))
  }
  do.call(c, Map(function(left, right) {
    words <- unlist(cleaning[names(cleaning) %in% c(left, "")])
    clean <- if (length(words)) cleaner(words)
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
  known <- names(clean_steps())
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

# list(a function that does the steps of these words to texts and leaves the rest)
cleaner <- function(words) {
  if ("accents" %in% words) need_packages("stringi", "--clean accents", class = "file")
  steps <- clean_steps()
  code <- do.call(one_function, unname(steps[names(steps) %in% words]))
  clean <- eval(parse(text = code, keep.source = FALSE), baseenv())
  list(function(x) if (is.character(x) || is.factor(x)) clean(as_text(x)) else x)
}

read_corrections <- function(file) {
  if (is.null(file)) {
    return(NULL)
  }
  if (!nzchar(file)) stop_usage("--corrections must name a file.")
  fixes <- read_frame(file)
  lacking <- setdiff(c("from", "to"), names(fixes))
  if (length(lacking)) {
    stop_usage(sprintf("%s has no column `%s`, which --corrections needs beside `%s`.", file,
      lacking[1L], setdiff(c("from", "to"), lacking[1L])
    ))
  }
  fixes
}

# The words of --clean for a function of ours, from its code; NULL for others
words_of_cleaner <- function(code) {
  steps <- clean_steps()
  code <- if (code == "tolower") "tolower(x)" else sub("^function\\(x\\) ", "", code)
  words <- character()
  while (code != "x") {
    fits <- FALSE
    for (word in names(steps)) {
      ends <- strsplit(sub("%s", "\001", steps[[word]], fixed = TRUE), "\001", fixed = TRUE)[[1L]]
      fits <- startsWith(code, ends[1L]) && endsWith(code, ends[2L])
      if (fits) break
    }
    if (!fits) {
      return(NULL)
    }
    code <- substring(code, nchar(ends[1L]) + 1L, nchar(code) - nchar(ends[2L]))
    words <- c(word, words)
  }
  words
}
