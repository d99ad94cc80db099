# Corrections: a frame of two columns, `from` and `to`, that somebody has read. As `via`
# of a rule it replaces the values of a key column before they are matched.

# list(from, to) of texts: each value once, none that stays as it is
as_corrections <- function(fixes, arg, call) {
  lacking <- setdiff(c("from", "to"), names(fixes))
  if (length(lacking)) {
    stop_argument(
      sprintf("`%s` has no column `%s`: corrections are columns `from` and `to`.", arg,
        lacking[1L]
      ),
      "near_misses() gives such a frame.",
      call = call
    )
  }
  for (name in c("from", "to")) {
    if (is.na(key_family(.subset2(fixes, name)))) {
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
  at <- match(key_texts(x), fixes$from)
  rows <- which(!is.na(at))
  if (!length(rows)) {
    return(x)
  }
  to <- fixes$to[at[rows]]
  if (is.character(x) || is.factor(x)) {
    x <- as_text(x)
    x[rows] <- to
    return(x)
  }
  values <- typed_values(to, x)
  if (is.null(values) || anyNA(values)) {
    stop_argument(
      sprintf("%s is %s, and %s can't be one.", place, type_word(x),
        encodeString(to[if (is.null(values)) 1L else which(is.na(values))[1L]], quote = "\"")
      ),
      "Look at column `to` of the corrections.",
      call = call
    )
  }
  x[rows] <- values
  x
}

# texts as values of the type that a column has, NULL where it has no such form
typed_values <- function(texts, x) {
  switch(key_family(x),
    integer = suppressWarnings(as.integer(texts)),
    double = suppressWarnings(as.numeric(texts)),
    integer64 = if (requireNamespace("bit64", quietly = TRUE)) {
      suppressWarnings(bit64::as.integer64(texts))
    },
    logical = as.logical(texts),
    Date = as.Date(texts, optional = TRUE),
    POSIXct = as.POSIXct(texts, format = "%Y-%m-%dT%H:%M:%OSZ", tz = "UTC")
  )
}
