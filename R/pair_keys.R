# The same() rules of a pairing, and their columns as the engine takes them.

# The rules, each with `plain_kind` where its columns are two plain vectors of one
# type. Types are known before anything is computed, unless `via` makes new ones.
check_key_types <- function(left, right, rules, call) {
  for (k in seq_along(rules)) {
    rule <- rules[[k]]
    if (length(rule$via)) next
    x <- .subset2(left, rule$left)
    y <- .subset2(right, rule$right)
    kind <- plain_kind_(x, y)
    if (!is.null(kind)) {
      rules[[k]]$plain_kind <- kind
    } else if (!key_columns_match(x, y)) {
      stop_key_types(x, y, rule, call)
    }
  }
  rules
}

# The rules, each with `cleaned`: what its `via` makes of the two whole columns. It is run
# once, so that row order and explanations see the same values.
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

# `via` applied step by step, and what each returned checked
apply_via <- function(x, via, rule, side, call) {
  place <- sprintf("`%s` of `%s`", rule[[side]], frame_mark(side))
  for (step in via[[side]]) {
    if (inherits(step, "ronda_corrections")) {
      x <- corrected(x, step, place, call)
      next
    }
    if (inherits(step, "ronda_words")) {
      x <- cleaned_column(x, step$words, "via", call)
      next
    }
    value <- run_theirs(step(x), "argument", said("`via` failed on %s", place), call)
    if (!is.null(dim(value)) || length(value) != length(x)) {
      stop_ronda("argument",
        said(
          "`via` must return a vector of %s for %s, not %s.",
          counted(length(x), "value"), place, described(value)
        ),
        call = call
      )
    }
    x <- value
  }
  x
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

# The same of a pairing, whose right side may be indexed already. (An index knows nothing
# of numbers that are no 64-bit integers: where there are some it is passed over.)
pairing_keys <- function(pairing, call) {
  index <- pairing$piece$indexed_right
  if (!is.null(index)) {
    keys <- engine_keys(pairing$left, index$like, pairing$key_rules, call)
    if (identical(keys$kinds, index$keys$kinds)) {
      text <- keys$kinds == engine_kinds[["text"]]
      keys$left[text] <- lapply(keys$left[text], utf8_text_)
      keys[c("right", "one_address", "index")] <-
        list(index$keys$right, c(TRUE, TRUE), index$keys$index)
      return(keys)
    }
  }
  engine_keys(pairing$left, pairing$right, pairing$key_rules, call)
}

# The keys of a right frame, indexed; `like`: rows of the left one, for its types. NULL
# where they can't be
indexed_keys_of <- function(like, right, rules, match_missing, call) {
  if (!length(rules)) {
    return(NULL)
  }
  keys <- engine_keys(like, right, rules, call)
  text <- keys$kinds == engine_kinds[["text"]]
  keys$right[text] <- lapply(keys$right[text], utf8_text_)
  index <- index_right_(keys$right, keys$kinds, match_missing)
  if (!is.null(index)) list(
    keys = c(keys[c("right", "kinds")], list(index = index)),
    like = own_rows(right, integer(), NULL)
  )
}

# flags of the rows of a side that have a missing key
rows_with_missing <- function(keys, side) {
  Reduce(`|`, Map(
    missing_number, keys[[side]], keys$kinds == engine_kinds[["int64"]]
  ))
}

# The same() rules that fill one key column each: the first for a left column
one_rule_per_key <- function(pairing) {
  rules <- pairing$key_rules
  if (length(rules) < 2L) {
    return(rules)
  }
  rules[!duplicated(vapply(rules, function(rule) rule$left, ""))]
}

rule_columns <- function(rules, side) {
  if (length(rules) == 1L) {
    columns <- rules[[1L]][[side]]
    return(if (length(columns) > 1L) unique(columns) else columns)
  }
  unique(as.character(unlist(lapply(rules, function(rule) rule[[side]]))))
}
