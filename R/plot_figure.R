# Figures are records: each says what it draws, what it applies to and its title, in a
# file of its own; this one has what they share.

# Draw a pairing
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
  check_choice(view, figure_order, "view", quote(plot()))
  draw_figure(view, x, call(paste0("plot_", view)))
}

#' @rdname plot.ronda_pairing
#' @exportS3Method ggplot2::autoplot
autoplot.ronda_pairing <- function(object, view = "overlap", ...) {
  plot.ronda_pairing(object, view)
}

figure_order <- c("overlap", "join_types", "repeats", "timeline", "gaps")

figures <- new.env(parent = emptyenv())

register_figure <- function(
    view,
    # function(pairing): all that is drawn
    data,
    # function(pairing, data): the figure, without its title
    draw,
    # function(pairing, data): the finding in words, and a line below it
    title, subtitle = function(pairing, data) account_line(pairing),
    # function(pairing): why the figure can't be drawn, or NULL
    lacks = function(pairing) NULL) {
  figures[[view]] <- list(
    data = data, draw = draw, title = title, subtitle = subtitle, lacks = lacks
  )
}

draw_figure <- function(view, pairing, call) {
  check_pairing(pairing, call)
  need_packages("ggplot2", "A figure", call)
  figure <- figures[[view]]
  lacks <- figure$lacks(pairing)
  if (!is.null(lacks)) stop_argument(lacks[1L], lacks[-1L], call = call)
  data <- figure$data(pairing)
  figure$draw(pairing, data) +
    ggplot2::labs(
      title = figure$title(pairing, data),
      subtitle = figure$subtitle(pairing, data)
    )
}

# the figures that can be drawn of a pairing
figures_for <- function(pairing) {
  Filter(function(view) is.null(figures[[view]]$lacks(pairing)), figure_order)
}

account_line <- function(pairing) {
  in_lines(sprintf("%s, %s, by %s", counted(pairing$counts$pairs, "pair"),
    key_shape_of(pairing$counts),
    paste(vapply(pairing$rules, rule_text, ""), collapse = ", ")
  ))
}

# Palette and theme -------------------------------------------------------------

# Blue, orange and grey that stay apart for every kind of colour vision; shape,
# position or label always says the same again.
figure_colours <- c(
  left = "#2b6ca3", right = "#d9822b", paired = "#4d5562", none = "#c9ced6"
)

figure_theme <- function(size = 14) {
  ggplot2::theme_minimal(base_size = size) +
    ggplot2::theme(
      plot.title = ggplot2::element_text(face = "bold"),
      plot.title.position = "plot",
      plot.subtitle = ggplot2::element_text(colour = "#4d5562"),
      panel.grid.minor = ggplot2::element_blank(),
      legend.position = "none"
    )
}

utils::globalVariables(c(
  "from", "to", "y", "part", "label", "label_at", "label_up", "label_side",
  "label_colour", "fill", "x", "column", "kind", "shape", "panel", "row",
  "result_rows", "partners", "rows", "side", "at", "right_at", "state"
))
