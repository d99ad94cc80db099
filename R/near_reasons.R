# The reasons for which two texts that should be equal are not, each as a
# function under which they would be, and as the code of that function.

near_reasons <- function() {
  spaces <- "[[:space:]\u00a0]+"
  list(
    list(
      reason = "letter case", clean = tolower, via = "tolower"
    ),
    list(
      reason = "white space", clean = function(x) gsub(spaces, "", x),
      via = "function(x) gsub(\"[[:space:]\\u00a0]+\", \"\", x)"
    ),
    list(
      reason = "letter case and white space",
      clean = function(x) tolower(gsub(spaces, "", x)),
      via = "function(x) tolower(gsub(\"[[:space:]\\u00a0]+\", \"\", x))"
    ),
    list(
      reason = "leading zeros",
      clean = function(x) sub("^ *0+(?=.)", "", x, perl = TRUE),
      via = "function(x) sub(\"^0+\", \"\", x)"
    ),
    list(
      reason = "punctuation",
      clean = function(x) tolower(gsub("[[:punct:][:space:]\u00a0]+", "", x)),
      via = "function(x) tolower(gsub(\"[[:punct:][:space:]]+\", \"\", x))"
    ),
    list(
      reason = "accents or forms of a character", clean = plain_letters,
      via = paste0(
        "function(x) tolower(stringi::stri_trans_general(x, ",
        "\"NFKD; [:M:] Remove; Latin-ASCII\"))"
      ),
      package = "stringi"
    )
  )
}

plain_letters <- function(x) {
  tolower(trimws(stringi::stri_trans_general(x,
    "NFKD; [:M:] Remove; Latin-ASCII"
  )))
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
  matches <- match_equal_(list(x), list(y), engine_kinds[[kind]], FALSE, FALSE)
  pairs <- expand_pairs_(matches$slot, matches$starts, matches$rows, length(y),
    FALSE
  )
  if (is.null(pairs$left)) pairs$left <- seq_along(x)
  pairs
}
