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
  with_memory_told(make_frame(pairing, plan, c(clock, check = now_()), call))
}
