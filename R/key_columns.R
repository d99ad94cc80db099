# Key columns made comparable: every pair of types becomes a pair of vectors
# that the engine reads as plain numbers or text. This is the only place that
# knows which types match.

# the engine's kinds, in the order of KeyKind in src/core/key_column.h
engine_kinds <- c(int32 = 0L, real = 1L, day = 2L, int64 = 3L, text = 4L)

# The family of a key column, or NA for one that can't be a key
key_family <- function(x) {
  if (!is.object(x)) {
    if (!is.null(dim(x))) {
      return(NA_character_)
    }
    return(switch(typeof(x),
      integer = "integer",
      double = "double",
      character = "text",
      logical = "logical",
      NA_character_
    ))
  }
  if (inherits(x, "AsIs")) {
    return(key_family(plain_as_is(x)))
  }
  family <- claimed_family(x)
  if (!is.na(family) && is_sound(x, family)) family else NA_character_
}

# the family that an object says it is of
claimed_family <- function(x) {
  found <- inherits(x, names(stored_as), which = TRUE) > 0L
  if (any(found) && is.null(dim(x))) names(stored_as)[found][1L] else NA_character_
}

# how the values of a class are stored; others are damaged
stored_as <- list(
  factor = "integer", Date = c("double", "integer"),
  POSIXct = c("double", "integer"), difftime = c("double", "integer"),
  integer64 = "double"
)

is_sound <- function(x, family) {
  if (!typeof(x) %in% stored_as[[family]]) {
    return(FALSE)
  }
  if (family == "difftime") {
    units <- attr(x, "units")
    return(is.character(units) && length(units) == 1L &&
      units %in% names(duration_seconds))
  }
  family != "factor" || is.character(levels(x))
}

plain_as_is <- function(x) {
  class(x) <- setdiff(oldClass(x), "AsIs")
  x
}

# how the families are called in messages
family_words <- c(
  integer = "integer", double = "double", integer64 = "64-bit integer",
  text = "text", factor = "factor", logical = "logical", Date = "date",
  POSIXct = "date-time", difftime = "duration"
)

type_word <- function(x) {
  family <- key_family(x)
  if (!is.na(family)) {
    return(family_words[[family]])
  }
  if (is.object(x)) class(x)[1L] else if (!is.null(dim(x))) "matrix" else if (is.list(x)) "list" else typeof(x)
}

# Families that match each other
family_group <- function(family) {
  switch(family,
    integer = , double = , integer64 = "number",
    text = , factor = "text",
    family
  )
}

families_match <- function(left, right) {
  !is.na(left) && !is.na(right) &&
    (left == right || family_group(left) == family_group(right))
}

stop_key_types <- function(x, y, rule, call, frames = c("left", "right")) {
  stop_ronda("type",
    sprintf(
      "`%s` of `%s` (%s) can't be matched with `%s` of `%s` (%s).",
      rule$left, frames[1L], type_word(x), rule$right, frames[2L], type_word(y)
    ),
    key_conversion(x, y, rule, frames),
    call = call
  )
}

# Types are known before anything is computed, unless `via` makes new ones.
# the rules, each with `bare`: the kind of two plain vectors of one type
check_key_types <- function(left, right, rules, call) {
  for (k in seq_along(rules)) {
    rule <- rules[[k]]
    if (length(rule$via)) next
    x <- .subset2(left, rule$left)
    y <- .subset2(right, rule$right)
    kind <- plain_kind_(x, y)
    if (!is.null(kind)) {
      rules[[k]]$plain_kind <- kind
    } else if (!families_match(key_family(x), key_family(y))) {
      stop_key_types(x, y, rule, call)
    }
  }
  rules
}

