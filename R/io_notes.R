# What is said of a text file that was read: what was found without being asked for, and
# columns that stay text for a reason that can be cured.

say_what_was_read <- function(found, marks, head, line_of, rows, asked, label) {
  file <- encodeString(shortened(label, 200L), quote = "'")
  again <- rows_of_names(found, head)
  lines <- c(
    note_of_form(head, marks, asked, file),
    note_of_names(head, file),
    note_of_points(marks, head$names, asked, file),
    note_of_names_again(again, line_of, asked, file),
    notes_of_odd_cells(found, head$names, line_of, rows, again, asked, file),
    notes_of_forms(found, head$names, asked, file),
    if ("NA" %in% asked$missing) note_of_codes(found, head$names, asked, file)
  )
  if (length(lines)) say_classed("note", lines)
}

# The separator and the decimal mark, where nobody said them
note_of_form <- function(head, marks, asked, file) {
  commas <- head$names[is.null(asked$decimal) & marks %in% ","]
  parts <- c(
    if (head$found) sprintf("%s between cells", separator_word(head$delimiter)),
    if (length(commas)) sprintf("decimal commas in %s", ticked(commas))
  )
  settings <- c(
    if (head$found) reading_setting(asked, "delimiter", head$delimiter),
    if (length(commas)) reading_setting(asked, "decimal", ",")
  )
  if (length(parts)) {
    c(
      sprintf("%s was read with %s.", file, listed(parts, "and")),
      paste("* To say so:", paste(settings, collapse = either(", ", " ")))
    )
  }
}

note_of_names <- function(head, file) {
  changed <- which(head$names != head$names_there)
  if (length(changed)) {
    texts <- ifelse(nzchar(head$names_there[changed]),
      sprintf("`%s` in column %d is called `%s`", readable(head$names_there[changed]), changed,
        readable(head$names[changed])
      ),
      sprintf("column %d `%s`", changed, head$names[changed])
    )
    sprintf("%s has columns without a name of their own: %s.", file, listed(texts, "and"))
  }
}

note_of_points <- function(marks, names, asked, file) {
  points <- names[is.na(marks)]
  if (length(points)) {
    c(
      sprintf("%s of %s %s kept as text: %s points where others have decimal commas.",
        ticked(points), file, if (length(points) == 1L) "is" else "are",
        if (length(points) == 1L) "its numbers have" else "their numbers have"
      ),
      paste("* If these are decimal points:",
        reading_setting(asked, "types", structure(rep("number", length(points)), names = points))
      )
    )
  }
}

# Rows that hold the names again
rows_of_names <- function(found, head) {
  names <- head$names_there
  if (length(names) < 2L || !is.character(found[[1L]]$values)) {
    return(integer())
  }
  rows <- which(found[[1L]]$values == names[1L])
  for (k in seq_along(names)[-1L]) {
    if (!length(rows)) break
    rows <- rows[as.character(found[[k]]$values[rows]) %in% names[k]]
  }
  rows
}

note_of_names_again <- function(rows, line_of, asked, file) {
  if (!length(rows)) {
    return()
  }
  lines <- vapply(utils::head(rows, 100L), line_of, 0)
  one <- length(lines) == 1L
  c(
    sprintf("%s of %s %s the names again.",
      paste(if (one) "Line" else "Lines", listed(sprintf("%.0f", lines), "and")), file,
      if (one) "has" else "have"
    ),
    sprintf("* If %s: %s", if (one) "it is not a row" else "they are not rows",
      reading_setting(asked, "skip", lines)
    )
  )
}

# What is text for the sake of a few cells
notes_of_odd_cells <- function(found, names, line_of, rows, again, asked, file) {
  kept <- which(vapply(found, function(column) {
    column$type == "text" && column$others > 0 && column$most != "text" &&
      column$others <= max(1, column$there / 10) &&
      !(column$odd %in% again && column$others <= length(again))
  }, NA))
  if (!length(kept)) {
    return()
  }
  odd_rows <- vapply(found[kept], `[[`, 0, "odd")
  lines <- vapply(odd_rows, line_of, 0)
  at_edge <- unique(lines[odd_rows %in% c(1, rows)])
  c(
    vapply(seq_along(kept), function(k) {
      column <- found[[kept[k]]]
      one <- column$others == 1
      sprintf("Column `%s` of %s is kept as text: %s of %s %s; line %.0f has %s.",
        names[kept[k]], file, with_commas(column$others), counted(column$there, "cell"),
        sprintf(if (one) "is not %s" else "are not %s",
          cell_words[[column$most]][if (one) 1L else 2L]
        ),
        lines[k], shown(column$odd_text)
      )
    }, ""),
    sprintf("* If text is right: %s",
      reading_setting(asked, "types", structure("text", names = names[kept[1L]]))
    ),
    if (length(at_edge)) {
      sprintf("* If line %.0f holds no row: %s", at_edge,
        vapply(at_edge, function(line) reading_setting(asked, "skip", line), "")
      )
    }
  )
}

