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

# Texts without characters of some classes. What is not ASCII takes R's own expressions, which
# know the classes there and are slow.
without_classes <- function(x, classes) {
  plain <- function(x) gsub(sprintf("[%s]+", classes), "", x, perl = TRUE)
  other <- beyond_ascii_(x)
  if (!length(other)) {
    return(plain(x))
  }
  x[-other] <- plain(x[-other])
  x[other] <- gsub(sprintf("[%s\u00a0]+", classes), "", x[other])
  x
}

cleaning_steps <- list(
  accents = cleaning_step("accents", function(x) {
    stringi::stri_trans_general(x, "NFKD; [:M:] Remove; Latin-ASCII")
  }, "[^\\x01-\\x7f]", "stringi"),
  signs = cleaning_step("punctuation and blanks", function(x) {
    without_classes(x, "[:punct:][:space:]")
  }, "[^0-9A-Za-z]"),
  spaces = cleaning_step("all blanks", function(x) without_classes(x, "[:space:]"), "[^!-~]"),
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
  text <- enc2utf8(readable(text))
  with_all_letters({
    for (word in in_cleaning_order(words)) {
      step <- cleaning_steps[[word]]
      at <- which(grepl(step$changes, text, perl = TRUE, useBytes = TRUE))
      if (length(at)) text[at] <- step$clean(text[at])
    }
    text
  })
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

# Corrections ----------------------------------------------------------------------

# list(from, to) of texts: each value once, none that stays as it is
as_corrections <- function(fixes, arg, call) {
  lacking <- setdiff(c("from", "to"), names(fixes))
  if (length(lacking)) {
    stop_argument(
      sprintf("`%s` has no column `%s`: corrections are columns `from` and `to`.", arg,
        lacking[1L]
      ),
      either("near_misses() gives such a frame.", "ronda near-misses writes such a file."),
      call = call
    )
  }
  for (name in c("from", "to")) {
    if (is.null(type_of(.subset2(fixes, name)))) {
      stop_argument(
        sprintf("`%s` of `%s` is %s, which no key can be.", name, arg,
          type_word(.subset2(fixes, name))
        ),
        call = call
      )
    }
  }
  from <- key_texts(.subset2(fixes, "from"))
  to <- key_texts(.subset2(fixes, "to"))
  keep <- !is.na(from) & !is.na(to) & from != to & !duplicated(paste0(from, "\r", to))
  from <- from[keep]
  to <- to[keep]
  twice <- from[duplicated(from)]
  if (length(twice)) {
    targets <- to[from == twice[1L]]
    stop_argument(
      sprintf("`%s` sends %s to %s.", arg, encodeString(twice[1L], quote = "\""),
        listed(encodeString(targets, quote = "\""), "and")
      ),
      "Keep one line for each value of `from`.",
      call = call, data = list(value = twice[1L], targets = targets)
    )
  }
  list(from = from, to = to)
}

# A key column with its corrections
corrected <- function(x, fixes, place, call) {
  if (!length(fixes$from)) {
    return(x)
  }
  if (is.character(x) || is.factor(x)) {
    x <- as_text(x)
    at <- match(x, fixes$from)
    rows <- which(!is.na(at))
    x[rows] <- fixes$to[at[rows]]
    return(x)
  }
  from <- typed_corrections(fixes, "from", x, place, call)
  to <- typed_corrections(fixes, "to", x, place, call)
  at <- match(key_texts(x), key_texts(from))
  rows <- which(!is.na(at))
  x[rows] <- to[at[rows]]
  x
}

# A column of corrections as values of the type that the key has
typed_corrections <- function(fixes, name, x, place, call) {
  texts <- fixes[[name]]
  values <- type_of(x)$from_text(texts, x)
  if (is.null(values) || anyNA(values)) {
    first <- if (is.null(values)) 1L else which(is.na(values))[1L]
    stop_argument(
      sprintf("%s is %s, and %s can't be one.", place, type_word(x),
        encodeString(texts[first], quote = "\"")
      ),
      sprintf("Look at column `%s` of the corrections.", name),
      call = call
    )
  }
  values
}
