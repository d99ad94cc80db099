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
  values <- typed_values(texts, x)
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

# Texts as values of the type that a column has: missing where a text is not one as a
# whole, NULL where the type has no such form
typed_values <- function(texts, x) {
  whole <- function(form, values) {
    values[!grepl(form, texts)] <- NA
    values
  }
  switch(key_family(x),
    integer = {
      numbers <- suppressWarnings(as.numeric(texts))
      numbers[!is.na(numbers) & !is_whole(numbers, .Machine$integer.max)] <- NA
      as.integer(numbers)
    },
    double = suppressWarnings(as.numeric(texts)),
    difftime = as.difftime(suppressWarnings(as.numeric(texts)), units = attr(x, "units")),
    integer64 = if (requireNamespace("bit64", quietly = TRUE)) {
      whole("^-?[0-9]+$", suppressWarnings(bit64::as.integer64(texts)))
    },
    logical = as.logical(texts),
    Date = whole("^-?[0-9]+-[0-9]{1,2}-[0-9]{1,2}$", as.Date(texts, optional = TRUE)),
    POSIXct = whole("Z$", as.POSIXct(texts, format = "%Y-%m-%dT%H:%M:%OSZ", tz = "UTC"))
  )
}
