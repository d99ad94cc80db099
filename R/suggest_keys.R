#' Which columns could be the key?
#'
#' Looks at values, not only at names: how far the values of two columns meet, in every
#' form that a key takes. Text is cleaned by the words of `via` (blanks, letter case,
#' leading zeros, punctuation, signs that look alike, accents); text beside numbers, days or
#' times is read as these; times beside days are taken as days. What makes them meet is part
#' of the suggestion. Where no single column is unique on either side, pairs of columns are
#' tried too, whatever they are called.
#'
#' @param left,right `[data.frame]` The frames.
#' @param most `[integer(1)]` At most so many suggestions.
#' @return A data frame of class `ronda_key_suggestions`, best first: `left`,
#'   `right` (column names; several with commas), `left_found` and
#'   `right_found` (the share of rows, of those with a value, whose value the
#'   other side has), `left_unique` and `right_unique` (distinct values by rows;
#'   1: unique), `several` (the share of
#'   left rows that would have several partners), `score` and `on`, the text to
#'   paste after `on =`. Where both frames have 200,000 rows or more, shares are estimated from a
#'   part of the values, the same on both sides; beyond 2,500 pairs of columns, only columns of
#'   equal names (letters and digits, in lower case) and the first 40 of each side are compared.
#'   Printing says so.
#' @section Errors: `ronda_error_argument` when `left` or `right` is not a data
#'   frame.
#' @seealso [key_account()]; `vignette("when-it-goes-wrong")`.
#' @examples
#' suggest_keys(sailings, vessels)
#' suggest_keys(tide_readings, wind_readings)
#' @export
suggest_keys <- function(left, right, most = 8L) {
  call <- quote(suggest_keys())
  check_frame(left, "left", call)
  check_frame(right, "right", call)
  if (!is.numeric(most) || length(most) != 1L || is.na(most) || most < 1) {
    stop_argument(
      sprintf("`most` must be a number of 1 or more, not %s.", shown(most)),
      call = call
    )
  }
  found <- key_candidates(list(left = left, right = right))
  structure(candidate_table(utils::head(found$candidates, most)),
    class = c("ronda_key_suggestions", "data.frame"),
    parts = found$parts, all_columns = found$all_columns, rows_left = nrow(left),
    sides = frame_labels(frame_code(substitute(left), substitute(right)))
  )
}

# list(candidates, parts, all_columns): what could be the key, the best first; of how many parts
# of the values one was looked at, and whether all columns were compared
key_candidates <- function(frames) {
  parts <- parts_of_frames(frames)
  made <- new.env(parent = emptyenv())
  columns <- column_pairs(frames)
  all <- single_candidates(frames, parts, columns, made)
  # what meets no more than chance has it is named only where nothing else is
  says <- vapply(all, function(x) !x$by_chance, NA)
  found <- all[says]
  if (length(all) > 1L && !any_unique(found)) {
    found <- c(found, double_candidates(frames, parts, all, made))
  }
  if (!length(found)) found <- all
  score <- vapply(found, candidate_score, 0)
  # what hardly meets is left out where something else does
  at <- order(-score)
  at <- at[score[at] >= 0.2 * max(score, 0)]
  list(
    candidates = found[at],
    parts = parts,
    all_columns = nrow(columns) == prod(lengths(frames))
  )
}

most_pairs <- 2500L

first_columns <- 40L

# Which columns to compare: all with all, unless those are too many
column_pairs <- function(frames) {
  names <- lapply(frames, names)
  all_of <- function(left, right) {
    expand.grid(left = left, right = right, stringsAsFactors = FALSE)
  }
  if (prod(lengths(names)) <= most_pairs) {
    return(all_of(names$left, names$right))
  }
  bare <- lapply(names, bare_name)
  at <- match(bare$left, bare$right)
  alike <- data.frame(left = names$left, right = names$right[at])
  first <- lapply(names, utils::head, first_columns)
  unique(rbind(
    utils::head(alike[!is.na(at), ], most_pairs - first_columns^2L),
    all_of(first$left, first$right)
  ))
}

single_candidates <- function(frames, parts, pairs, made) {
  found <- lapply(seq_len(nrow(pairs)), function(k) {
    rule <- list(left = pairs$left[k], right = pairs$right[k])
    x <- .subset2(frames$left, rule$left)
    y <- .subset2(frames$right, rule$right)
    groups <- c(type_group(x), type_group(y))
    if (anyNA(groups) || any(groups == "logical")) {
      return(NULL)
    }
    if (groups[1L] != groups[2L]) {
      rule$convert <- conversion_tried(x, y, rule, made)
      return(if (!is.null(rule$convert)) list(measure(frames, list(rule), parts, made)))
    }
    plain <- measure(frames, list(rule), parts, made)
    c(list(plain), if (groups[1L] == "text") {
      cleaned_candidate(frames, rule, plain, parts, made)
    })
  })
  found <- unlist(found, recursive = FALSE)
  found[vapply(found, function(x) !is.null(x) && x$shared, NA)]
}

