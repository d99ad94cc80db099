# The code that makes a pairing, as text that runs.

# `via`: code for the rules of some columns, by their names; `rules` and `expect` in the
# stead of the pairing's own
pairing_code <- function(pairing, rules = pairing$rules, via = list(),
                         expect = pairing$expect) {
  argument <- function(name, value, usual) {
    if (!identical(value, usual)) {
      sprintf("%s = %s", name, paste(argument_code(value), collapse = "\n  "))
    }
  }
  if (isTRUE(pairing$hidden)) via <- utils::modifyList(hidden_corrections(rules), via)
  arguments <- c(
    sprintf("on = list(%s)", paste(vapply(rules, one_rule_code, "", via = via),
      collapse = ",\n    "
    )),
    argument("where", pairing$where, NULL),
    argument("missing_keys", pairing$missing_keys, "unmatched"),
    argument("repeats", pairing$repeats, "all"),
    argument("expect", expect, NULL),
    argument("max_rows", pairing$max_rows, NULL),
    argument("sides", pairing$sides, c("left", "right"))
  )
  paste0("pairing <- pair_rows(", paste(name_code(pairing$code), collapse = ", "), ",\n  ",
    paste(arguments, collapse = ",\n  "), "\n)"
  )
}

one_rule_code <- function(rule, via) {
  text <- rule_code(rule)
  own <- if (is_key_rule(rule)) via[[rule$left]]
  if (is.null(own) && !length(rule$via)) {
    return(text)
  }
  if (is.null(own)) own <- via_code(rule$via)
  # `via` is the last argument of the rule.
  paste0(sub("(, via = .*)?[)]$", ", via = ", text), own, ")")
}

# Corrections hold values of the data: where none may be shown, code names them only
hidden_corrections <- function(rules) {
  via <- lapply(rules, function(rule) {
    if (length(rule$via) && grepl("corrections", via_words(rule$via))) "fixes"
  })
  names(via) <- vapply(rules, function(rule) rule$left[1L], "")
  compact(via)
}

argument_code <- function(value) {
  if (inherits(value, "ronda_choice")) format(value) else deparse(value)
}

# The call that builds the frame
building_code <- function(fold = NULL) {
  if (is.null(fold)) {
    return("build_frame(pairing, rows = \"left\")")
  }
  texts <- vapply(fold, function(x) paste(trimws(deparse(x)), collapse = " "), "")
  sprintf("build_frame(pairing, fold = list(\n  %s\n))",
    paste(name_code(names(fold)), texts, sep = " = ", collapse = ",\n  ")
  )
}

# What formulas take from where they were written, as lines to run first: plain values
# that are short
values_code <- function(formulas) {
  formulas <- Filter(function(x) inherits(x, "formula"), formulas)
  lines <- lapply(formulas, function(formula) {
    place <- environment(formula)
    names <- setdiff(variables_of(formula), c(side_names, "."))
    names <- Filter(function(name) {
      exists(name, place) && !exists(name, baseenv()) && is_short_value(get(name, place))
    }, names)
    vapply(names, function(name) {
      sprintf("%s <- %s", name_code(name), paste(deparse(get(name, place)), collapse = "\n"))
    }, "")
  })
  unique(unlist(lines, use.names = FALSE))
}

# names that code takes from around it: not functions, nor what stands after a dollar
variables_of <- function(code) {
  if (is.name(code)) {
    return(as.character(code))
  }
  if (!is.call(code)) {
    return(NULL)
  }
  parts <- as.list(code)[-1L]
  if (identical(code[[1L]], quote(`$`))) parts <- parts[1L]
  unique(unlist(lapply(parts, variables_of)))
}

is_short_value <- function(x) is.atomic(x) && !is.null(x) && length(x) <= 20L

# What matters first -----------------------------------------------------------------

# What an analyst should know of a pairing first, in sentences, and what to do next. All
# that is advised has been tried: the numbers are those of the pairing that it gives.

# list(expected, lost, several): sentences
verdict_of <- function(pairing, reasons) {
  list(
    expected = held_words(pairing), lost = lost_words(pairing, reasons),
    several = partners_words(pairing)
  )
}

held_words <- function(pairing) {
  said <- named_expectations(pairing$expect)
  shape <- if (pairing$counts$pairs > 0) {
    sprintf("The keys are %s.", key_shape_of(pairing$counts))
  } else {
    "There is no pair."
  }
  # A pairing that fails its expectations is never returned.
  c(
    if (length(said)) {
      sprintf("Checks passed: %s.", listed(said, "and", 12L))
    } else {
      "No expectations were checked."
    },
    shape
  )
}

