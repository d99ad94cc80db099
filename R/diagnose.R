#' What is wrong with a join, and the call that works
#'
#' One call for what is done by hand before a join is trusted: which keys the frames have,
#' why rows have no partner, which steps bring how many rows back, and what repeats. The
#' answer ends with the whole call to paste, with all steps and the `expect` that fits.
#'
#' @param left `[data.frame | ronda_pairing]` The left frame; or what [pair_rows()] gives, and
#'   nothing else.
#' @param right `[data.frame]` The right frame.
#' @param on `[character | rule | list]` As in [join_frames()]. NULL: the key that
#'   [suggest_keys()] finds, with the conversion or cleaning that it needs.
#' @param where,missing_keys,repeats As in [join_frames()].
#' @return A list of class `ronda_diagnosis`, which prints as an answer: `status` (one line,
#'   the worst first), `keys` (what was found without `on`, a data frame of
#'   [suggest_keys()]), `reasons` and `steps` (data frames), `repeats` (lines), `call` (code
#'   to paste, a text; `character()` where no key was found), `matched` (left rows with a
#'   partner now and by that call), and `pairing` (as it is without the steps).
#'   `as.data.frame()`: one line for each reason of each side: `side`, `reason`, `rows`, `share`
#'   (of the side's rows), `step` (the code of a step that helps, missing where none does)
#'   and `adds` (how many of these rows it matches).
#' @details Each step was tried, on top of those before it. Cleaning and conversions are for
#'   matching only. Typing errors are guesses: read the corrections in the call before you
#'   use it. Rows are counted, only typing errors are searched in a sample where more than
#'   20,000 keys are left.
#' @section Errors: `ronda_error_argument` when `left` or `right` is not a data frame;
#'   `ronda_error_key` and `ronda_error_type` as [pair_rows()] when `on` can't be used.
#' @seealso [explain_row()] for one row, [near_misses()] for corrections, [write_report()] for
#'   a page; `vignette("when-it-goes-wrong")`.
#' @examples
#' diagnose(sailings, vessels)
#' found <- diagnose(sailings, vessels, on = c(vessel = "code"))
#' as.data.frame(found)
#' cat(found$call)
#' @export
diagnose <- function(left, right, on = NULL, where = NULL, missing_keys = "unmatched",
                     repeats = "all") {
  call <- quote(diagnose())
  if (!missing(left) && inherits(left, "ronda_pairing")) {
    if (!missing(right) || !is.null(on)) {
      stop_given_twice(call)
    }
    return(diagnosis_of(unclass(left), list(), NULL))
  }
  if (missing(left) || missing(right)) stop_no_frame(missing(left), call)
  check_frame(left, "left", call)
  check_frame(right, "right", call)
  code <- frame_code(substitute(left), substitute(right))
  labels <- frame_labels(code)
  asked <- asked_pairing(left, right, with_usual_choices(list(
    where = where, missing_keys = missing_keys, repeats = repeats, expect = "rows-multiply",
    max_rows = Inf
  )), labels, code)
  diagnose_frames(asked, on, call_with_frames(call, labels, code))
}

# The diagnosis of what is asked, which may have no `on` yet
diagnose_frames <- function(asked, on, call) {
  found <- if (is.null(on)) key_candidates(asked[side_names])
  if (is.null(on) && !length(found$candidates)) {
    return(no_key_diagnosis(asked, found))
  }
  rules <- if (is.null(on)) found$candidates[[1L]]$rules else {
    converted_rules(as_rules(on, asked$left, asked$right, call), asked)
  }
  converted <- Filter(function(rule) !is.null(rule$convert), rules)
  via <- lapply(converted, function(rule) {
    convert <- rule$convert
    either(sprintf("list(%s = %s)", convert$side, conversion_code(convert)),
      setting("types", structure(convert$type, names = names(convert_place(rule))))
    )
  })
  names(via) <- vapply(converted, `[[`, "", "left")
  on <- lapply(rules, rule_of_candidate)
  pairing <- with_memory_errors(match_frames(asked, on, FALSE, call))$pairing
  keys <- if (!is.null(found)) candidate_table(utils::head(found$candidates, 3L))
  diagnosis_of(pairing, via, keys)
}

# rules of which each key whose columns are of unlike types has the conversion it needs
converted_rules <- function(rules, asked) {
  made <- new.env(parent = emptyenv())
  lapply(rules, function(rule) {
    if (!is_key_rule(rule) || length(rule$via)) {
      return(rule)
    }
    x <- .subset2(asked$left, rule$left)
    y <- .subset2(asked$right, rule$right)
    if (!key_columns_match(x, y) && !anyNA(c(type_group(x), type_group(y)))) {
      rule$convert <- conversion_tried(x, y, rule, made)
    }
    rule
  })
}

