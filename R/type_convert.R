# The conversion to write, for two types that do not match.

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
