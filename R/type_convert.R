# The conversion to write, for two types that do not match: chosen by what the values
# are, so that what is told to be written can be pasted, and the values then meet.

stop_key_types <- function(x, y, rule, call, frames = frame_marks) {
  stop_ronda("type",
    sprintf(
      "`%s` of `%s` is %s and `%s` of `%s` is %s: they can't be matched.",
      rule$left, frames[1L], type_word(x), rule$right, frames[2L], type_word(y)
    ),
    if (length(x) && length(y)) {
      conversion_lines(x, y, place_code(frames, c(rule$left, rule$right)))
    } else {
      lines_without_values(x, y, rule)
    },
    call = call, data = list(
      columns = c(rule$left, rule$right), types = c(type_word(x), type_word(y))
    )
  )
}

# Lines that say what to write for two columns at these places in code
conversion_lines <- function(x, y, places) {
  values <- list(x, y)
  damaged <- which(vapply(values, is_damaged_factor, NA))
  if (length(damaged)) {
    return(sprintf("%s is a damaged factor: make it anew.", places[damaged[1L]]))
  }
  groups <- vapply(values, type_group, "")
  if (anyNA(groups)) {
    at <- which(is.na(groups))[1L]
    return(lines_for_unknown(values[[at]], places[at]))
  }
  # In C order, whatever the locale is.
  ordered <- sort(groups, method = "radix")
  convert <- conversions[[paste(ordered, collapse = " and ")]]
  if (is.null(convert)) {
    return("Convert one of them, so that both are of one type.")
  }
  if (groups[1L] != ordered[1L]) {
    values <- rev(values)
    places <- rev(places)
  }
  convert(values[[1L]], values[[2L]], places[1L], places[2L])
}

# Without values, as before files are read, only the types are known: the key is converted
# for matching, or a text file is read otherwise.
lines_without_values <- function(x, y, rule) {
  groups <- vapply(list(left = x, right = y), type_group, "")
  at <- function(group) names(groups)[groups %in% group][1L]
  text <- at("text")
  convert <- if (!is.na(text) && any(groups %in% "POSIXct")) {
    list(text, "function(x) as.POSIXct(x, tz = \"UTC\")")
  } else if (!is.na(text)) {
    list(setdiff(names(groups), text), "as.character")
  } else if (!is.na(at("Date")) && !is.na(at("POSIXct"))) {
    list(at("POSIXct"), "function(x) as.Date(x, tz = \"UTC\")")
  } else if (!anyNA(groups)) {
    list(at(setdiff(groups, "number")), "as.numeric")
  }
  typed <- c(number = "number", text = "text", Date = "date", POSIXct = "datetime")
  types <- function(side) {
    other <- groups[[setdiff(names(groups), side)]]
    if (other %in% names(typed)) structure(typed[[other]], names = rule[[side]])
  }
  columns <- unique(c(rule$left, rule$right))
  c(
    if (!is.null(convert)) {
      either(sprintf("Write: on = same(%s, via = list(%s = %s))",
        paste(vapply(columns, text_code, ""), collapse = ", "), convert[[1L]], convert[[2L]]
      ), NULL)
    },
    unlist(lapply(c("left", "right"), function(side) {
      if (is.null(types(side))) {
        return(NULL)
      }
      sprintf("%s %s file is text, write: %s", either("Or if the", "If the"), side,
        either(sprintf("frame_files(..., %s)", setting("types", types(side))),
          setting("types", stats::setNames(types(side), paste0(side, ".", rule[[side]])))
        )
      )
    }))
  )
}

# On the command line a file can be read with the column as another type.
write_line <- function(place, code, ..., type = NULL) {
  if (!speaks_options()) {
    return(sprintf("Write: %s <- %s", place, sprintf(code, place, ...)))
  }
  if (is.null(type)) sprintf("Change `%s` in its file: no option does that.", names(place)) else {
    paste("Write:", setting("types", structure(type, names = names(place))))
  }
}

# The column that a rule's conversion is for
convert_place <- function(rule) {
  side <- rule$convert$side
  place_code(frame_marks[match(side, c("left", "right"))], rule[[side]])
}

# A conversion: `run`, a function of a column, `code`, the same as code of a column's name
# (%s), and `type`, how a file is read so
new_conversion <- function(run, code, type) list(run = run, code = code, type = type)

