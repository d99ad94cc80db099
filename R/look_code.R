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
  # (its words end the rule)
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
