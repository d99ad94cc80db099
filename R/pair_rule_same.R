# same(): two values are equal.

#' @rdname rules
#' @export
same <- function(left, right = left, via = NULL) {
  call <- quote(same())
  check_rule_column(left, "left", call)
  check_rule_column(right, "right", call)
  via <- check_via(via, call)
  new_rule("same", left = left, right = right, via = via)
}

check_via <- function(via, call) {
  if (is.function(via)) {
    return(list(left = via, right = via))
  }
  good <- is.null(via) || (is.list(via) && length(via) > 0L &&
    !is.null(names(via)) && all(names(via) %in% c("left", "right")) &&
    all(vapply(via, is.function, NA)))
  if (!good) {
    stop_argument(
      paste0(
        "`via` must be a function, or list(left = , right = ) of functions, ",
        "not ", shown(via), "."
      ),
      call = call
    )
  }
  via
}

rows_of_equal_key <- function(pairing, view, rule) {
  keys <- engine_keys(pairing$left, pairing$right, list(rule), NULL)
  keys[[view$side]] <- lapply(keys[[view$side]], gather_, view$row)
  found <- match_equal_(keys$left, keys$right, keys$kinds,
    pairing$missing_keys == "match", FALSE, keys$one_address
  )
  rows_found(found$matches, view)
}

closest_value <- function(pairing, view, rule) {
  x <- .subset2(pairing[[view$side]], rule[[view$side]])
  y <- .subset2(pairing[[view$other]], rule[[view$other]])
  value <- slice_column(x, view$row, rule[[view$side]], NULL)
  close <- if (is.character(value) || is.factor(value)) {
    closest_text(as.character(value), unique(as.character(y)))
  } else {
    closest_number(pairing, view, rule)
  }
  if (length(close)) {
    sprintf("  The closest `%s` of %s: %s.", rule[[view$other]],
      view$other_label, listed(close, "and")
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

# (the engine knows how far apart two values are)
closest_number <- function(pairing, view, rule, most = 2L) {
  column <- rule[[view$other]]
  families <- vapply(list(
    .subset2(pairing$left, rule$left), .subset2(pairing$right, rule$right)
  ), ordered_family, "", distances = TRUE)
  if (anyNA(families) || length(rule$via)) {
    return(NULL)
  }
  near <- list(kind = "nearest", left = rule$left, right = rule$right, look = "either",
    within = Inf, equal = TRUE, ties = "last"
  )
  standing <- tryCatch(standing_of_row(pairing, view, near),
    ronda_error_type = function(e) NULL # no distance is exact
  )
  if (is.null(standing)) {
    return(NULL)
  }
  there <- which(standing$reach == reach_codes[["near"]] &
    is.finite(standing$distance$high))
  closest <- utils::head(closest_first(standing$distance, there), 50L)
  words <- vapply(closest, function(row) {
    value_words(slice_column(.subset2(pairing[[view$other]], column), row, column,
      NULL
    ))
  }, "")
  utils::head(unique(words), most)
}

register_rule("same",
  text = function(rule) {
    columns <- if (identical(rule$left, rule$right)) {
      text_code(rule$left)
    } else {
      columns_text(rule)
    }
    via <- if (length(rule$via)) ", via = <function>" else ""
    sprintf("same(%s%s)", columns, via)
  },
  holds = rows_of_equal_key, closest = closest_value
)