# The conversion to write, for two types that don't match
key_conversion <- function(x, y, rule, frames) {
  families <- c(key_family(x), key_family(y))
  places <- place_code(frames, c(rule$left, rule$right))
  if (anyNA(families)) {
    at <- which(is.na(families))[1L]
    damage <- damage_of(list(x, y)[[at]])
    if (!is.null(damage)) {
      return(sprintf("%s is damaged: %s. Make it anew.", places[at], damage))
    }
    as <- conversion_of_unknown(list(x, y)[[at]])
    if (is.null(as)) {
      return(sprintf(
        "A column of type %s can't be a key: choose another column.",
        type_word(list(x, y)[[at]])
      ))
    }
    return(sprintf("Write: %s <- %s(%s)", places[at], as, places[at]))
  }
  groups <- vapply(families, family_group, "")
  # the side to convert, and how, by what the two are
  change <- function(from, to) {
    at <- match(from, groups)
    sprintf("Write: %s <- %s", places[at], sprintf(to, places[at]))
  }
  has <- function(...) setequal(groups, c(...))
  if (has("Date", "POSIXct")) {
    at <- match("POSIXct", groups)
    zone <- attr(list(x, y)[[at]], "tzone")[1L]
    zone <- if (is.null(zone) || !nzchar(zone)) "" else zone
    return(change("POSIXct", sprintf("as.Date(%%s, tz = \"%s\")", zone)))
  }
  if (has("text", "Date")) {
    return(change("text", "as.Date(as.character(%s))"))
  }
  if (has("text", "POSIXct")) {
    return(change("text", "as.POSIXct(as.character(%s), tz = \"UTC\")"))
  }
  if (has("text", "number")) {
    return(change("number", "as.character(%s)"))
  }
  if (has("logical", "number")) {
    return(change("logical", "as.integer(%s)"))
  }
  if (has("logical", "text")) {
    return(change("text", "as.logical(as.character(%s))"))
  }
  if (has("number", "POSIXct")) {
    return(change("number", paste(
      "as.POSIXct(%s, origin = \"1970-01-01\", tz = \"UTC\"),",
      "if it counts seconds"
    )))
  }
  if (has("number", "Date")) {
    return(change("number",
      "as.Date(%s, origin = \"1970-01-01\"), if it counts days"
    ))
  }
  if (has("number", "difftime")) {
    return(change("difftime", "as.numeric(%s, units = \"mins\")"))
  }
  "Convert one of them, so that both are of one type."
}

# What is wrong with a vector that says it is of a class that can be a key
damage_of <- function(x) {
  family <- claimed_family(x)
  if (is.na(family)) {
    return(NULL)
  }
  if (!typeof(x) %in% stored_as[[family]]) {
    return(sprintf("it says it is %s, but holds values of type %s", family,
      typeof(x)
    ))
  }
  if (family == "difftime") {
    return(sprintf("its units must be %s", any_of(names(duration_seconds))))
  }
  "its levels are not text"
}

conversion_of_unknown <- function(x) {
  if (inherits(x, "POSIXlt")) {
    "as.POSIXct"
  } else if (is.list(x) || !is.null(dim(x))) {
    NULL
  } else if (is.numeric(x)) {
    "as.numeric"
  } else {
    "as.character"
  }
}

# One rule's two columns as the engine takes them: a list of one or two column
# pairs, each list(kind, left, right), and where texts of a side may be equal at
# different addresses, `one_address`: FALSE for that side.
align_keys <- function(x, y, rule, call, frames = c("left", "right")) {
  families <- c(key_family(x), key_family(y))
  if (!families_match(families[1L], families[2L])) {
    stop_key_types(x, y, rule, call)
  }
  if (families[1L] == "factor") check_factor(x, rule$left, frames[1L], call)
  if (families[2L] == "factor") check_factor(y, rule$right, frames[2L], call)
  switch(family_group(families[1L]),
    number = align_numbers(x, y, families),
    text = list(align_text(x, y, families)),
    logical = list(key_pair("int32", x, y)),
    Date = list(align_dates(x, y)),
    POSIXct = list(align_doubles(x, y)),
    difftime = list(align_durations(x, y)),
    stop("align_keys(): unknown family ", families[1L])
  )
}

# only what the engine reads: values, and the class of 64-bit integers
engine_values <- function(x) {
  int64 <- is_int64(x)
  attributes(x) <- NULL
  if (int64) int64_class(x) else x
}