# one of them, and several
cell_words <- list(
  flag = c("TRUE or FALSE", "TRUE or FALSE"), number = c("a plain number", "plain numbers"),
  date = c("a day such as 2031-05-01", "days such as 2031-05-01"),
  time = c("a time such as 2031-05-01 10:05", "times such as 2031-05-01 10:05")
)

# Texts in a form that is not read as anything until somebody says what it means --------

# Columns of days such as 03/04/2025, numbers with marks between thousands, or with a decimal
# comma: one note for all columns of a form
notes_of_forms <- function(found, names, asked, file) {
  forms <- lapply(found, function(column) {
    if (column$type == "text" && column$others > 0 && is.character(column$values)) {
      unsaid_form(column$values)
    }
  })
  has <- which(!vapply(forms, is.null, NA))
  groups <- split(has, vapply(forms[has], function(form) paste(form$types, collapse = " "), ""))
  unlist(lapply(groups, function(columns) {
    form <- forms[[columns[1L]]]
    one <- length(columns) == 1L
    begin <- sprintf("%s of %s %s kept as text", ticked(names[columns]), file,
      if (one) "is" else "are"
    )
    settings <- vapply(form$types, function(type) {
      if (type == "decimal") reading_setting(asked, "decimal", ",") else {
        reading_setting(asked, "types",
          structure(rep(type, length(columns)), names = names[columns])
        )
      }
    }, "")
    c(sprintf("%s: %s.", begin, form$why), paste0("* ", form$if_so, settings))
  }), use.names = FALSE)
}

# list(types, why, if_so): what a column of texts may be; NULL where nothing is known
unsaid_form <- function(text) {
  text <- text[!is.na(text)]
  if (!length(text) || !grepl("^[-+]?[0-9]", text[1L])) {
    return(NULL)
  }
  for (form in list(day_form, thousands_form, comma_form)) {
    if (is.null(form(utils::head(text, 50L)))) next
    found <- form(unique(text))
    if (!is.null(found)) {
      return(found)
    }
  }
}

day_form <- function(texts) {
  types <- day_forms(texts)
  if (!length(types)) {
    return(NULL)
  }
  example <- shown(texts[1L])
  if (length(types) == 1L) {
    list(types = types, why = paste("days such as", example), if_so = "To read them: ")
  } else {
    list(types = types, why = sprintf("%s may have the day or the month first", example),
      if_so = c("Day first: ", "Month first: ")
    )
  }
}

thousands_form <- function(texts) {
  marked <- "[0-9][.,'\u00a0 ][0-9]{3}"
  if (all(grepl("^[-+]?[0-9.,'\u00a0 ]+$", texts)) && any(grepl(marked, texts))) {
    plain <- "^[-+]?[0-9]+(?:[%s][0-9]+)?$"
    for (decimal in c(".", ",")) {
      grouped <- grepl(thousands_pattern(if (decimal == ",") "[.]" else ",", decimal), texts)
      ok <- grouped | grepl(sprintf(plain, decimal), texts)
      if (all(ok) && any(grouped)) {
        return(list(types = "number", if_so = "To read them: ", why = sprintf(
          "numbers with marks between thousands, such as %s", shown(texts[grouped][1L])
        )))
      }
    }
  }
}

comma_form <- function(texts) {
  if (all(grepl("^-?[0-9]+(,[0-9]+)?$", texts)) && any(grepl(",", texts, fixed = TRUE))) {
    list(types = "decimal", if_so = "If these are decimals: ", why = sprintf(
      "numbers with a comma, such as %s", shown(texts[grepl(",", texts, fixed = TRUE)][1L])
    ))
  }
}

# NA may be Namibia: in a column of two-letter codes with missing values.
note_of_codes <- function(found, names, asked, file) {
  codes <- which(vapply(found, function(column) {
    is.character(column$values) && anyNA(column$values) && {
      values <- unique(column$values[!is.na(column$values)])
      length(values) > 1L && all(grepl("^[A-Z]{2}$", values))
    }
  }, NA))
  if (length(codes)) {
    c(
      sprintf("%s of %s %s two-letter codes, and a cell NA means missing there.",
        ticked(names[codes]), file, if (length(codes) == 1L) "holds" else "hold"
      ),
      sprintf("* If NA is a code: %s", reading_setting(asked, "missing", ""))
    )
  }
}
