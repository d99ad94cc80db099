# Rules as they are written on the command line; their forms stand with the rules.

# The rules of all options that make one
cli_rules <- function(options) {
  check_rule_details(options)
  if (!is.null(options$step) && is.null(options[["in-turn"]])) {
    stop_usage("--step goes with --in-turn.")
  }
  made <- lapply(rule_order, function(kind) {
    form <- rule_kinds[[kind]]$option
    if (!is.null(form)) cli_rule(kind, form, options)
  })
  c(
    if (!is.null(options$on)) with_cleaning(split_pairs(options$on), options),
    do.call(c, made),
    if (length(options[["in-turn"]]) == 1L) {
      stop_usage("--in-turn is given twice or more: --in-turn card --in-turn name")
    },
    if (!is.null(options[["in-turn"]])) {
      steps <- lapply(lapply(options[["in-turn"]], split_pairs), with_cleaning, options)
      do.call(in_turn, c(lapply(steps, plain_keys), list(step = options$step)))
    }
  )
}

# keys without a rule among them are names of columns
plain_keys <- function(keys) if (all(vapply(keys, is.character, NA))) unlist(keys) else keys

# an option that says more about a rule goes with that rule
check_rule_details <- function(options) {
  given <- names(options)[!vapply(options, function(x) {
    is.null(x) || isFALSE(x)
  }, NA)]
  for (name in given) {
    rules <- rules_with_detail(name)
    if (length(rules) && !any(rules %in% given)) {
      stop_usage(sprintf("--%s goes with %s.", name,
        listed(paste0("--", rules), "or")
      ))
    }
  }
}

# the rules of one option, which may be given several times
cli_rule <- function(kind, form, options) {
  texts <- options[[kind]]
  if (is.null(form$value)) {
    return(if (isTRUE(texts)) form$make())
  }
  details <- Map(read_detail, form$details, options[names(form$details)])
  do.call(c, lapply(texts, function(text) {
    arguments <- if (is.null(form$read)) {
      c(rule_columns_of(text, form), list(details))
    } else {
      form$read(text)
    }
    if (is.null(arguments)) {
      stop_usage(sprintf("--%s must be %s, not %s.", kind, form$example,
        shown(text)
      ))
    }
    do.call(form$make, arguments)
  }))
}

# "left=right", where a side may be from..to
rule_columns_of <- function(text, form) {
  pair <- split_pairs(text)
  if (length(pair) != 1L) {
    stop_usage(sprintf("%s must be one left=right.", shown(text)))
  }
  pair <- c(if (is.null(names(pair))) pair else names(pair), unname(pair))
  Map(function(column, is) {
    if (is == "point") {
      return(column)
    }
    parts <- strsplit(column, "..", fixed = TRUE)[[1L]]
    if (length(parts) != 2L) {
      stop_usage(sprintf("%s must name an interval as from..to.", shown(text)))
    }
    parts
  }, pair, c(form$left, form$right), USE.NAMES = FALSE)
}

read_detail <- function(detail, given) {
  if (is.null(detail$value)) {
    return(isTRUE(given))
  }
  if (is.null(given)) {
    return(detail$usual)
  }
  if (detail$value == "NUMBER") {
    return(cli_number(given, "--n"))
  }
  if (detail$value != "DISTANCE") {
    return(given)
  }
  cli_distance(given)
}

# a number, or text with a unit
cli_distance <- function(given) {
  number <- suppressWarnings(as.numeric(given))
  if (is.na(number)) given else number
}
