# Messages in the words of the command line: where they say what to write, in R, they
# say it here as options.

# `files`: the files as they were given, by what they are called in messages
as_cli_words <- function(texts, files = character()) {
  texts <- vapply(texts, one_in_cli_words, "", USE.NAMES = FALSE)
  for (label in names(files)[nzchar(names(files))]) {
    for (behind in c(" (left)", " (right)", " has no column")) {
      begins <- startsWith(texts, sprintf("`%s`%s", label, behind))
      rest <- substring(texts[begins], nchar(label) + 3L)
      texts[begins] <- sprintf("`%s`%s", files[[label]], rest)
    }
    texts <- gsub(sprintf("ronda keys %s --on", label),
      sprintf("ronda keys %s --on", files[[label]]), texts, fixed = TRUE
    )
  }
  texts
}

one_in_cli_words <- function(text) {
  text <- with_type_options(text)
  for (phrase in names(cli_phrases)) {
    text <- gsub(phrase, cli_phrases[[phrase]], text, fixed = TRUE)
  }
  for (kind in rule_order) {
    text <- gsub(sprintf("`?\\b%s\\(\\)`?", kind), paste0("--", gsub("_", "-", kind)), text)
  }
  text <- with_options_for_code(text)
  for (name in names(cli_names)) {
    text <- gsub(sprintf("`%s`", name), cli_names[[name]], text, fixed = TRUE)
  }
  text
}

# what names functions of R, and what to do instead
cli_phrases <- c(
  "near_misses() of the pairing shows likely partners, explain_row() why not." =
    "ronda pair ... --near-misses shows likely partners.",
  "explain_row() of the pairing without `expect` shows why." =
    "ronda pair ... without --expect says more.",
  "via = list(left = corrections(<these lines>))" =
    "write them with --out FILE, keep the right lines, and match with --corrections FILE",
  "as.data.frame() has them all" = "--out FILE has them all",
  "repeats = \"first\", \"last\" or highest(\"column\")" =
    "--repeats first, last or highest:COLUMN",
  "ties = \"last\" or \"first\" to take one, \"all\"" = "--ties last or first to take one, all",
  ", or a function(left, right), not" = ", not",
  "rows = \"semi\" or \"anti\"" = "--rows semi or anti",
  "`on` has more than one `nearest()`." = "--nearest is given more than once.",
  " must stand alone in `on`." = " must stand alone, without --on and other rules.",
  "on = cross()" = "--cross", "needs nearest() in `on`" = "needs --nearest",
  "join_files()" = "ronda join-files",
  "row_order = \"left\" or \"right\"" = "--row-order left or right",
  "partners = \"n\" without `expect`" = "--partners n without --expect",
  "rows = \"unmatched\" without `expect`" = "--rows unmatched without --expect",
  "or leave it out for rows part by part" = "or leave out --row-order for rows part by part",
  "join_many()" = "ronda many", "join_frames()" = "ronda join"
)

# R code in a text, `name = value` and rules, as options
with_options_for_code <- function(text) {
  starts <- sprintf("\\b(?:(?:%s) = |(?:%s|repeated_keys)\\()",
    paste(c(names(cli_names), "via"), collapse = "|"),
    paste(setdiff(rule_order, "in_turn"), collapse = "|")
  )
  done <- ""
  repeat {
    at <- regexpr(starts, text, perl = TRUE)
    if (at < 0L) {
      return(paste0(done, text))
    }
    size <- attr(at, "match.length")
    is_rule <- endsWith(substring(text, at, at + size - 1L), "(")
    end <- end_of_code(text, if (is_rule) at else at + size)
    code <- substring(text, at, end)
    option <- option_for_code(code)
    done <- paste0(done, substring(text, 1L, at - 1L), if (is.null(option)) code else option)
    text <- substring(text, end + 1L)
  }
}

