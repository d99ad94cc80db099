# The reasons for which two texts that should be equal are not, the surest first, each with
# the words of `via` under which they would be.
near_reason <- function(reason, words) list(reason = reason, words = words)

near_reasons <- list(
  near_reason("letter case", "lower"),
  near_reason("white space", "spaces"),
  near_reason("letter case and white space", c("spaces", "lower")),
  near_reason("leading zeros", "zeros"),
  near_reason("punctuation", c("signs", "lower")),
  near_reason("signs that look alike", "look_alike"),
  near_reason("accents or forms of a character", c("accents", "trim", "lower"))
)

# The words that do what each of some reasons asks for
words_of_reasons <- function(reasons) {
  words <- unlist(lapply(near_reasons, function(reason) {
    if (reason$reason %in% reasons) reason$words
  }))
  # (what takes all blanks away leaves none to the others)
  if ("signs" %in% words) words <- setdiff(words, "spaces")
  if (any(c("signs", "spaces") %in% words)) words <- setdiff(words, "trim")
  in_cleaning_order(words)
}

# Numbers that differ by rounding: what makes them alike, as a function and as code
rounding_code <- function(digits) sprintf("function(x) round(x, %d)", digits)

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
