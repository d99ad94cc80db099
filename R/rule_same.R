# same(): two values are equal; and cross(): every row with every row.

#' @rdname rules
#' @export
same <- function(left, right = left, via = NULL) {
  call <- quote(same())
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  via <- check_via(via, call)
  new_rule("same", left = left, right = right, via = via)
}

# `via` as list(left = , right = ) of steps, words, functions and corrections, where a side
# has some. Corrections that name no side are the left frame's.
check_via <- function(via, call) {
  is_step <- function(x) is.function(x) || is.data.frame(x) || are_cleaning_words(x)
  are_steps <- function(x) {
    is.list(x) && !is.data.frame(x) && length(x) > 0L && is.null(names(x)) &&
      all(vapply(x, is_step, NA))
  }
  by_side <- is.list(via) && !is.data.frame(via) && length(via) > 0L &&
    !is.null(names(via)) && all(names(via) %in% side_names) &&
    all(vapply(via, function(x) is_step(x) || are_steps(x), NA))
  if (is.null(via)) {
    return(NULL)
  }
  if (!by_side && !is_step(via) && !are_steps(via)) stop_no_via(via, call)
  as_steps <- function(x) if (is_step(x)) list(x) else x
  if (!by_side) {
    steps <- as_steps(via)
    via <- list(left = steps, right = Filter(Negate(is.data.frame), steps))
  }
  via <- lapply(via, function(side) {
    lapply(as_steps(side), function(step) {
      if (is.function(step)) step else if (is.character(step)) {
        structure(list(words = in_cleaning_order(step)), class = "ronda_words")
      } else {
        structure(as_corrections(step, "via", call), class = "ronda_corrections")
      }
    })
  })
  Filter(length, via)
}

stop_no_via <- function(via, call) {
  unknown <- if (is.character(via)) setdiff(via, names(cleaning_steps))
  if (length(unknown)) {
    stop_argument(said("`via` has no word %s.", shown(unknown[1L])),
      sprintf("Its words: %s.", listed(sprintf("\"%s\"", names(cleaning_steps)), "and")),
      call = call
    )
  }
  stop_argument(
    paste0(
      argument_said("via"), " must be words such as \"trim\"", either(paste0(
        ", a function, a frame of corrections, or list(left = , right = ) of these"
      ), ""), ", not ", shown(via), "."
    ),
    call = call
  )
}

rows_of_equal_key <- function(pairing, view, rule) {
  keys <- engine_keys(pairing$left, pairing$right, list(rule), NULL)
  keys[[view$side]] <- lapply(keys[[view$side]], gather_, view$row)
  found <- match_equal_(keys$left, keys$right, keys$kinds,
    pairing$missing_keys == "match", FALSE, keys$one_address
  )
  rows_found(found$matches, view)
}

closest_value <- function(pairing, view, rule, among) {
  x <- .subset2(pairing[[view$side]], rule[[view$side]])
  y <- .subset2(pairing[[view$other]], rule[[view$other]])
  value <- slice_column(x, view$row, rule[[view$side]], NULL)
  close <- if (is.character(value) || is.factor(value)) {
    closest_text(as.character(value), unique(as.character(gather_(y, among))))
  } else {
    closest_number(pairing, view, rule, among)
  }
  if (length(close)) {
    sprintf("  The closest `%s` of %s: %s.", rule[[view$other]],
      if (length(among) < view$other_rows) "the rows that the other rules leave" else {
        view$other_label
      },
      listed(close, "and")
    )
  }
}

closest_text <- function(value, values, most = 3L) {
  value <- readable(value)
  values <- readable(values[!is.na(values)])
  if (!length(values)) {
    return(NULL)
  }
  plain <- function(x) tolower(trimws(x))
  distance <- drop(utils::adist(plain(value), plain(values)))
  near <- order(distance, values)[seq_len(min(most, length(values)))]
  near <- near[distance[near] <= max(1, nchar(value) %/% 3)]
  encodeString(values[near], quote = "\"")
}

