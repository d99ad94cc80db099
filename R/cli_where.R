# The conditions of --where: comparisons of columns of either side, numbers, texts in
# quotes, days and times, joined by & and |. They are read here, never run as R code:
#
#   condition  = both { "|" both }
#   both       = part { "&" part }
#   part       = "!" part | "(" condition ")" | comparison | column
#   comparison = value ("<" | "<=" | ">" | ">=" | "=" | "!=") value
#   value      = column | number | text | day | time | "TRUE" | "FALSE"
#   column     = ("left." | "right.") name, where the name has other signs than letters,
#                digits, "_" and "." in `backticks`
#   text       = "..." or '...', a quote in it doubled
#   day, time  = 2031-05-01, 2031-05-01T10:05 (in UTC)

where_grammar <- paste(
  "Comparisons (< <= > >= = !=) of left.COLUMN, right.COLUMN, numbers, \"texts\", days",
  "(2031-05-01) and times (2031-05-01T10:05), joined by & and |, with ! and brackets:",
  "\"left.km <= right.max_km & right.kind != 'bus'\""
)

# The condition as a formula, as pair_rows() takes it
read_where <- function(text, left, right) {
  state <- new.env(parent = emptyenv())
  state$tokens <- where_tokens(text)
  state$at <- 1L
  state$frames <- list(left = left, right = right)
  code <- read_either(state)
  if (state$at <= length(state$tokens)) stop_where(state, "& or |, or nothing more")
  eval(call("~", code), baseenv())
}

# list(kind, text) for each word of a condition
where_tokens <- function(text) {
  patterns <- c(
    column = "(?:left|right)[.](?:`[^`]+`|[\\p{L}_.][\\p{L}\\p{N}_.]*)",
    time = "[0-9]{4}-[0-9]{2}-[0-9]{2}(?:T[0-9:.]+Z?)?(?![0-9])",
    number = "-?[0-9]*[.]?[0-9]+(?:[eE][-+]?[0-9]+)?",
    text = "\"(?:[^\"]|\"\")*\"|'(?:[^']|'')*'", flag = "(?:TRUE|FALSE)\\b",
    sign = "<=|>=|==|!=|<|>|=|[&|!()]"
  )
  tokens <- list()
  at <- 1L
  repeat {
    at <- at + attr(regexpr("^\\s*", substring(text, at), perl = TRUE), "match.length")
    rest <- substring(text, at)
    if (!nzchar(rest)) break
    sizes <- vapply(patterns, function(pattern) {
      attr(regexpr(paste0("^(?:", pattern, ")"), rest, perl = TRUE), "match.length")
    }, 0L)
    kind <- match(TRUE, sizes > 0L)
    if (is.na(kind)) {
      stop_usage(sprintf("--where can't be read from %s on.", shown(rest)), where_help)
    }
    token <- list(kind = names(patterns)[kind], text = substring(rest, 1L, sizes[kind]))
    tokens <- c(tokens, list(token))
    at <- at + sizes[kind]
  }
  tokens
}

where_help <- "* ronda join --help says what --where takes."

stop_where <- function(state, wanted) {
  token <- next_token(state)
  stop_usage(
    sprintf("--where %s where %s should be.",
      if (is.null(token)) "ends" else paste("has", shown(token$text)), wanted
    ),
    where_help
  )
}

next_token <- function(state) {
  if (state$at <= length(state$tokens)) state$tokens[[state$at]]
}

# takes a sign, if it is one of these; else NULL
take_sign <- function(state, signs) {
  token <- next_token(state)
  if (is.null(token) || token$kind != "sign" || !token$text %in% signs) {
    return(NULL)
  }
  state$at <- state$at + 1L
  token$text
}

read_either <- function(state) read_joined(state, "|", read_both)

read_both <- function(state) read_joined(state, "&", read_part)

read_joined <- function(state, sign, read) {
  code <- read(state)
  while (!is.null(take_sign(state, sign))) code <- call(sign, code, read(state))
  code
}

read_part <- function(state) {
  if (!is.null(take_sign(state, "!"))) {
    return(call("!", read_part(state)))
  }
  if (!is.null(take_sign(state, "("))) {
    code <- call("(", read_either(state))
    if (is.null(take_sign(state, ")"))) stop_where(state, "a closing bracket")
    return(code)
  }
  left <- take_value(state)
  sign <- take_sign(state, c("<", "<=", ">", ">=", "=", "==", "!="))
  if (is.null(sign)) {
    if (!is.logical(left$like)) stop_where(state, "a comparison such as <=")
    return(left$code)
  }
  as_comparison(sign, left, take_value(state))
}

# list(code, like, text): a value as code, and what it is like
take_value <- function(state) {
  token <- next_token(state)
  kind <- if (is.null(token)) "sign" else token$kind
  if (kind == "sign") stop_where(state, "a column or a value")
  state$at <- state$at + 1L
  if (kind == "column") {
    return(where_column(token$text, state$frames))
  }
  value <- switch(kind,
    number = as.numeric(token$text),
    text = {
      quote <- substring(token$text, 1L, 1L)
      inner <- substring(token$text, 2L, nchar(token$text) - 1L)
      gsub(strrep(quote, 2L), quote, inner, fixed = TRUE)
    },
    flag = token$text == "TRUE",
    time = as_times_read(token$text)
  )
  list(code = value, like = value, text = token$text)
}

as_times_read <- function(text) {
  found <- times_(text)
  switch(found$kind,
    date = structure(found$value, class = "Date"), time = as_utc(found$value),
    stop_usage(sprintf("--where has %s, which is not a day or time.", text), where_help)
  )
}

where_column <- function(text, frames) {
  side <- sub("[.].*", "", text)
  name <- gsub("^`|`$", "", sub("^[a-z]+[.]", "", text))
  if (!name %in% names(frames[[side]])) {
    near <- columns_hint(name, names(frames[[side]]))
    stop_usage(
      sprintf("--where names a column `%s`, which the %s file doesn't have.", name, side),
      paste("*", near)[nzchar(near)]
    )
  }
  list(code = call("$", as.name(side), as.name(name)), like = frames[[side]][[name]],
    text = text
  )
}

# A comparison of two values of one kind; a day beside a time is its first moment
as_comparison <- function(sign, x, y) {
  is_day <- function(one) inherits(one$code, "Date")
  if (is_day(x) && inherits(y$like, "POSIXct")) x <- first_moment(x)
  if (is_day(y) && inherits(x$like, "POSIXct")) y <- first_moment(y)
  is_text <- any(c(type_group(x$like), type_group(y$like)) %in% "text")
  if (!types_match(x$like, y$like)) {
    stop_usage(sprintf("--where can't compare %s (%s) with %s (%s).", x$text,
      type_word(x$like), y$text, type_word(y$like)
    ), if (is_text) "* --types says what a column is read as.")
  }
  if (sign == "=") sign <- "=="
  if (!sign %in% c("==", "!=") && is_text) {
    stop_usage(sprintf("--where compares texts by = and != only, not %s by %s.", x$text, sign),
      "* --relate compares columns of texts by their order."
    )
  }
  call(sign, x$code, y$code)
}

first_moment <- function(day) {
  day$code <- day$like <- as_utc(as.double(day$code) * 86400)
  day
}
