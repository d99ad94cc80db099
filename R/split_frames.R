#' Split a pairing into matched and unmatched rows
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @param ... Named arguments for [build_frame()], for the matched rows; not
#'   `rows`.
#' @return A list of three frames: `matched`, as `build_frame(pairing,
#'   "inner")`; `<left side>_alone` and `<right side>_alone`: the rows without
#'   partner, each with its own frame's columns and class. Together they hold
#'   every row of both frames, and the receipt accounts for all three. With
#'   `row_numbers` the rows alone have a column of their row numbers, too.
#' @section Errors: As [build_frame()].
#' @seealso [build_frame()]; `vignette("choosing-rows")`.
#' @examples
#' pairing <- pair_rows(sailings, vessels,
#'   on = c(vessel = "code"), sides = c("sailings", "vessels")
#' )
#' parts <- split_frames(pairing)
#' vapply(parts, nrow, 1L)
#' parts$vessels_alone
#' @export
split_frames <- function(pairing, other = NULL, on = NULL, ...) {
  call <- quote(split_frames())
  code <- frame_code(substitute(pairing), substitute(other))
  pairing <- pairing_given(pairing, other, on, call, code)
  call <- call_with_frames(call, pairing$labels, pairing$code)
  if ("rows" %in% names(list(...))) {
    stop_argument(said("`rows` can't be chosen: split_frames() gives all three."),
      call = call
    )
  }
  choices <- split_choices(list(...), call)
  clock <- c(start = now_())
  plan <- plan_frame(pairing, "inner", choices, call)
  clock <- c(clock, check = now_())
  made <- with_memory_errors(frame_made(unclass(pairing), plan, call))
  parts <- c(list(made$frame), lapply(side_names, function(side) {
    rows_alone(pairing, side, choices$row_numbers[side_number(side)], call)
  }))
  names(parts) <- c("matched", paste0(pairing$sides, "_alone"))
  record_receipt(pairing, list(rows = split_rows, n = sum(vapply(parts, nrow, 1L)),
    changed = made$changed
  ), c(clock, columns = now_()), call)
  parts
}

# The rows of a side without partner; with their numbers, in a column of that name
rows_alone <- function(pairing, side, number, call) {
  rows <- unmatched(pairing$matches, side)
  frame <- own_rows(pairing[[side]], rows, call)
  if (is.null(number)) {
    return(frame)
  }
  if (number %in% names(frame)) {
    stop_ronda("collision",
      said("`%s` has a column `%s`, the name that `row_numbers` gives.",
        frame_mark(side), number
      ),
      said("Choose another name in `row_numbers`."),
      call = call, data = list(column = number)
    )
  }
  columns <- unclass(frame)
  columns[[number]] <- rows
  frame_like(columns, length(rows), pairing[[side]])
}

# the choices of build_frame(), its usual ones where none is given
split_choices <- function(given, call) {
  names <- names(given)
  unknown <- if (length(names) == length(given)) {
    setdiff(names, names(default_choices))
  } else {
    ""
  }
  if (length(unknown)) {
    do.call(check_dots_empty, c(given, list(
      call = call, known = names(default_choices)
    )), quote = TRUE)
  }
  choices <- default_choices
  choices[names] <- given
  choices
}
