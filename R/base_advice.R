# What messages say to write: arguments, their values, rules and verbs as data, rendered in R,
# or as options while the command line speaks.

# whether messages speak of options, and the name of the frame where a call has one only
speech <- list2env(list(options = FALSE, frame = "frame"), parent = emptyenv())

speaks_options <- function() speech$options

# Evaluates `expr` with messages that speak of options, or of R code
in_options <- function(expr) speaking(TRUE, expr)

in_r <- function(expr) speaking(FALSE, expr)

speaking <- function(options, expr) {
  before <- speech$options
  on.exit(speech$options <- before)
  speech$options <- options
  expr
}

frame_said <- function() either("frame", speech$frame)

# missing_keys as --missing-keys, and missing-keys as missing_keys
option_of <- function(name) paste0("--", gsub("_", "-", name))

argument_of <- function(option) gsub("-", "_", option)

# what arguments are called on the command line
argument_options <- c(
  via = "--clean", resume = "--no-resume", equal = "--not-equal", run = "--plan",
  vapply(c(
    "on", "rows", "missing_keys", "row_order", "name_pattern", "max_rows", "take", "omit",
    "keys", "collisions", "sides", "origin", "partners", "row_numbers", "if_absent", "fold",
    "expect", "repeats", "types", "decimal", "missing", "delimiter", "encoding", "quote", "skip",
    "step", "columns", "tolerance", "look",
    "within", "ties", "gap", "before", "after", "ends", "open_ended", "shared", "where",
    "out", "way",
    "parts", "memory", "tries", "view", "title", "note", "n", "workers"
  ), option_of, "")
)

verb_options <- c(
  join_many = "ronda many", join_frames = "ronda join", join_files = "ronda join-files"
)

# The kinds of rules, in the order in which help and messages list them
rule_order <- c(
  "same", "nearest", "around", "inside", "covers", "overlap", "relate", "cross", "in_turn"
)

# `rows`, or --rows
argument_said <- function(name) {
  option <- unname(argument_options[name])
  ifelse(speaks_options() & !is.na(option), option, paste0("`", name, "`"))
}

# A text of ours with names of arguments in backticks, nearest() and join_many(), and values
# as in sprintf()
said <- function(text, ...) {
  if (speaks_options()) {
    for (name in names(argument_options)) {
      text <- gsub(sprintf("`%s`", name), argument_options[[name]], text, fixed = TRUE)
    }
    for (rule in rule_order) {
      text <- gsub(sprintf("`?\\b%s\\(\\)`?", rule), option_of(rule), text)
    }
    for (verb in names(verb_options)) {
      text <- gsub(paste0(verb, "()"), verb_options[[verb]], text, fixed = TRUE)
    }
  }
  if (...length()) sprintf(text, ...) else text
}

# A sentence for R and one for the command line, where more than names differ
either <- function(r, options) if (speaks_options()) options else r

# An argument with a value: rows = "semi", or --rows semi. Values are texts (with names),
# numbers, TRUE, formulas and lists of these.
setting <- function(name, value) {
  option <- argument_options[name]
  if (!speaks_options() || is.na(option)) {
    return(sprintf("%s = %s", name, value_code(value)))
  }
  option <- unname(option)
  if (isTRUE(value) || isFALSE(value)) option else paste(option, value_option(value))
}

# a value as R code, or as that of an option
value_said <- function(value) either(value_code(value), value_option(value))

# texts without their names as R code: "port", c("port", "day")
as_code <- function(texts) value_code(unname(texts))

value_code <- function(value) {
  if (inherits(value, "formula")) {
    return(paste("~", formula_code(value)))
  }
  parts <- if (is.character(value)) text_code(value) else vapply(value, function(part) {
    if (is.character(part) || inherits(part, "formula")) value_code(part) else number_said(part)
  }, "")
  named <- nzchar(names(value))
  if (any(named)) parts[named] <- paste(name_code(names(value)[named]), "=", parts[named])
  if (is.list(value)) {
    sprintf("list(%s)", paste(parts, collapse = ", "))
  } else if (length(parts) == 1L && !any(named)) {
    unname(parts)
  } else {
    sprintf("c(%s)", paste(parts, collapse = ", "))
  }
}

number_said <- function(x) {
  if (is.logical(x)) as.character(x) else format_number(x, 15L, FALSE)
}

# conditions: left$km as left.km; folds: nrow(right) as nrow(), right$km as km
value_option <- function(value) {
  if (inherits(value, "formula")) {
    return(shQuote(gsub("\\b(left|right)[$]", "\\1.", formula_code(value))))
  }
  parts <- vapply(value, function(part) {
    if (inherits(part, "formula")) {
      gsub("right", "", gsub("right$", "", formula_code(part), fixed = TRUE))
    } else if (is.character(part)) part else number_said(part)
  }, "")
  if (is.character(value)) parts <- name_in_option(parts)
  names <- names(value)
  named <- nzchar(names)
  parts[named] <- paste0(name_in_option(names[named]), "=", parts[named])
  parts[names == ".rest"] <- ".rest"
  shell_words(paste(parts, collapse = ","))
}

# A name as options take it: in backticks where one of its signs has a meaning there
name_in_option <- function(name) {
  odd <- grepl("[,=:`<>]|[.][.]", name)
  name[odd] <- paste0("`", gsub("`", "``", name[odd], fixed = TRUE), "`")
  name
}

formula_code <- function(formula) paste(deparse(formula[[2L]], 500L), collapse = " ")

# as they are typed in a shell
shell_words <- function(words) {
  plain <- grepl("^[A-Za-z0-9_./=,:+@%-]+$", words)
  ifelse(plain, words, shQuote(words))
}

# Frames in a message (base_words.R) by their names, in code, or as the files that they are
with_frame_names <- function(text, frames) {
  if (!validEnc(text)) text <- readable(text)
  for (k in 1:2) {
    side <- c("left", "right")[k]
    label <- if (is.null(frames)) side else {
      sub(sprintf(" (%s)", side), "", frames$labels[k], fixed = TRUE)
    }
    code <- if (is.null(frames)) side else frames$code[k]
    in_words <- if (label == side) "`%s`" else if (make.names(label) == label) {
      sprintf("`%%s` (%s)", side)
    } else {
      sprintf("%%s (%s)", side)
    }
    text <- gsub(paste0("`", frame_marks[k], "`"), sprintf(in_words, label), text,
      fixed = TRUE
    )
    text <- gsub(frame_marks[k], either(name_code(code), shell_words(label)), text, fixed = TRUE)
  }
  text
}