rule_of_candidate <- function(rule) {
  if (!is.null(rule$kind) && is.null(rule$convert)) {
    return(structure(list(structure(rule, class = "ronda_rule_record")), class = "ronda_rule"))
  }
  via <- if (!is.null(rule$words)) rule$words else if (!is.null(rule$convert)) {
    structure(list(rule$convert$run), names = rule$convert$side)
  }
  same(rule$left, rule$right, via = via)
}

# `via`: code of conversions, by left columns; `keys`: what was found without `on`
diagnosis_of <- function(pairing, via, keys) {
  found <- misses_found(pairing)
  reasons <- unmatched_reasons(pairing, found)
  final <- steps_taken(pairing, via, found)
  table <- reason_table(pairing, reasons, final$steps)
  matched <- c(pairing$counts$matched_left, final$pairing$counts$matched_left)
  structure(
    list(
      status = status_of(pairing), keys = keys, reasons = table,
      steps = step_table(final$steps), repeats = repeat_lines(pairing),
      call = diagnosed_call(final), matched = matched, looked_at = reasons$looked_at,
      pairing = structure(c(pairing, list(reasons = reasons)), class = "ronda_pairing")
    ),
    class = "ronda_diagnosis"
  )
}

no_key_diagnosis <- function(asked, found) {
  empty <- which(c(nrow(asked$left), nrow(asked$right)) == 0L)
  tried <- c(
    if (length(empty)) sprintf("%s has no rows.", asked$labels[empty]),
    sprintf("Compared: %s of %s and %s of %s, as they are, cleaned, and as other types.",
      counted(length(asked$left), "column"), asked$labels[1L],
      counted(length(asked$right), "column"), asked$labels[2L]
    ),
    if (!found$all_columns) {
      sprintf("Only columns of equal names and the first %d were.", first_columns)
    }
  )
  structure(
    list(
      status = sprintf("No key found: no column of %s shares values with one of %s.",
        asked$labels[1L], asked$labels[2L]
      ),
      keys = candidate_table(list()), reasons = reason_frame(), steps = step_table(list()),
      repeats = character(), call = character(), matched = c(0, 0), looked_at = tried,
      pairing = NULL
    ),
    class = "ronda_diagnosis"
  )
}

# Steps ----------------------------------------------------------------------------

# list(pairing, via, steps): the pairing with every step that matches more left rows, one on
# top of the other. A step is list(code, gained): which left and right rows it matched.
steps_taken <- function(pairing, via, found) {
  state <- list(pairing = pairing, via = via, steps = list())
  if (!is.null(pairing$turn) || pairing$counts$matched_left == pairing$sizes[1L]) {
    return(state)
  }
  misses <- shown_misses(pairing, found)
  for (rule in pairing$key_rules) state <- clean_more(state, rule, misses)
  again <- if (length(state$steps)) found_misses(state$pairing, quote(near_misses())) else found
  typed <- shown_misses(state$pairing, again)
  for (rule in pairing$key_rules) state <- correct_more(state, rule, typed)
  state <- reach_farther(state, again$far)
  state <- wider_intervals(state, "ends", "[]")
  wider_intervals(state, "open_ended", TRUE)
}

# the state with other rules, where these match more left rows
with_step <- function(state, rules, code, via = state$via) {
  tried <- pair_again(state$pairing, rules)
  if (newly_matched(state$pairing, tried) <= 0) {
    return(state)
  }
  tried$code <- state$pairing$code
  gained <- lapply(c(left = "left", right = "right"), function(side) {
    setdiff(unmatched(state$pairing$matches, side), unmatched(tried$matches, side))
  })
  step <- list(code = code, gained = gained)
  list(pairing = tried, via = via, steps = c(state$steps, list(step)))
}

# the rules, one key with a further step of its `via` on these sides
with_further_step <- function(rules, column, step, sides) {
  with_key(rules, column, function(rule) {
    for (side in sides) rule$via[[side]] <- c(rule$via[[side]], list(step))
    rule
  })
}

# code of a step, with its column where there are several keys
named_step <- function(state, rule, code) {
  if (length(state$pairing$key_rules) > 1L) sprintf("`%s`: %s", rule$left, code) else code
}