# what was expected, as it is written
named_expectations <- function(expect) {
  if (is.null(expect)) {
    return(character())
  }
  items <- as.list(expect)
  names <- names(items)
  if (is.null(names)) names <- rep("", length(items))
  unlist(Map(function(item, name) {
    if (nzchar(name)) sprintf("%s = %s", name, format(item)) else
      if (is.function(item)) "a function" else text_code(item)
  }, items, names), use.names = FALSE)
}

# what an inner join would lose, by reason
lost_words <- function(pairing, reasons) {
  counts <- reasons$counts
  lines <- lapply(side_names, function(side) {
    one <- counts[counts$side == side, ]
    if (!nrow(one)) {
      return(NULL)
    }
    one <- one[order(-one$rows), ]
    parts <- sprintf("%s: %s", one$reason, with_commas_each(one$rows))
    sprintf("%s of %s %s unmatched (%s).", counted(sum(one$rows), "row"),
      pairing$labels[side_number(side)], if (sum(one$rows) == 1) "is" else "are",
      paste(parts, collapse = "; ")
    )
  })
  unlist(lines)
}

partners_words <- function(pairing) {
  several <- account_frame(pairing)$several
  if (pairing$counts$most_left > 1L) {
    sprintf("%s of %s %s several partners: up to %s.", counted(several[1L], "row"),
      pairing$labels[1L], if (several[1L] == 1L) "has" else "have",
      with_commas(pairing$counts$most_left)
    )
  }
}

# What to do next -----------------------------------------------------------------

# The pairing as it is with other rules or choices; NULL where that is refused
pair_again <- function(pairing, rules = pairing$rules, expect = "rows-multiply") {
  choices <- pairing[names(pairing_choices)]
  choices["expect"] <- list(expect)
  tryCatch(
    pair_up(pairing$left, pairing$right,
      lapply(rules, structure, class = "ronda_rule_record"), choices, pairing$labels,
      call_with_frames(quote(pair_rows()), pairing$labels, pairing$code)
    ),
    ronda_error = function(e) NULL
  )
}

# the rules, the key of a column changed
with_key <- function(rules, column, change) {
  lapply(rules, function(rule) {
    if (is_key_rule(rule) && identical(rule$left, column)) change(rule) else rule
  })
}

# the same with another `via`
with_via <- function(rules, column, via) {
  with_key(rules, column, function(rule) {
    rule$via <- check_via(via, NULL)
    rule
  })
}

# what rounds the keys of some near misses alike, as a function and as code
rounding_via <- function(misses) {
  digits <- rounding_digits(as.numeric(misses$from[1L]), as.numeric(misses$to[1L]))
  list(run = function(x) round(x, digits), code = rounding_code(digits))
}

# near misses that are most likely typing errors
are_sure_typos <- function(misses) {
  is.na(misses$via) & grepl("typing error", misses$reason) & misses$sureness >= sure_enough
}

# list(within, rules): a distance that reaches most of what lies beyond that of a rule, and
# the rules with it
wider_rules <- function(pairing, far) {
  within <- round_distance(abs(far$distance), far$plan$closest$within, far$plan$scale)
  list(within = within, rules = lapply(pairing$rules, function(rule) {
    if (kind_of(rule)$chooses) rule$within <- within
    rule
  }))
}

# what holds of the keys, as `expect`: their shape, and the sides that are complete
expect_of_today <- function(pairing) {
  complete <- pairing$sizes == c(pairing$counts$matched_left, pairing$counts$matched_right)
  c(key_shape_of(pairing$counts), c("left-complete", "right-complete")[complete])
}

# left rows that find a partner more than before
newly_matched <- function(pairing, tried) {
  if (is.null(tried)) 0 else tried$counts$matched_left - pairing$counts$matched_left
}

sure_enough <- 0.8

# A round distance that reaches most of what lies beyond `within`, where that is not much
# farther, or else the nearest of it; as it is written in nearest()
round_distance <- function(distance, within, scale) {
  wanted <- stats::quantile(distance, 0.9, names = FALSE)
  if (wanted > 3 * within) wanted <- stats::median(distance)
  if (wanted > 3 * within) wanted <- min(distance)
  if (is.na(scale$unit)) {
    size <- 10^floor(log10(wanted))
    steps <- c(1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10) * size
    return(c(steps[steps >= wanted], wanted)[1L])
  }
  units <- c(secs = 1, mins = 60, hours = 3600, days = 86400)
  if (scale$family == "Date") units <- units["days"]
  counts <- c(1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 30, 40, 45, 50, 60, 90, 180, 365, 730)
  seconds <- wanted * scale$unit
  unit <- names(units)[max(1L, sum(units * 2 <= seconds))]
  count <- counts[counts * units[[unit]] >= seconds]
  count <- if (length(count)) count[1L] else ceiling(seconds / units[[unit]])
  with_unit(format_number(count, scientific = FALSE), count, unit)
}