# where code ends that begins at a place: at a blank, comma or stop outside of brackets
# and quotes, a formula at the end of its line
end_of_code <- function(text, from) {
  signs <- strsplit(text, "")[[1L]]
  formula <- identical(signs[from], "~")
  depth <- 0L
  quote <- ""
  at <- from
  while (at <= length(signs)) {
    sign <- signs[at]
    if (nzchar(quote)) {
      if (sign == "\\") at <- at + 1L else if (sign == quote) quote <- ""
    } else if (sign %in% c("\"", "`")) {
      quote <- sign
    } else if (sign %in% c("(", "[", "{")) {
      depth <- depth + 1L
    } else if (sign %in% c(")", "]", "}")) {
      if (depth == 0L) break
      depth <- depth - 1L
    } else if (depth == 0L && (sign == "\n" || (!formula && sign %in% c(" ", ",", ";")) ||
      (sign %in% c(".", ":") && (at == length(signs) || signs[at + 1L] %in% c(" ", "\n"))))) {
      # (`function(x) ...` goes on behind its blank)
      if (sign != " " || !endsWith(paste(signs[from:(at - 1L)], collapse = ""), "function(x)")) {
        break
      }
    }
    at <- at + 1L
  }
  min(at, length(signs) + 1L) - 1L
}

# One piece of code as options, NULL where there are none for it
option_for_code <- function(code) {
  code <- sub(", via = <[a-z, ]+>[)]$", ")", code)
  argument <- grepl("^[a-z_]+ = ", code)
  name <- if (argument) sub(" = .*", "", code)
  value <- tryCatch(parse(text = sub("^[a-z_]+ = ", "", code), keep.source = FALSE),
    error = function(e) NULL
  )
  if (length(value) != 1L) {
    return(NULL)
  }
  if (is_call_of(value[[1L]], "repeated_keys")) {
    word <- option_word(value[[1L]][[3L]])
    frame <- value[[1L]][[2L]]
    if (is.null(word)) {
      return(NULL)
    }
    return(sprintf("ronda keys %s --on %s --repeated", as.character(frame), word))
  }
  if (!argument) {
    return(option_for_rule(value[[1L]]))
  }
  if (name == "via") {
    words <- words_of_code(value[[1L]])
    return(if (are_cleaning_words(words)) paste("--clean", paste(words, collapse = ",")))
  }
  option_for_argument(name, value[[1L]])
}

option_for_argument <- function(name, code) {
  if (isTRUE(code)) {
    return(cli_names[[name]])
  }
  if (name == "on" && is_call_of(code, c("list", "c"))) {
    parts <- as.list(code)[-1L]
    are_rules <- vapply(parts, is_call_of, NA, rule_order)
    rules <- vapply(parts[are_rules], function(part) {
      option <- option_for_rule(part)
      if (is.null(option)) NA_character_ else option
    }, "")
    names <- do.call(c, unname(lapply(parts[!are_rules], function(part) {
      if (is_call_of(part, c("c", "list"))) as.list(part)[-1L] else list(part)
    })))
    if (!is.null(names(parts))) names <- parts[!are_rules]
    plain <- if (length(names)) paste("--on", option_word(as.call(c(quote(c), names))))
    return(if (!anyNA(rules)) paste(c(plain, rules), collapse = " "))
  }
  if (name == "on" && is_call_of(code, rule_order)) {
    return(option_for_rule(code))
  }
  word <- option_word(code)
  if (!is.null(word)) paste(cli_names[[name]], word)
}

# "a" and c("a", "b") as they are
words_of_code <- function(code) {
  parts <- if (is_call_of(code, "c")) as.list(code)[-1L] else list(code)
  if (all(vapply(parts, is.character, NA))) unlist(parts)
}

is_call_of <- function(code, names) is.call(code) && as.character(code[[1L]])[1L] %in% names

# the value of an option, from code: "a" and c(a = "b") as a and a=b
option_word <- function(code) {
  if (is.character(code) || is.numeric(code)) {
    return(quoted_word(plain_word(code)))
  }
  if (is_call_of(code, c("highest", "lowest")) && is.character(code[[2L]])) {
    return(quoted_word(paste(code[[1L]], code[[2L]], sep = ":")))
  }
  if (is_call_of(code, "~")) {
    return(shQuote(where_words(code[[2L]])))
  }
  if (!is_call_of(code, c("c", "list"))) {
    return(NULL)
  }
  values <- as.list(code)[-1L]
  names <- if (is.null(names(values))) rep("", length(values)) else names(values)
  words <- Map(function(name, value) {
    if (name == ".rest") {
      return(".rest")
    }
    word <- if (is_call_of(value, "~")) fold_words_of(value[[2L]]) else {
      if (is.character(value) || is.numeric(value)) plain_word(value)
    }
    if (!is.null(word)) paste0(name, if (nzchar(name)) "=", word)
  }, names, values)
  if (!any(vapply(words, is.null, NA))) quoted_word(paste(unlist(words), collapse = ","))
}

