# Words for what makes no difference between two texts: what `via` and --clean take, and what
# near misses and suggestions try and advise. Each is done in the order in which it stands
# here, whatever order it is given in.

cleaning_step <- function(passes_over, clean, changes, package = NULL) {
  list(
    passes_over = passes_over, # in words
    clean = clean,             # function(texts)
    changes = changes,         # a pattern of bytes in every text that `clean` changes
    package = package          # what it needs
  )
}

cleaning_steps <- list(
  accents = cleaning_step("accents", function(x) {
    stringi::stri_trans_general(x, "NFKD; [:M:] Remove; Latin-ASCII")
  }, "[^\\x01-\\x7f]", "stringi"),
  signs = cleaning_step("punctuation and blanks", function(x) {
    gsub("[[:punct:][:space:]\u00a0]+", "", x)
  }, "[^0-9A-Za-z]"),
  spaces = cleaning_step("all blanks", function(x) gsub("[[:space:]\u00a0]+", "", x), "[^!-~]"),
  trim = cleaning_step("blanks at the ends", trimws, "^[^!-~]|[^!-~]$"),
  zeros = cleaning_step("leading zeros", function(x) {
    sub("^[[:space:]]*0+(?=.)", "", x, perl = TRUE)
  }, "^[^!-/1-~]"),
  look_alike = cleaning_step("O and 0, I, L and 1", function(x) {
    chartr("OILSBZ", "011582", toupper(x))
  }, "[^!-@AC-HJKMNP-RT-Y]"),
  lower = cleaning_step("letter case", tolower, "[^!-@[-~ ]")
)

are_cleaning_words <- function(x) {
  is.character(x) && length(x) > 0L && !anyNA(x) && all(x %in% names(cleaning_steps))
}

in_cleaning_order <- function(words) intersect(names(cleaning_steps), words)

# Texts cleaned by some words
clean_texts <- function(text, words) {
  for (word in in_cleaning_order(words)) {
    step <- cleaning_steps[[word]]
    at <- which(grepl(step$changes, text, perl = TRUE, useBytes = TRUE))
    if (length(at)) text[at] <- step$clean(text[at])
  }
  text
}

# whether the packages are there that words need
can_clean <- function(words) {
  packages <- unlist(lapply(cleaning_steps[words], `[[`, "package"))
  all(vapply(packages, requireNamespace, NA, quietly = TRUE))
}

# What words do to a key column: texts and factors are cleaned, all else is left
cleaned_column <- function(x, words, what, call) {
  if (!is.character(x) && !is.factor(x)) {
    return(x)
  }
  for (word in words) {
    package <- cleaning_steps[[word]]$package
    if (!is.null(package)) need_packages(package, sprintf("%s = \"%s\"", what, word), call)
  }
  clean_texts(as_text(x), words)
}

# what words make no difference of, for a sentence: "letter case and leading zeros"
passed_over_words <- function(words) {
  listed(vapply(cleaning_steps[in_cleaning_order(words)], `[[`, "", "passes_over"), "and")
}

# words in the order of their steps, as code
cleaning_code <- function(words) as_code(in_cleaning_order(words))

# the value of `via`, or of --clean
cleaning_said <- function(words) {
  either(cleaning_code(words), paste(in_cleaning_order(words), collapse = ","))
}
