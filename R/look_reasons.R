# The reasons for which two texts that should be equal are not, the surest first,
# each as the code of a function under which they would be: what is tried is what
# the analyst is told to write. `changes`: a pattern that every text has which the
# function changes.

near_reasons <- function() {
  reason <- function(reason, via, changes, package = NULL) {
    list(
      reason = reason, via = via, package = package,
      clean = eval(parse(text = via), baseenv()), changes = changes
    )
  }
  list(
    reason("letter case", "tolower", "[^!-@[-~ ]"),
    reason("white space", one_function(step_without_spaces), "[^!-~]"),
    reason("letter case and white space",
      one_function(step_without_spaces, step_lower), "[^!-@[-~]"
    ),
    reason("leading zeros", one_function(step_without_zeros), "^[^!-/1-~]"),
    reason("punctuation", one_function(step_without_signs, step_lower), "[^0-9a-z]"),
    reason("signs that look alike", one_function(step_look_alike), "[^0-9AC-HJKMNP-RT-Y]"),
    reason("accents or forms of a character",
      one_function(step_plain_letters, step_trimmed, step_lower), "[^!-@[-~]", "stringi"
    )
  )
}

# Texts as a reason cleans them; those that it can't change are not asked.
cleaned_by <- function(reason, text) {
  at <- which(grepl(reason$changes, text, perl = TRUE, useBytes = TRUE))
  text[at] <- reason$clean(text[at])
  text
}

# what a function does to x, as code
step_without_spaces <- "gsub(\"[[:space:]\\u00a0]+\", \"\", %s)"
step_without_signs <- "gsub(\"[[:punct:][:space:]\\u00a0]+\", \"\", %s)"
step_without_zeros <- "sub(\"^[[:space:]]*0+(?=.)\", \"\", %s, perl = TRUE)"
step_look_alike <- "chartr(\"OILSBZ\", \"011582\", toupper(%s))"
step_plain_letters <- paste0("stringi::stri_trans_general(%s, ",
  "\"NFKD; [:M:] Remove; Latin-ASCII\")"
)
step_trimmed <- "trimws(%s)"
step_lower <- "tolower(%s)"

one_function <- function(...) {
  paste("function(x)", Reduce(function(code, step) {
    sprintf(gsub("%(?!s)", "%%", step, perl = TRUE), code)
  }, c(...), "x"))
}

# One function that does what each of some reasons asks for
via_of_reasons <- function(reasons) {
  has <- function(word) any(grepl(word, reasons))
  do.call(one_function, as.list(c(
    if (has("accents")) step_plain_letters,
    if (has("punctuation")) step_without_signs else if (has("white space")) {
      step_without_spaces
    } else if (has("accents")) {
      step_trimmed
    },
    if (has("zeros")) step_without_zeros,
    if (has("look alike")) step_look_alike,
    if (has("case|punctuation|accents")) step_lower
  )))
}

# Positions of texts that are equal, and equal in their groups, by the engine
equal_pairs <- function(x, y, groups = list(left = NULL, right = NULL)) {
  engine_pairs(compact(list(groups$left, utf8_text_(x))),
    compact(list(groups$right, utf8_text_(y))),
    c(if (!is.null(groups$left)) "int32", "text")
  )
}

# positions of rows whose keys are equal
engine_pairs <- function(left, right, kinds) {
  kinds <- unname(engine_kinds[kinds])
  all_pairs(match_equal_(left, right, kinds, FALSE, FALSE)$matches)
}