# each takes two columns and their places, in the order of the name
conversions <- list(
  "Date and POSIXct" = function(day, time, day_place, time_place) {
    write_line(time_place, time_as_day(time)$code, type = "date")
  },
  "Date and text" = function(day, text, day_place, text_place) {
    text_to_time_lines(text, text_place, day)
  },
  "POSIXct and text" = function(time, text, time_place, text_place) {
    text_to_time_lines(text, text_place, time)
  },
  "number and text" = function(number, text, number_place, text_place) {
    text_and_number_lines(text, number, text_place, number_place)
  },
  "logical and number" = function(flag, number, flag_place, number_place) {
    write_line(flag_place, "as.integer(%s)")
  },
  "logical and text" = function(flag, text, flag_place, text_place) {
    if (reads_as_flags(text)) {
      return(write_line(text_place, "as.logical(as.character(%s))"))
    }
    write_line(flag_place, "as.character(%s)", type = "text")
  },
  "POSIXct and number" = function(time, number, time_place, number_place) {
    number_to_time_lines(number, number_place, time)
  },
  "Date and number" = function(day, number, day_place, number_place) {
    number_to_day_lines(number, number_place)
  },
  "difftime and number" = function(span, number, span_place, number_place) {
    unit <- attr(span, "units")
    c(
      write_line(span_place, "as.numeric(%s, units = \"%s\")", unit),
      sprintf("That is right if the numbers count %s.", unit)
    )
  },
  "difftime and text" = function(span, text, span_place, text_place) {
    if (!reads_as_numbers(text)) {
      return(either("Make the text numbers of one unit first, then as.difftime() of them.",
        "Make the text numbers of one unit in its file."
      ))
    }
    unit <- attr(span, "units")
    c(
      write_line(text_place, "as.difftime(as.numeric(as.character(%s)), units = \"%s\")",
        unit
      ),
      sprintf("That is right if the numbers count %s.", unit)
    )
  }
)

# A column of a type that can't be a key
lines_for_unknown <- function(x, place) {
  damage <- damage_of(x)
  if (!is.null(damage)) {
    return(sprintf("%s is damaged: %s. Make it anew.", place, damage))
  }
  if (inherits(x, "POSIXlt")) {
    return(write_line(place, "as.POSIXct(%s)"))
  }
  if (is.list(x) || !is.null(dim(x)) || !is.atomic(x)) {
    return(sprintf("A column of type %s can't be compared: choose another column.",
      type_word(x)
    ))
  }
  if (!is.null(attr(x, "units"))) {
    return(c(
      "Its numbers have a unit: see to it first that both columns have the same.",
      write_line(place, "as.numeric(%s)", type = "number")
    ))
  }
  if (is.numeric(x)) {
    write_line(place, "as.numeric(%s)", type = "number")
  } else {
    write_line(place, "as.character(%s)", type = "text")
  }
}

# Text and numbers -----------------------------------------------------------------

reads_as_flags <- function(text) {
  text <- as_text(text)
  !anyNA(as.logical(text[!is.na(text)]))
}

# the different texts of a column in UTF-8 (as.numeric() takes no other beyond ASCII),
# without missing and blank ones
written_texts <- function(text) {
  texts <- unique(as_text(text))
  texts <- enc2utf8(texts[!is.na(texts) & is_sound_text(texts)])
  texts[grepl("[^[:space:]]", texts)]
}

reads_as_numbers <- function(text) {
  text <- as_text(text)
  if (!all(is_sound_text(text))) {
    return(FALSE)
  }
  text <- written_texts(text)
  length(text) > 0L && !anyNA(suppressWarnings(as.numeric(text)))
}

text_and_number_lines <- function(text, number, text_place, number_place) {
  if (!reads_as_numbers(text)) {
    numbers <- plain_numbers(number)
    if (reads_as_flags(text) && all(numbers %in% c(0, 1, NA))) {
      return(write_line(text_place, "as.logical(as.character(%s))"))
    }
    if (!is.null(time_form(text)) && !is.na(number_counts(numbers))) {
      return(text_to_time_lines(text, text_place))
    }
    return(number_to_text_line(number, text, number_place))
  }
  found <- text_as_number(text, written_texts(text), number)
  padded <- grep("^[[:space:]]*0[0-9]", as_text(text), value = TRUE)
  c(
    write_line(text_place, found$code, type = found$type),
    if (length(padded)) {
      sprintf("Leading zeros get lost by that: \"%s\" becomes %s.", padded[1L],
        sub("^[[:space:]]*0+(?=.)", "", padded[1L], perl = TRUE)
      )
    }
  )
}