# The engine measures how far apart two values are.
closest_number <- function(pairing, view, rule, among, most = 2L) {
  column <- rule[[view$other]]
  groups <- vapply(list(
    .subset2(pairing$left, rule$left), .subset2(pairing$right, rule$right)
  ), group_by_order, "", measured = TRUE)
  if (anyNA(groups) || length(rule$via)) {
    return(NULL)
  }
  near <- list(kind = "nearest", left = rule$left, right = rule$right, look = "either",
    within = Inf, equal = TRUE, ties = "last", n = 1
  )
  standing <- tryCatch(standing_of_row(pairing, view, near),
    ronda_error_type = function(e) NULL # no distance is exact
  )
  if (is.null(standing)) {
    return(NULL)
  }
  there <- among[standing$reach[among] == reach_codes[["near"]] &
    is.finite(standing$distance$high[among])]
  closest <- utils::head(closest_first(standing$distance, there), 50L)
  words <- vapply(closest, function(row) {
    value_words(slice_column(.subset2(pairing[[view$other]], column), row, column,
      NULL
    ))
  }, "")
  utils::head(unique(words), most)
}

# `via` in short: <corrections, function>, or the words themselves where these are all
via_words <- function(via) {
  steps <- unlist(via, recursive = FALSE, use.names = FALSE)
  if (all(vapply(steps, inherits, NA, "ronda_words"))) {
    return(via_code(via))
  }
  kinds <- c(
    corrections = "ronda_corrections", words = "ronda_words", "function" = "function"
  )
  has <- vapply(kinds, function(kind) any(vapply(steps, inherits, NA, kind)), NA)
  sprintf("<%s>", paste(names(kinds)[has], collapse = ", "))
}

# `via` as it is written
via_code <- function(via) {
  step_code <- function(step) {
    if (is.function(step)) {
      return(paste(deparse(step), collapse = "\n"))
    }
    if (inherits(step, "ronda_words")) {
      return(cleaning_code(step$words))
    }
    texts <- lapply(unclass(step), function(x) as_code(x))
    sprintf("data.frame(from = %s, to = %s)", texts$from, texts$to)
  }
  side_code <- function(steps) {
    codes <- vapply(steps, step_code, "")
    if (length(codes) == 1L) codes else sprintf("list(%s)", paste(codes, collapse = ", "))
  }
  alone <- names(via)
  if (length(via) == 2L && identical(via$left, via$right)) {
    return(side_code(via$left))
  }
  sprintf("list(%s)", paste(sprintf("%s = %s", alone, vapply(via, side_code, "")),
    collapse = ", "
  ))
}

# two key columns as they are named in `on`: c(vessel = "code"), or "port"
named_key <- function(rule) {
  structure(rule$right, names = if (rule$left != rule$right) rule$left else "")
}

register_rule("same",
  keyed = TRUE,
  in_options = function(rule) {
    steps <- unlist(rule$via, recursive = FALSE)
    words <- unique(unlist(lapply(Filter(is.list, steps), `[[`, "words")))
    paste(c(setting("on", named_key(rule)), if (length(words)) {
      setting("via", in_cleaning_order(words))
    }), collapse = " ")
  },
  text = function(rule) {
    columns <- if (identical(rule$left, rule$right)) {
      text_code(rule$left)
    } else {
      columns_text(rule)
    }
    via <- if (length(rule$via)) sprintf(", via = %s", via_words(rule$via)) else ""
    sprintf("same(%s%s)", columns, via)
  },
  holds = rows_of_equal_key, closest = closest_value
)

# cross() ----------------------------------------------------------------------------

#' @rdname rules
#' @export
cross <- function() new_rule("cross", left = character(), right = character())

register_rule("cross",
  text = function(rule) said("cross()"),
  alone = "It pairs every row with every row, so other rules would not count.",
  one_frame = "", uncut = "cross() pairs every row with every row",
  holds = function(pairing, view, rule) seq_len(view$other_rows),
  option = rule_option("Every left row with every right row",
    make = function() cross(), value = NULL
  )
)
