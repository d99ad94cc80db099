#' Draw a pairing
#'
#' `plot(pairing, view = )` chooses one of the figures; each has a function of
#' its own. `overlap`: matched and unmatched rows of each frame, to scale.
#' `join_types`: the rows that each of `rows` would give. `repeats`: how many
#' partners rows have, with the heaviest keys named. `timeline`: the rows of
#' both frames on time axes, linked to their partners. `gaps`: how far the
#' partners are. ggplot2's `autoplot()` takes a pairing too.
#'
#' Titles say the finding in words. Colours stay apart for every kind of colour
#' vision, and shape, position or a label always says the same again. Large
#' input is summed before it is drawn; a timeline of more than 2,000 rows a
#' side shows evenly spread ones, and says so.
#'
#' @param x,pairing,object `[ronda_pairing]` What [pair_rows()] gives.
#' @param view `[character(1)]` Which figure.
#' @param ... Not used.
#' @return A ggplot, to be printed, saved or added to. Its data is a data frame
#'   of what is drawn.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, ggplot2
#'   isn't installed, or the figure needs a rule that `on` lacks (`timeline`: an
#'   ordered rule on times or numbers; `gaps`: `nearest()`).
#' @examples
#' vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' plot(vessel, view = "join_types")
#' tides <- pair_rows(sailings, tide_readings, on = list(
#'   "port", nearest("departs", "read_at", within = "15 mins")
#' ))
#' plot_gaps(tides)
#' plot_timeline(tides)
#' @export
plot.ronda_pairing <- function(x, view = "overlap", ...) {
  check_choice(view, names(figure_views), "view", quote(plot()))
  figure_views[[view]](x)
}

#' @rdname plot.ronda_pairing
#' @exportS3Method ggplot2::autoplot
autoplot.ronda_pairing <- function(object, view = "overlap", ...) {
  plot.ronda_pairing(object, view)
}

figure_views <- list(
  overlap = function(pairing) plot_overlap(pairing),
  join_types = function(pairing) plot_join_types(pairing),
  repeats = function(pairing) plot_repeats(pairing),
  timeline = function(pairing) plot_timeline(pairing),
  gaps = function(pairing) plot_gaps(pairing)
)

check_figure <- function(pairing, call) {
  check_pairing(pairing, call)
  need_packages("ggplot2", "A figure", call)
}
