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
  found <- with_memory_told(verb = environment(), match_frames(
    new_pairing(left, right, list(
      where = where, missing_keys = missing_keys, repeats = repeats,
      expect = expect, max_rows = max_rows, sides = sides
    ), labels, code),
    if (missing(on)) NULL else on, missing(on), call
  ))
  session$latest <- told(found$pairing, found$clock)
  structure(found$pairing, class = "ronda_pairing")
}

stop_no_frame <- function(no_left, call) {
  stop_argument(
    said("`%s` is missing: give two data frames and `on`.",
      if (no_left) "left" else "right"
    ),
    call = call
  )
}
