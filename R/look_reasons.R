# The reasons for which two texts that should be equal are not, the surest first,
# each as the code of a function under which they would be: what is tried is what
# the analyst is told to write.

near_reasons <- function() {
  spaces <- "[[:space:]\\u00a0]+"
  reason <- function(reason, via, package = NULL) {
    list(
      reason = reason, via = via, package = package,
      clean = eval(parse(text = via), baseenv())
    )
  }
  without_spaces <- sprintf("gsub(\"%s\", \"\", x)", spaces)
  list(
    reason("letter case", "tolower"),
    reason("white space", paste("function(x)", without_spaces)),
    reason("letter case and white space",
      sprintf("function(x) tolower(%s)", without_spaces)
    ),
    reason("leading zeros",
      "function(x) sub(\"^[[:space:]]*0+(?=.)\", \"\", x, perl = TRUE)"
    ),
    reason("punctuation", paste(
      "function(x)",
      "tolower(gsub(\"[[:punct:][:space:]\\u00a0]+\", \"\", x))"
    )),
    reason("accents or forms of a character", paste0(
      "function(x) tolower(trimws(stringi::stri_trans_general(x, ",
      "\"NFKD; [:M:] Remove; Latin-ASCII\")))"
    ), "stringi")
  )
}

# Pairs of texts that are one or two slips of the typist apart: list(left,
# right, distance), positions in x and y. Texts that become equal when one
# letter is left out of each are the candidates (that finds every single slip
# and most double ones); the distance itself is then measured.
slip_pairs <- function(x, y) {
  if (!requireNamespace("stringdist", quietly = TRUE) || !length(x) ||
    !length(y)) {
    return(list(left = integer(), right = integer(), distance = integer()))
  }
  a <- shortened_codes_(x)
  b <- shortened_codes_(y)
  pairs <- engine_pairs(a$codes, b$codes, "int64")
  left <- a$of[pairs$left]
  right <- b$of[pairs$right]
  new <- !duplicated(left + right * as.numeric(length(x) + 1L))
  both <- list(left = left[new], right = right[new])
  distance <- stringdist::stringdist(x[both$left], y[both$right],
    method = "osa"
  )
  # short texts are often one slip apart by chance
  allowed <- ifelse(nchar(x[both$left]) >= 8L, 2L,
    ifelse(nchar(x[both$left]) >= 4L, 1L, 0L)
  )
  keep <- distance > 0 & distance <= allowed
  list(
    left = both$left[keep], right = both$right[keep],
    distance = distance[keep]
  )
}

# Positions of equal texts, by the engine
equal_pairs <- function(x, y) {
  engine_pairs(utf8_text_(x), utf8_text_(y), "text")
}

engine_pairs <- function(x, y, kind) {
  all_pairs(
    match_equal_(list(x), list(y), engine_kinds[[kind]], FALSE, FALSE)$matches
  )
}