clean_more <- function(state, rule, misses) {
  reasons <- unique(misses$reason[!is.na(misses$via) & misses$column == rule$left])
  words <- words_of_reasons(setdiff(reasons, "rounding"))
  if (!length(words) || !is.null(state$via[[rule$left]])) {
    return(round_more(state, rule, misses))
  }
  step <- structure(list(words = in_cleaning_order(words)), class = "ronda_words")
  with_step(state, with_further_step(state$pairing$rules, rule$left, step, side_names),
    named_step(state, rule, setting("via", in_cleaning_order(words)))
  )
}

round_more <- function(state, rule, misses) {
  lines <- misses[misses$reason %in% "rounding" & misses$column == rule$left, ]
  # the command line has no function that rounds
  if (!nrow(lines) || length(rule$via) || speaks_options()) {
    return(state)
  }
  rounding <- rounding_via(lines)
  via <- c(state$via, structure(list(rounding$code), names = rule$left))
  with_step(state, with_via(state$pairing$rules, rule$left, rounding$run),
    named_step(state, rule, paste("via =", rounding$code)), via
  )
}

# so many corrections may stand in the call
most_corrections <- 200L

correct_more <- function(state, rule, misses) {
  alone <- !is_matched(state$pairing$matches, "left")[misses$left_row]
  lines <- misses[misses$column == rule$left & are_sure_typos(misses) & alone, ]
  lines <- lines[!duplicated(lines$from), ]
  # on the command line corrections are a file, made by ronda near-misses --out
  if (!nrow(lines) || nrow(lines) > most_corrections || !is.null(state$via[[rule$left]]) ||
    speaks_options()) {
    return(state)
  }
  step <- structure(as_corrections(lines, "misses", NULL), class = "ronda_corrections")
  with_step(state, with_further_step(state$pairing$rules, rule$left, step, "left"),
    named_step(state, rule, sprintf("via = %s, to be read first",
      counted(length(step$from), "correction")
    ))
  )
}

reach_farther <- function(state, far) {
  if (is.null(far)) {
    return(state)
  }
  wider <- wider_rules(state$pairing, far)
  with_step(state, wider$rules, setting("within", wider$within))
}

# intervals with both ends, or without missing bounds, where that gives no left row a second
# partner
wider_intervals <- function(state, choice, value) {
  rules <- state$pairing$rules
  other <- vapply(rules, function(rule) {
    !is.null(rule[[choice]]) && !identical(rule[[choice]], value)
  }, NA)
  if (!any(other) || !is.null(state$pairing$where)) {
    return(state)
  }
  rules[other] <- lapply(rules[other], function(rule) {
    rule[[choice]] <- value
    rule
  })
  tried <- with_step(state, rules, setting(choice, value))
  grows <- tried$pairing$counts$most_left > max(1L, state$pairing$counts$most_left)
  if (grows) state else tried
}

step_table <- function(steps) {
  adds <- vapply(steps, function(step) length(step$gained$left), 1L)
  order <- order(-adds)
  as_base_frame(list(
    step = vapply(steps, `[[`, "", "code")[order], adds = adds[order]
  ), length(steps))
}

# The call -------------------------------------------------------------------------

# The whole call to paste, with all steps
diagnosed_call <- function(state) {
  pairing <- state$pairing
  if (speaks_options()) {
    return(typed_call(pairing, state$via))
  }
  pairing["max_rows"] <- list(NULL)
  lines <- left_join_rows(pairing)
  if (lines > row_limit(pairing)) pairing$max_rows <- lines
  code <- pairing_code(pairing, via = state$via, expect = fitting_expect(pairing))
  code <- sub("pairing <- pair_rows(", "joined <- join_frames(", code, fixed = TRUE)
  paste(c(values_code(list(pairing$where)), code), collapse = "\n")
}

# what holds of the pairing, as `expect`
fitting_expect <- function(pairing) {
  if (!pairing$counts$pairs) {
    return("may-be-empty")
  }
  expect <- expect_of_today(pairing)
  if (expect[1L] == "many-to-many") {
    return("rows-multiply")
  }
  # where `repeats` chose, what is expected of the candidates is tried
  holds <- identical(pairing$repeats, "all") || !is.null(pair_again(pairing, expect = expect))
  if (holds) expect
}

# the same to be typed
typed_call <- function(pairing, via) {
  expect <- fitting_expect(pairing)
  texts <- vapply(pairing$rules, rule_text, "")
  paste(c("ronda join", shell_words(pairing$code), texts, unlist(via),
    if (!is.null(pairing$where)) setting("where", pairing$where),
    if (pairing$missing_keys != "unmatched") setting("missing_keys", pairing$missing_keys),
    if (!is.null(expect)) setting("expect", expect)
  ), collapse = " ")
}