# What makes two columns of unlike types comparable: a conversion, with the `side` that is
# converted; NULL where nothing does
conversion_tried <- function(x, y, rule, made) {
  columns <- list(left = x, right = y)
  groups <- vapply(columns, type_group, "")
  if (setequal(groups, c("Date", "POSIXct"))) {
    side <- names(groups)[groups == "POSIXct"]
    return(c(time_as_day(columns[[side]]), side = side))
  }
  side <- names(groups)[groups == "text"]
  if (length(side) != 1L) {
    return(NULL)
  }
  text <- columns[[side]]
  other <- columns[[setdiff(side_names, side)]]
  place <- c(side, rule[[side]])
  # Most texts are no numbers and no times, as the first of them tell.
  converts <- made_once(made, c("converts", place), {
    first <- written_texts(utils::head(text, 10000L))
    !length(first) || reads_as_numbers(first) || !is.null(time_form(first))
  })
  if (!converts) {
    return(NULL)
  }
  texts <- made_once(made, c("texts", place), written_texts(text))
  found <- switch(setdiff(groups, "text"),
    number = if (made_once(made, c("numbers", place), reads_as_numbers(texts))) {
      text_as_number(text, texts, other)
    },
    Date = ,
    POSIXct = if (made_once(made, c("times", place), !is.null(time_form(texts)))) {
      text_as_time(text, time_form(texts, other), other)
    }
  )
  if (!is.null(found) && can_convert(found)) c(found, side = side)
}

can_convert <- function(conversion) {
  !identical(conversion$type, "integer") || requireNamespace("bit64", quietly = TRUE)
}

# a conversion as a function that can be pasted
conversion_code <- function(conversion) {
  if (conversion$code == "as.numeric(%s)") "as.numeric" else {
    paste("function(x)", sprintf(conversion$code, "x"))
  }
}

# the mildest first
cleanings_tried <- c(
  list("trim", "lower", "zeros", "spaces", "signs", "look_alike", "accents"),
  list(c("trim", "lower"), c("trim", "zeros"), c("trim", "zeros", "lower"),
    c("signs", "zeros", "lower")
  )
)

# The mildest cleaning after which more rows meet
cleaned_candidate <- function(frames, rule, plain, parts, made) {
  best <- plain
  better <- NULL
  if (all(plain$found == 1) || !may_be_cleaned(frames, rule, sum(plain$found), parts, made)) {
    return(NULL)
  }
  for (words in Filter(can_clean, cleanings_tried)) {
    cleaned <- measure(frames, list(c(rule, list(words = words))), parts, made)
    if (cleaned$shared &&
      sum(cleaned$found) > sum(best$found) + 1e-9) {
      better <- best <- cleaned
    }
  }
  if (!is.null(better)) list(better)
}

# How far the two sides' values meet, and how unique they are
measure <- function(frames, rules, parts, made) {
  found <- measure_columns(frames, rules, parts, made)
  # what meets no more often than numbers of that size do anyway says nothing, unless
  # it meets wholly and tells the rows apart
  by_chance <- if (length(rules) == 1L) chance_shares(frames, rules[[1L]], parts, made) else 0
  found$by_chance <- all(found$found <= by_chance) &&
    !(all(found$found >= 0.95) && any(found$unique == 1))
  c(list(rules = rules), found)
}

# The shares of numbers or days that may be found by chance on each side, where the two
# columns have names of their own: that of the whole range which the other column's
# values cover, and what is usual by luck
chance_shares <- function(frames, rule, parts, made) {
  if (alike_names(rule$left, rule$right)) {
    return(0)
  }
  facts <- lapply(side_names, number_facts, frames = frames, rule = rule, parts = parts,
    made = made
  )
  if (any(lengths(facts) == 0L)) {
    return(0)
  }
  vapply(1:2, function(k) {
    own <- facts[[k]]$values
    other <- facts[[3L - k]]
    inside <- mean(own >= other$range[1L] & own <= other$range[2L])
    share <- min(1, inside * other$count / (diff(other$range) + 1))
    share + 2 * sqrt(share * (1 - share) / length(own))
  }, 0)
}

alike_names <- function(left, right) {
  left <- bare_name(left)
  right <- bare_name(right)
  left == right || nchar(left) > 1L && endsWith(right, left) ||
    nchar(right) > 1L && endsWith(left, right)
}

any_unique <- function(found) {
  any(vapply(found, function(x) any(x$unique == 1) && max(x$found) > 0.2, NA))
}

