# interpolated(): in a formula of `fold`, a column's value at the left row's point, between the
# partners before it and after it. The engine works it out, for all left rows at once where
# the formula is nothing else.

one_neighbour_words <- c("missing", "value")

uses_interpolated <- function(code) "interpolated" %in% all.names(code)

# list(points, first): where rows lie by the rule that pairs them, list(left, right, int64),
# and which of several rows at one point counts
points_of <- function(pairing, call) {
  rule <- rule_of_points(pairing$rules)
  found <- ordered_values(pairing, rule, call)
  values <- lapply(found$values, strip_class)
  list(
    points = list(left = values[[1L]], right = values[[2L]], int64 = found$int64),
    first = identical(rule$ties, "first")
  )
}

# nearest(), or else a rule whose partners lie before and after the left value
rule_of_points <- function(rules) {
  chooser <- chooser_of(rules)
  if (is.null(chooser)) Find(function(rule) rule$kind == "around", rules) else chooser
}

check_interpolated <- function(fold, pairing, call) {
  if (uses_interpolated(fold$code) &&
    (!is.null(pairing$turn) || is.null(rule_of_points(pairing$rules)))) {
    stop_argument(
      said("`%s` of `fold` takes the value between two partners, but no rule says where they lie.",
        fold$name
      ),
      either("Write interpolated() beside nearest(look = \"both\") or around().",
        "Give --nearest with --look both, or --around."
      ),
      call = call
    )
  }
}

# Whether a column can be interpolated
is_interpolable <- function(x) {
  is.null(dim(x)) && !is_int64(x) && typeof(x) %in% c("double", "integer") &&
    (!is.object(x) || inherits(x, c("Date", "POSIXct", "difftime")))
}

# What the engine gives for all left rows, as it gives what is folded
interpolated_at_once <- function(pairing, fold, call) {
  at <- points_of(pairing, call)
  x <- .subset2(pairing$right, fold$form$column)
  list(
    values = interpolate_(pairing$matches, at$points, as.double(strip_class(x)), at$first,
      fold$form$alone
    ),
    too_large = 0, no_value = 0
  )
}

# What stands for interpolated() in a formula that R runs: of one left row, the word; `at` is
# NULL where there is nothing to lie between
interpolated_word <- function(at, row, partners) {
  function(x, alone = "missing") {
    call <- quote(interpolated())
    check_choice(alone, one_neighbour_words, "alone", call)
    if (!is_interpolable(x) || length(x) != length(partners)) {
      stop_argument(
        sprintf("Numbers, dates and times of the partners have values between them, not %s.",
          described(x)
        ),
        if (is_int64(x)) {
          either("Write as.double() around it.",
            "Read the column as double: --types COLUMN=double"
          )
        },
        call = call
      )
    }
    value <- if (is.null(at)) NA_real_ else {
      interpolate_row_(at$points, row, partners, as.double(strip_class(x)), at$first,
        alone == "value"
      )
    }
    for (name in c("class", "tzone", "units")) attr(value, name) <- attr(x, name)
    value
  }
}