# Reasons and repeats ----------------------------------------------------------------

reason_frame <- function(side = character(), frame = character(), reason = character(),
                         rows = integer(), share = numeric(), step = character(),
                         adds = integer(), examples = character()) {
  as_base_frame(list(
    side = side, frame = frame, reason = reason, rows = rows, share = share, step = step,
    adds = adds, examples = examples
  ), length(side))
}

# one line for each reason of each side, the largest first
reason_table <- function(pairing, reasons, steps) {
  counts <- reasons$counts
  lines <- lapply(seq_len(nrow(counts)), function(k) {
    side <- counts$side[k]
    of_side <- reasons$rows[[side]]
    rows <- of_side$row[of_side$reason == k]
    gains <- vapply(steps, function(step) sum(rows %in% step$gained[[side]]), 1L)
    best <- if (any(gains > 0L)) which.max(gains)
    reason_frame(side, counts$frame[k], counts$reason[k], length(rows),
      length(rows) / pairing$sizes[side_number(side)],
      if (length(best)) steps[[best]]$code else NA_character_, sum(gains),
      counts$examples[k]
    )
  })
  table <- do.call(rbind, c(list(reason_frame()), lines))
  table <- table[order(match(table$side, side_names), -table$rows), ]
  row.names(table) <- NULL
  table
}

# what repeats, and what that makes of the rows
repeat_lines <- function(pairing) {
  counts <- pairing$counts
  if (!counts$pairs) {
    return(character())
  }
  several <- account_frame(pairing)$several
  says <- function(side, other) {
    k <- side_number(side)
    if (several[k]) sprintf("%s of %s %s several partners in %s, up to %s.",
      counted(several[k], "row"), pairing$labels[k], if (several[k] == 1L) "has" else "have",
      pairing$labels[side_number(other)], with_commas(max(partner_counts(pairing$matches, side)))
    )
  }
  c(
    says("left", "right"), says("right", "left"),
    if (several[1L]) sprintf("A left join makes %s of %s.", counted(left_join_rows(pairing), "row"),
      with_commas(pairing$sizes[1L])
    ),
    if (!any(several)) "No key repeats."
  )
}

# What it says ---------------------------------------------------------------------

#' @export
as.data.frame.ronda_diagnosis <- function(x, ...) {
  x$reasons[c("side", "reason", "rows", "share", "step", "adds")]
}

#' @export
print.ronda_diagnosis <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

#' @export
format.ronda_diagnosis <- function(x, ...) {
  c(
    x$status, key_lines(x), reason_lines(x$reasons), x$looked_at,
    if (nrow(x$steps)) c("Steps, each tried on top of the others:",
      sprintf("  +%s  %s", pad_left(with_commas_each(x$steps$adds)), x$steps$step)
    ),
    if (!is.null(x$pairing) && length(x$repeats)) c("Repeats:", paste0("  ", x$repeats)),
    if (length(x$call)) c(
      sprintf("To paste (%s of %s of %s match):", with_commas(x$matched[2L]),
        counted(x$pairing$sizes[1L], "row"), x$pairing$labels[1L]
      ),
      paste0("  ", strsplit(x$call, "\n")[[1L]])
    )
  )
}

pad_left <- function(texts) formatC(texts, width = max(0L, nchar(texts)))

key_lines <- function(x) {
  if (is.null(x$keys) || !nrow(x$keys)) {
    return(NULL)
  }
  shares <- sprintf("%s of %s and %s of %s found", whole_percent(x$keys$left_found),
    x$pairing$labels[1L], whole_percent(x$keys$right_found), x$pairing$labels[2L]
  )
  c(
    sprintf("Key: %s %s (%s)", either("on =", "--on"), x$keys$on[1L], shares[1L]),
    if (nrow(x$keys) > 1L) {
      sprintf("  next best: %s %s (%s)", either("on =", "--on"), x$keys$on[2L], shares[2L])
    }
  )
}

reason_lines <- function(reasons) {
  unlist(lapply(split(reasons, factor(reasons$side, side_names)), function(one) {
    if (!nrow(one)) {
      return(NULL)
    }
    c(
      sprintf("Unmatched in %s: %s", one$frame[1L], counted(sum(one$rows), "row")),
      sprintf("  %s  %s%s", pad_left(with_commas_each(one$rows)), one$reason,
        ifelse(nzchar(one$examples), sprintf(" (%s)", one$examples), "")
      )
    )
  }), use.names = FALSE)
}