# Pairs of the better single ones that tell the rows of a side apart, or nearly so
double_candidates <- function(frames, parts, found, made) {
  scores <- vapply(found, candidate_score, 0)
  top <- utils::head(order(-scores), 8L)
  pairs <- utils::combn(top, 2L, simplify = FALSE)
  tried <- lapply(pairs, function(pair) {
    rules <- c(found[[pair[1L]]]$rules, found[[pair[2L]]]$rules)
    columns <- list(
      vapply(rules, function(rule) rule$left, ""),
      vapply(rules, function(rule) rule$right, "")
    )
    if (any(vapply(columns, anyDuplicated, 1L) > 0L)) {
      return(NULL)
    }
    measure(frames, rules, parts, made)
  })
  tried[vapply(tried, function(x) {
    !is.null(x) && x$shared && max(x$unique) >= 0.9 && max(x$found) >= 0.5
  }, NA)]
}

# Values that meet matter most, on a column that tells rows apart; equal names
# and no cleaning decide between the like.
candidate_score <- function(candidate) {
  rules <- candidate$rules
  named <- mean(vapply(rules, function(rule) {
    if (rule$left == rule$right) 1 else if (alike_names(rule$left, rule$right)) 0.6 else 0
  }, 0))
  cleaned <- mean(vapply(rules, function(rule) length(rule$words) + length(rule$convert$side), 0))
  meets <- 0.6 * max(candidate$found) + 0.4 * min(candidate$found)
  round(meets * (0.15 + 0.85 * max(candidate$unique)) + 0.05 * named -
    0.01 * cleaned - 0.02 * (length(rules) - 1), 3)
}

candidate_table <- function(found) {
  column <- function(side) {
    vapply(found, function(x) {
      paste(vapply(x$rules, function(rule) rule[[side]], ""), collapse = ", ")
    }, "")
  }
  number <- function(part, k) {
    vapply(found, function(x) x[[part]][k], 0)
  }
  data.frame(
    left = column("left"), right = column("right"),
    left_found = number("found", 1L), right_found = number("found", 2L),
    left_unique = number("unique", 1L), right_unique = number("unique", 2L),
    several = vapply(found, function(x) x$several, 0),
    score = vapply(found, candidate_score, 0),
    on = vapply(found, function(x) rules_as_code(x$rules), "")
  )
}

# Rules as they are written after `on =`, or --on
rules_as_code <- function(rules) {
  columns <- unlist(lapply(rules, named_key))
  words <- unique(unlist(lapply(rules, `[[`, "words")))
  converts <- compact(lapply(rules, `[[`, "convert"))
  if (!length(words) && !length(converts)) {
    return(value_said(columns))
  }
  if (speaks_options()) {
    types <- unlist(lapply(rules, function(rule) {
      type <- rule$convert$type
      if (!is.null(type)) structure(type, names = names(convert_place(rule)))
    }))
    return(paste(c(value_option(columns),
      if (length(words)) setting("via", in_cleaning_order(words)),
      if (length(types)) setting("types", types)
    ), collapse = " "))
  }
  code <- vapply(rules, function(rule) {
    sprintf("same(%s%s)", columns_text(rule), if (!is.null(rule$words)) {
      paste0(", via = ", cleaning_code(rule$words))
    } else if (!is.null(rule$convert)) {
      sprintf(", via = list(%s = %s)", rule$convert$side, conversion_code(rule$convert))
    } else {
      ""
    })
  }, "")
  if (length(code) == 1L) code else sprintf("c(%s)", paste(code, collapse = ", "))
}

# nearly all is not all
whole_percent <- function(share) {
  sprintf("%.0f%%", ifelse(share < 1, pmin(99, round(100 * share)), 100))
}

#' @export
print.ronda_key_suggestions <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.ronda_key_suggestions <- function(x, ...) {
  sides <- attr(x, "sides")
  if (is.null(sides)) sides <- c("left", "right")
  left_out <- if (identical(attr(x, "all_columns"), FALSE)) {
    sprintf(
      "Only columns of equal names and the first %d of each side were compared.",
      first_columns
    )
  }
  if (!nrow(x)) {
    return(c(
      "No columns share a value, as they are or in another form: there is no key to suggest.",
      left_out
    ))
  }
  rows <- sprintf("%d. %s %s", seq_len(nrow(x)), either("on =", "--on"), x$on)
  rows_left <- attr(x, "rows_left")
  several <- if (is.null(rows_left)) rep("", nrow(x)) else {
    n <- round(x$several * rows_left)
    ifelse(n > 0,
      sprintf("; %s of %s would multiply", vapply(n, counted, "", "row"), sides[1L]), ""
    )
  }
  percents <- lapply(x[c("left_found", "right_found", "left_unique", "right_unique")],
    whole_percent
  )
  found <- sprintf("   found: %s of %s, %s of %s%s", percents[[1L]], sides[1L],
    percents[[2L]], sides[2L], several
  )
  distinct <- sprintf("   distinct values per row: %s %s, %s %s", percents[[3L]], sides[1L],
    percents[[4L]], sides[2L]
  )
  parts <- attr(x, "parts")
  c(
    as.vector(rbind(rows, found, distinct)),
    if (!is.null(parts) && parts > 1) {
      sprintf("Shares are estimated from the rows of one value in %d.", parts)
    },
    left_out
  )
}
