#' Find which rows of two data frames pair
#'
#' The first half of [join_frames()]: it matches once and keeps what it found,
#' so that it can be counted, printed and built into frames as often as wanted.
#'
#' @inheritParams join_frames
#' @return A pairing, of class `ronda_pairing`. It holds the two frames (not
#'   copied) and which rows pair. Print it to see the account; give it to
#'   [build_frame()] for a frame and to [split_frames()] for three.
#' @section Errors: As [join_frames()], first and fourth decision.
#' @seealso [join_frames()], [build_frame()], [receipt()];
#'   `vignette("a-first-join")`, `vignette("missing-keys-and-limits")`.
#' @examples
#' pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' pairing
#' build_frame(pairing, rows = "anti")
#' @export
pair_rows <- function(left, right, on, ..., where = NULL,
                      missing_keys = "unmatched", repeats = "all",
                      expect = NULL, max_rows = NULL,
                      sides = c("left", "right")) {
  call <- quote(pair_rows())
  if (...length()) check_dots_empty(..., call = call)
  if (missing(left) || missing(right)) stop_no_frame(missing(left), call)
  code <- frame_code(substitute(left), substitute(right))
  labels <- if (missing(sides)) frame_labels(code) else sides
  call <- call_with_frames(call, labels, code)
  found <- with_memory_errors(verb = environment(), noted = join_notes, match_frames(
    asked_pairing(left, right, list(
      where = where, missing_keys = missing_keys, repeats = repeats,
      expect = expect, max_rows = max_rows, sides = sides
    ), labels, code),
    if (missing(on)) NULL else on, missing(on), call
  ))
  note_join(call, receipt_parts(found$pairing, found$clock),
    pairing = if (keeps_pairings()) found$pairing
  )
  structure(found$pairing, class = "ronda_pairing")
}

# The pairing that a function is given, or that of two frames and `on`, which is not noted
# as a join. `code`: what the frames are called.
pairing_given <- function(pairing, other, on, call, code) {
  if (!is.null(other)) check_frame(other, "other", call)
  if (missing(pairing) || !is.data.frame(pairing)) {
    if (!is.null(other) || !is.null(on)) {
      stop_given_twice(call)
    }
    check_pairing(pairing, call)
    return(pairing)
  }
  if (is.null(other)) {
    stop_argument("Give a pairing of pair_rows(), or two frames and `on`.", call = call)
  }
  labels <- frame_labels(code)
  choices <- with_usual_choices(list(expect = "rows-multiply"))
  found <- with_memory_errors(match_frames(
    asked_pairing(pairing, other, choices, labels, code), on, is.null(on),
    call_with_frames(call, labels, code)
  ))
  structure(found$pairing, class = "ronda_pairing")
}

stop_given_twice <- function(call) {
  stop_argument("A pairing has its frames and rules already: give it alone.", call = call)
}

stop_no_frame <- function(no_left, call) {
  stop_argument(
    said("`%s` is missing: give two data frames and `on`.",
      if (no_left) "left" else "right"
    ),
    call = call
  )
}

# Building later ---------------------------------------------------------------------

#' Build a data frame from a pairing
#'
#' The second half of [join_frames()]: which rows stay, and which columns come
#' under what names. A pairing can be built from as often as wanted; nothing is
#' matched again.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @inheritParams join_frames
#' @return As [join_frames()].
#' @section Errors: As [join_frames()], second and third decision.
#' @seealso [join_frames()], [pair_rows()], [split_frames()];
#'   `vignette("names-collisions-origin")`.
#' @examples
#' pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' build_frame(pairing, rows = "left", take = c(ship = "name")) |> head(3)
#' build_frame(pairing, rows = "anti")
#' @export
build_frame <- function(pairing, rows = "left", ..., take = NULL, omit = NULL,
                        fold = NULL, keys = "one", collisions = "rename_right",
                        name_pattern = "{side}.{column}", origin = NULL,
                        partners = NULL, row_numbers = NULL,
                        if_absent = NULL, row_order = "left") {
  call <- quote(build_frame())
  if (...length()) check_dots_empty(..., call = call)
  check_pairing(pairing, call)
  call <- call_with_frames(call, pairing$labels, pairing$code)
  check_choice(rows, names(row_types), "rows", call)
  choices <- list(
    take = take, omit = omit, fold = fold, keys = keys, collisions = collisions,
    name_pattern = name_pattern, origin = origin, partners = partners,
    row_numbers = row_numbers, if_absent = if_absent, row_order = row_order
  )
  clock <- c(start = now_())
  plan <- plan_frame(pairing, rows, choices, call)
  with_memory_errors(make_frame(pairing, plan, c(clock, check = now_()), call))
}
