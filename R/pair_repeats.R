# What happens when a left row has several candidates.

#' Keep the partner with the highest or lowest value
#'
#' For the argument `repeats` of [join_frames()]: of several candidates of a
#' left row, keep the one with the highest (lowest) value in a column of the
#' right frame. Missing values lose; of equal ones the first in right order
#' stays.
#'
#' @param column `[character(1)]` A column of the right frame that can be
#'   ordered: numbers, text (in C order), dates, times, durations, factors (by
#'   level) or logical values.
#' @return A choice, of class `ronda_choice`.
#' @section Errors: `ronda_error_argument` when `column` isn't one name, or is
#'   not a column of the right frame or can't be ordered.
#' @examples
#' # the longest shift of each vessel
#' shifts <- transform(crew_shifts,
#'   hours = as.numeric(ends - starts, units = "hours")
#' )
#' join_frames(vessels, shifts,
#'   on = c(code = "vessel"), repeats = highest("hours")
#' ) |> head(3)
#' @export
highest <- function(column) new_choice(column, TRUE, quote(highest()))

#' @rdname highest
#' @export
lowest <- function(column) new_choice(column, FALSE, quote(lowest()))

new_choice <- function(column, highest, call) {
  check_name(column, "column", call)
  structure(list(column = column, highest = highest), class = "ronda_choice")
}

#' @export
format.ronda_choice <- function(x, ...) {
  sprintf("%s(%s)", if (x$highest) "highest" else "lowest", text_code(x$column))
}

#' @export
print.ronda_choice <- function(x, ...) {
  cat(format(x), "\n", sep = "")
  invisible(x)
}

check_repeats <- function(repeats, right, call) {
  if (!inherits(repeats, "ronda_choice")) {
    return(check_repeats_word(repeats, call))
  }
  check_column(repeats$column, right, frame_marks[2L], call, class = "argument")
  column <- .subset2(right, repeats$column)
  if (is.factor(column)) check_factor(column, repeats$column, frame_marks[2L], call)
  if (is.na(key_family(column))) {
    stop_ronda("type",
      sprintf(
        "`%s` of `%s` is %s, which has no order: `repeats = %s` can't choose.",
        repeats$column, frame_marks[2L], type_word(column), format(repeats)
      ),
      lines_for_unknown(column, place_code(frame_marks[2L], repeats$column)),
      call = call
    )
  }
}

check_repeats_word <- function(repeats, call) {
  words <- c("all", "first", "last", "stop")
  if (is_name(repeats) && repeats %in% words) {
    return()
  }
  stop_argument(
    sprintf(
      "`repeats` must be %s, highest(\"column\") or lowest(\"column\"), not %s.",
      paste0("\"", words, "\"", collapse = ", "), shown(repeats)
    ),
    if (is_name(repeats)) meant_choice(repeats, words, "repeats"),
    call = call
  )
}

# Keeps one candidate of each left row that has several, and recounts.
keep_repeats <- function(pairing, call) {
  matches <- pairing$matches
  if (!has_ranges(matches) || is_name(pairing$repeats) && pairing$repeats %in% c("all", "stop")) {
    return(pairing)
  }
  pairing$candidates <- matches
  pairing$matches <- keep_one(matches,
    last = identical(pairing$repeats, "last"),
    order = if (!is.character(pairing$repeats)) {
      order_candidates(pairing$repeats, pairing$right)
    }
  )
  kept <- count_pairs_(pairing$matches)
  pairing$counts[names(kept)] <- kept
  pairing
}

# The best of each range first and missing ones last, by a column's value
order_candidates <- function(choice, right) {
  function(ranges, rows) {
    values <- slice_column(.subset2(right, choice$column), rows, choice$column, NULL)
    sort_rows(list(ranges, values), c(FALSE, choice$highest))
  }
}