plain_word <- function(value) {
  if (is.character(value)) value else format(value, digits = 15L, scientific = FALSE)
}

quoted_word <- function(word) if (grepl("^[[:alnum:]_.,=:/-]+$", word)) word else shQuote(word)

# conditions: left$km as left.km; folds: nrow(right) as nrow(), right$km as km
where_words <- function(code) {
  gsub("\\b(left|right)[$]", "\\1.", paste(deparse(code, 500L), collapse = " "))
}

fold_words_of <- function(code) {
  gsub("right", "", gsub("right$", "", paste(deparse(code, 500L), collapse = " "), fixed = TRUE))
}

# A rule as its option: nearest("a", "b", within = "5 mins")
option_for_rule <- function(code) {
  kind <- as.character(code[[1L]])
  parts <- as.list(code)[-1L]
  names <- if (is.null(names(parts))) rep("", length(parts)) else names(parts)
  columns <- parts[!nzchar(names)]
  if (!all(vapply(columns, is.character, NA))) {
    return(NULL)
  }
  if (!length(parts)) {
    return(paste0("--", gsub("_", "-", kind)))
  }
  columns <- unlist(columns)
  form <- if (kind == "same") list(left = "point", right = "point") else rule_kinds[[kind]]$option
  n <- if (identical(form$left, "interval")) 2L else 1L
  rule <- if (kind == "cross") NULL else if (kind == "relate") {
    paste0(columns[1L], columns[2L], columns[length(columns)])
  } else {
    sides <- list(columns[seq_len(n)], columns[-seq_len(n)])
    paste(vapply(sides[lengths(sides) > 0L], paste, "", collapse = ".."), collapse = "=")
  }
  details <- Map(function(name, value) {
    if (name == "via") option_for_code(paste("via =", paste(deparse(value, 500L), collapse = " ")))
    else if (name == "equal") "--not-equal"
    else if (name == "n") paste("--n", as.numeric(value))
    else if (name %in% names(cli_names)) {
      option_for_argument(name, value)
    }
  }, names[nzchar(names)], parts[nzchar(names)])
  if (any(vapply(details, is.null, NA))) {
    return(NULL)
  }
  paste(c(if (kind == "same") "--on" else paste0("--", kind),
    if (!is.null(rule)) quoted_word(rule), unlist(details)
  ), collapse = " ")
}

# A conversion that R would write is a type to read the file with, where there is one
with_type_options <- function(text) {
  line <- paste0(
    "Write: (?:`(?:[^`\\\\]|\\\\.)*`|[^$\n]+)[$]", # the frame
    "(`?)((?:[^`\\\\\n]|\\\\.)*?)\\1 <- ([^\n]*)" # the column, and the code
  )
  found <- regmatches(text, regexec(line, text, perl = TRUE))[[1L]]
  if (!length(found)) {
    return(text)
  }
  code <- found[4L]
  type <- if (grepl("^ifelse[(]is[.]na|^(bit64::)?as[.]character", code)) {
    "text"
  } else if (startsWith(code, "as.numeric(")) {
    "number"
  } else if (startsWith(code, "bit64::as.integer64(")) {
    "integer"
  }
  advice <- if (is.null(type)) sub("^Write: ", "In R: ", found[1L]) else {
    words <- paste0(gsub("\\\\(.)", "\\1", found[3L]), "=", type)
    paste("Write: --types", if (nzchar(found[2L])) shQuote(words) else words)
  }
  sub(found[1L], advice, text, fixed = TRUE)
}

cli_names <- c(
  missing_keys = "--missing-keys", row_order = "--row-order",
  name_pattern = "--name-pattern", max_rows = "--max-rows", on = "--on",
  rows = "--rows", take = "--take", omit = "--omit", keys = "--keys",
  collisions = "--collisions", sides = "--sides", origin = "--origin",
  partners = "--partners", row_numbers = "--row-numbers",
  if_absent = "--if-absent", fold = "--fold", expect = "--expect", repeats = "--repeats",
  types = "--types", decimal = "--decimal", step = "--step", columns = "--columns",
  tolerance = "--tolerance", look = "--look",
  within = "--within", ties = "--ties", gap = "--gap", before = "--before",
  after = "--after", ends = "--ends", open_ended = "--open-ended", where = "--where",
  out = "--out", way = "--way", parts = "--parts", memory = "--memory", tries = "--tries",
  resume = "--no-resume", view = "--view", title = "--title", note = "--note"
)