key_pair <- function(kind, left, right) {
  list(kind = engine_kinds[[kind]], left = left, right = right)
}

align_numbers <- function(x, y, families) {
  if (any(families == "integer64")) {
    return(align_int64(x, y))
  }
  if (all(families == "integer")) {
    return(list(key_pair("int32", x, y)))
  }
  list(align_doubles(x, y))
}

align_doubles <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(key_pair("int32", x, y))
  }
  key_pair("real", as_double(x), as_double(y))
}

align_dates <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(key_pair("int32", x, y))
  }
  key_pair("day", as_double(x), as_double(y))
}

# A double that is no 64-bit integer equals none, but may equal another such
# double: it goes into a second column.
align_int64 <- function(x, y) {
  sides <- lapply(list(x, y), int64_parts)
  pairs <- list(key_pair("int64", sides[[1L]]$values, sides[[2L]]$values))
  rest <- lapply(sides, function(side) side$not_int64)
  if (!is.null(rest[[1L]]) || !is.null(rest[[2L]])) {
    none <- vapply(rest, is.null, NA)
    rest[none] <- lapply(list(x, y)[none], function(x) numeric(length(x)))
    pairs[[2L]] <- c(key_pair("real", rest[[1L]], rest[[2L]]), rest = TRUE)
  }
  pairs
}

align_text <- function(x, y, families) {
  if (all(families == "factor")) {
    return(align_factors(x, y))
  }
  c(list(kind = engine_kinds[["text"]]), comparable_texts_(as_text(x), as_text(y)))
}

# The rules, each with `cleaned`: what its `via` makes of the two whole columns. It
# is run once, and whoever asks later (row order, explanations) is told the same.
clean_keys <- function(rules, left, right, call) {
  for (k in seq_along(rules)) {
    rule <- rules[[k]]
    if (!length(rule$via) || !is.null(rule$cleaned)) next
    rules[[k]]$cleaned <- list(
      left = apply_via(.subset2(left, rule$left), rule$via, rule, "left", call),
      right = apply_via(.subset2(right, rule$right), rule$via, rule, "right",
        call
      )
    )
  }
  rules
}

# `via` applied, and what it returned checked
apply_via <- function(x, via, rule, side, call) {
  fun <- via[[side]]
  if (is.null(fun)) {
    return(x)
  }
  place <- sprintf("`%s` of `%s`", rule[[side]], side)
  value <- run_theirs(fun(x), "argument", sprintf("`via` failed on %s", place),
    call
  )
  if (!is.null(dim(value)) || length(value) != length(x)) {
    stop_ronda("argument",
      sprintf(
        "`via` must return a vector of %s for %s, not %s.",
        counted(length(x), "value"), place, described(value)
      ),
      call = call
    )
  }
  value
}

# All same() rules of a pairing, as the engine takes them. (`rest`: a second column
# of the rule before, of numbers that are no 64-bit integers.)
engine_keys <- function(left, right, rules, call) {
  if (!length(rules)) {
    return(list(left = list(), right = list(), kinds = integer()))
  }
  rules <- clean_keys(rules, left, right, call)
  one_address <- c(TRUE, TRUE)
  keys <- list()
  others <- list()
  kinds <- integer()
  rest <- logical()
  for (rule in rules) {
    if (is.null(rule$cleaned)) {
      x <- .subset2(left, rule$left)
      y <- .subset2(right, rule$right)
    } else {
      x <- rule$cleaned$left
      y <- rule$cleaned$right
    }
    pairs <- if (is.null(rule$plain_kind)) {
      align_keys(x, y, rule, call)
    } else {
      list(list(kind = rule$plain_kind, left = x, right = y))
    }
    for (pair in pairs) {
      k <- length(kinds) + 1L
      keys[[k]] <- pair$left
      others[[k]] <- pair$right
      kinds[k] <- pair$kind
      rest[k] <- !is.null(pair$rest)
      if (!is.null(pair$one_address)) one_address <- one_address & pair$one_address
    }
  }
  list(
    left = keys, right = others, kinds = kinds, one_address = one_address, rest = rest
  )
}