# `texts`: the different ones of `text`, which read as numbers
text_as_number <- function(text, texts, number) {
  if (is_int64(number) || max(abs(as.numeric(texts)), 0) >= 2^53) {
    return(new_conversion(function(x) bit64::as.integer64(as.character(x)),
      "bit64::as.integer64(as.character(%s))", "integer"
    ))
  }
  new_conversion(function(x) as.numeric(as_text(x)),
    if (is.factor(text)) "as.numeric(as.character(%s))" else "as.numeric(%s)", "number"
  )
}

# Numbers as the texts beside them are written: without an exponent, a missing one
# missing, and padded with zeros where the texts are
number_to_text_line <- function(number, text, place) {
  if (is_int64(number)) {
    return(write_line(place, "bit64::as.character.integer64(%s)", type = "text"))
  }
  plain <- strip_class(number)
  width <- padded_width(as_text(text))
  code <- if (is.integer(plain)) {
    if (width) sprintf("%%0%dd", width) else "%d"
  } else if (all(plain == trunc(plain), na.rm = TRUE)) {
    if (width) sprintf("%%0%d.0f", width) else "%.0f"
  } else {
    "%.15g"
  }
  c(
    write_line(place, sprintf("ifelse(is.na(%%s), NA, sprintf(\"%s\", %%1$s))",
      gsub("%", "%%", code, fixed = TRUE)
    ), type = "text"),
    if (width) sprintf("That pads with zeros to %d digits, as the texts are.", width)
  )
}

# the digits of numbers in texts that are all as long and begin with 0 here and there
padded_width <- function(texts) {
  digits <- grep("^[0-9]+$", texts, value = TRUE)
  widths <- unique(nchar(digits))
  if (length(widths) == 1L && widths > 1L && any(startsWith(digits, "0"))) widths else 0L
}

# Numbers and times -----------------------------------------------------------------

# Numbers that would be times from 1950 to 2100.
looks_like_times <- function(number, per_second) {
  seconds <- plain_numbers(number) / per_second
  seconds <- seconds[is.finite(seconds)]
  length(seconds) > 0L && all(seconds >= -631152000 & seconds <= 4102444800) &&
    any(abs(seconds) > 86400 * 365)
}

# what numbers count if they are times, NA where they look like none
number_counts <- function(number) {
  per_second <- c(seconds = 1, milliseconds = 1000, days = 1 / 86400)
  names(per_second)[vapply(per_second, looks_like_times, NA, number = number)][1L]
}

number_to_time_lines <- function(number, place, time) {
  counts <- number_counts(number)
  if (is.na(counts)) counts <- "seconds"
  code <- switch(counts, seconds = "%s", milliseconds = "%s / 1000", days = "%s * 86400")
  c(
    write_line(place,
      paste0("as.POSIXct(", code, ", origin = \"1970-01-01\", tz = %s)"),
      text_code(zone_of(time))
    ),
    sprintf("That is right if it counts %s since 1970.", counts)
  )
}

number_to_day_lines <- function(number, place) {
  values <- plain_numbers(number)
  written <- sprintf("%.0f", values[!is.na(values)])
  if (length(written) && all(grepl("^[12][0-9]{7}$", written)) &&
    !anyNA(as.Date(written, "%Y%m%d"))) {
    return(write_line(place, "as.Date(sprintf(\"%%.0f\", as.numeric(%s)), format = \"%%Y%%m%%d\")"))
  }
  if (identical(number_counts(number), "seconds")) {
    return(c(
      write_line(place, "as.Date(%s / 86400, origin = \"1970-01-01\")"),
      "That is right if it counts seconds since 1970."
    ))
  }
  c(
    write_line(place, "as.Date(%s, origin = \"1970-01-01\")"),
    "That is right if it counts days since 1970."
  )
}

# Text and times --------------------------------------------------------------------

