# Figures are records: each says what it draws, what it applies to and its title, in a
# file of its own; this one has what they share.

#' Draw a pairing
#'
#' `plot(pairing, view = )` chooses one of the figures; each has a function of
#' its own. `overlap`: matched and unmatched rows of each frame, to scale.
#' `join_types`: the rows that each of `rows` would give. `reasons`: why
#' unmatched rows have no partner. `repeats`: how many
#' partners rows have, with the heaviest keys named. `timeline`: the rows of
#' both frames on one axis, linked to their partners. `gaps`: how far the
#' partners are. `differences`: where columns of one name disagree. ggplot2's
#' `autoplot()` takes a pairing too.
#'
#' Titles say the finding in words. Numbers stand in axis texts and on filled
#' shapes, so that they can be read with any theme, on light and dark. Colours stay
#' apart in grey and for every kind of colour vision, and shape, position or a label
#' always says the same again. Large input is summed before it is drawn; a timeline
#' of many rows shows a few hundred left rows with their partners, groups with
#' unmatched rows first, and says what it leaves out.
#'
#' @param x,pairing,object `[ronda_pairing]` What [pair_rows()] gives.
#' @param view `[character(1)]` Which figure.
#' @param ... Not used.
#' @return A ggplot, to be printed, saved or added to. Its data is a data frame
#'   of what is drawn.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, ggplot2
#'   isn't installed, or the figure needs a rule that `on` lacks (`timeline`: an
#'   ordered rule on times or numbers; `gaps`: `nearest()`; `differences`: a column that
#'   both frames have and that is no key).
#' @seealso [plot_many()] for several frames, [plot_rows_guide()] to choose `rows`,
#'   [write_report()] for all of them on one page; `vignette("reports-and-command-line")`.
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

figure_order <- c(
  "overlap", "join_types", "reasons", "repeats", "timeline", "gaps", "differences"
)

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
    lacks = function(pairing) NULL,
    # function(pairing, data): what it shows, in words for who can't see it
    says = function(pairing, data) "") {
  figures[[view]] <- list(
    data = data, draw = draw, title = title, subtitle = subtitle, lacks = lacks, says = says
  )
}

draw_figure <- function(view, pairing, call) {
  check_pairing(pairing, call)
  need_packages("ggplot2", "A figure", call)
  figure <- figures[[view]]
  lacks <- figure$lacks(pairing)
  if (!is.null(lacks)) stop_argument(lacks[1L], lacks[-1L], call = call)
  # (names of fifty letters leave no room for anything else)
  pairing$labels <- distinct_short(pairing$labels, 28L)
  data <- figure$data(pairing)
  figure_of(figure$draw(pairing, data), figure$title(pairing, data),
    figure$subtitle(pairing, data), figure$says(pairing, data)
  )
}

# A figure with its title; `says` tells what it shows to who can't see it
figure_of <- function(drawn, title, subtitle, says = "") {
  parts <- c(title, subtitle, says)
  alt <- gsub("\n", " ", paste(sentence(parts[nzchar(parts)]), collapse = " "))
  drawn + ggplot2::labs(
    title = in_lines(title, title_width), subtitle = in_lines(subtitle, subtitle_width),
    alt = trimws(alt)
  )
}

sentence <- function(text) ifelse(grepl("[.!?]$", text), text, paste0(text, "."))

# the figures that can be drawn of a pairing
figures_for <- function(pairing) {
  Filter(function(view) is.null(figures[[view]]$lacks(pairing)), figure_order)
}

account_line <- function(pairing) {
  counts <- pairing$counts
  paste0(
    if (counts$pairs > 0) {
      sprintf("%s, %s, by ", counted(counts$pairs, "pair"), key_shape_of(counts))
    } else {
      "No pair, by "
    },
    paste(vapply(pairing$rules, rule_text, ""), collapse = ", ")
  )
}