# what dates and times look like as text, and the format that reads them
time_forms <- local({
  days <- c(
    "[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}" = "%Y-%m-%d",
    "[0-9]{4}/[0-9]{1,2}/[0-9]{1,2}" = "%Y/%m/%d",
    "[0-9]{1,2}[.][0-9]{1,2}[.][0-9]{4}" = "%d.%m.%Y",
    "[0-9]{1,2}/[0-9]{1,2}/[0-9]{4}" = "%d/%m/%Y",
    "[0-9]{1,2}/[0-9]{1,2}/[0-9]{4}" = "%m/%d/%Y",
    "[0-9]{1,2}-[0-9]{1,2}-[0-9]{4}" = "%d-%m-%Y",
    "[0-9]{1,2}[.][0-9]{1,2}[.][0-9]{2}" = "%d.%m.%y",
    "[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}" = "%d/%m/%y",
    "[0-9]{1,2}/[0-9]{1,2}/[0-9]{2}" = "%m/%d/%y",
    "[0-9]{8}" = "%Y%m%d"
  )
  times <- c(
    " [0-9]{1,2}:[0-9]{2}" = " %H:%M", "T[0-9]{2}:[0-9]{2}" = "T%H:%M",
    " [0-9]{1,2}:[0-9]{2}:[0-9]{2}([.][0-9]+)?" = " %H:%M:%OS",
    "T[0-9]{2}:[0-9]{2}:[0-9]{2}([.][0-9]+)?" = "T%H:%M:%OS",
    "T[0-9]{2}:[0-9]{2}:[0-9]{2}([.][0-9]+)?Z" = "T%H:%M:%OSZ"
  )
  form <- function(pattern, format, has_time) {
    list(pattern = sprintf("^%s$", pattern), format = format, has_time = has_time)
  }
  c(
    unname(Map(form, names(days), days, FALSE)),
    unlist(lapply(seq_along(days), function(k) {
      unname(Map(form, paste0(names(days)[k], names(times)), paste0(days[k], times),
        TRUE
      ))
    }), recursive = FALSE)
  )
})

# The forms of which all texts are
time_forms_of <- function(texts) {
  # The first texts rule out most forms.
  Filter(function(form) {
    all(grepl(form$pattern, utils::head(texts, 20L))) && all(grepl(form$pattern, texts)) &&
      !anyNA(as.POSIXct(texts, format = form$format, tz = "UTC"))
  }, time_forms)
}

# The form of which all texts are; of two that fit, the one by which more values are
# in the other column
time_form <- function(text, other = NULL) {
  texts <- utils::head(written_texts(text), 10000L)
  if (!length(texts)) {
    return(NULL)
  }
  fits <- time_forms_of(texts)
  if (length(fits) < 2L || is.null(other)) {
    return(if (length(fits)) fits[[1L]])
  }
  days <- floor(plain_numbers(other) / if (inherits(other, "Date")) 1 else 86400)
  meets <- vapply(fits, function(form) {
    sum(as_double(strip_class(as.Date(texts, format = form$format))) %in% days)
  }, 1L)
  fits[[which.max(meets)]]
}

text_to_time_lines <- function(text, place, other = NULL) {
  form <- time_form(text, other)
  if (is.null(form)) {
    return(c(
      sprintf("Its text (%s) is in no form that is known here.",
        shown(formless_text(text))
      ),
      either("Read it with as.Date() or as.POSIXct() and `format`, in its own form.",
        paste("Say its form, for example:",
          setting("types", structure("date:%d.%m.%Y", names = names(place)))
        )
      )
    ))
  }
  found <- text_as_time(text, form, other)
  # Times in files are read as UTC.
  is_utc <- inherits(other, "Date") || is.null(other) || zone_of(other) %in% c("UTC", "GMT")
  write_line(place, found$code, type = if (is_utc || startsWith(found$type, "date:")) found$type)
}

# text of a known form as days or times, whichever the other column has
text_as_time <- function(text, form, other = NULL) {
  own <- if (is.factor(text)) "as.character(%s)" else "%s"
  # A per cent sign in a format must not be taken for a placeholder.
  format <- gsub("%", "%%", text_code(form$format), fixed = TRUE)
  if (if (is.null(other)) !form$has_time else inherits(other, "Date")) {
    return(new_conversion(function(x) as.Date(as_text(x), format = form$format),
      sprintf("as.Date(%s, format = %s)", own, format), paste0("date:", form$format)
    ))
  }
  zone <- if (endsWith(form$format, "Z") || is.null(other)) "UTC" else zone_of(other)
  new_conversion(function(x) as.POSIXct(as_text(x), format = form$format, tz = zone),
    sprintf("as.POSIXct(%s, format = %s, tz = %s)", own, format, text_code(zone)),
    paste0("datetime:", form$format)
  )
}

time_as_day <- function(time) {
  zone <- zone_of(time)
  new_conversion(function(x) as.Date(x, tz = zone),
    sprintf("as.Date(%%s, tz = %s)", text_code(zone)), "date"
  )
}

# one that is in no form, where there is one, else the first
formless_text <- function(text) {
  texts <- utils::head(written_texts(text), 10000L)
  known <- Reduce(`|`, lapply(time_forms, function(form) grepl(form$pattern, texts)))
  c(texts[!known], texts, "")[1L]
}
