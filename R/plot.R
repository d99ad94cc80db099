# Figures are records: each says what it draws, what it applies to and its title, in a
# file of its own; this one has what they share.

#' Draw a pairing
#'
#' `plot(pairing, view = )` chooses one of the figures; each has a function of
#' its own.
#'
#' * `overlap`: matched and unmatched rows of each frame, areas by count.
#' * `join_types`: the rows that each of `rows` would give, and how much rows multiply.
#' * `reasons`: why unmatched rows have no partner, with a few of their keys.
#' * `repeats`: how many partners rows have, in classes of equal ratio, and how many pairs
#'   each class makes.
#' * `folds`: how many partners fall into each row's fold or window, along time or by key.
#' * `timeline`: the rows of both frames on one axis, linked to their partners; of two
#'   periods what both share is shaded. Of more than 400 left rows, what share of them found
#'   a partner, by stretches of time and by key, the worst key first.
#' * `gaps`: how far the partners are.
#' * `periods`: where the periods of a key leave gaps or overlap each other.
#' * `differences`: what share of the pairs disagrees in each column of one name.
#'
#' ggplot2's `autoplot()` takes a pairing too.
#'
#' Titles say the finding in words. The page decides when the figure is drawn: titles are
#' folded to its width, and as many groups, columns or bars are shown as it has room for; what
#' is left out is said. One colour has one meaning in all figures: blue the left frame,
#' orange the right one, grey what is paired, red what has no partner; all stay apart in grey
#' and for every kind of colour vision, on light and dark pages. All texts take their
#' colour from `theme(text = )`.
#'
#' @param x,pairing,object `[ronda_pairing]` What [pair_rows()] gives.
#' @param view `[character(1)]` Which figure.
#' @param ... Not used.
#' @return A ggplot, to be printed, saved or added to. Its data is a data frame
#'   of what is drawn.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, ggplot2
#'   isn't installed, or the figure needs a rule that `on` lacks (`timeline`: an
#'   ordered rule on times or numbers; `gaps`: `nearest()`; `periods`: a rule with intervals;
#'   `differences`: a column that
#'   both frames have and that is not a key).
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
#' @usage \method{autoplot}{ronda_pairing}(object, view = "overlap", ...)
#' @exportS3Method ggplot2::autoplot
autoplot.ronda_pairing <- function(object, view = "overlap", ...) {
  plot.ronda_pairing(object, view)
}

figure_order <- c(
  "overlap", "join_types", "reasons", "repeats", "folds", "timeline", "gaps", "periods",
  "differences"
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
    # function(pairing, data): what it shows, in words for those who can't see it
    says = function(pairing, data) "",
    # function(pairing, data): list(fit, left_out) as on_page() takes them
    page = function(pairing, data) NULL) {
  figures[[view]] <- list(
    data = data, draw = draw, title = title, subtitle = subtitle, lacks = lacks, says = says,
    page = page
  )
}

draw_figure <- function(view, pairing, call) {
  check_pairing(pairing, call)
  need_packages("ggplot2", "A figure", call)
  figure <- figures[[view]]
  lacks <- figure$lacks(pairing)
  if (!is.null(lacks)) stop_argument(lacks[1L], lacks[-1L], call = call)
  # Names of fifty letters leave no room for anything else.
  pairing$labels <- distinct_short(pairing$labels, 28L)
  data <- figure$data(pairing)
  page <- figure$page(pairing, data)
  figure_of(figure$draw(pairing, data), figure$title(pairing, data),
    figure$subtitle(pairing, data), figure$says(pairing, data), page$fit, page$left_out
  )
}

# A figure with its title; `says` is its alternative text. What is said of what a page has no
# room for comes when it is drawn.
figure_of <- function(drawn, title, subtitle, says = "", fit = NULL, left_out = NULL) {
  parts <- c(title, subtitle, says)
  alt <- paste(sentence(parts[nzchar(parts)]), collapse = " ")
  subtitle <- paste(subtitle, collapse = "\n")
  on_page(drawn + ggplot2::labs(
    title = title, subtitle = if (nzchar(subtitle)) subtitle, alt = trimws(alt)
  ), fit, left_out)
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

utils::globalVariables(c(
  "from", "to", "y", "part", "label", "fill", "x", "column", "kind", "panel", "row",
  "result_rows", "partners", "rows", "side", "right_at", "state", "reason", "class",
  "share", "xend", "yend", "frame", "ymin", "ymax", "measure", "value", "what", "keys",
  "least", "middle", "most", "width", "key", "group"
))

# Files of figures -------------------------------------------------------------------

# A figure as a file.

# 1280 x 800 pixels. Drawing devices don't say that a disk is full, so the file's
# end is looked at.
save_figure <- function(figure, path) {
  force(figure)
  ending <- tolower(tools::file_ext(path))
  last <- switch(ending,
    png = as.raw(c(0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82)),
    pdf = charToRaw("%%EOF\n"),
    svg = charToRaw("</svg>\n")
  )
  write_whole(path, NULL, function(k, part) {
    ggplot2::ggsave(part, figure, width = 1280 / 130, height = 800 / 130,
      dpi = 130, bg = "white", device = if (ending == "svg") grDevices::svg
    )
    check_end(part, last)
  })
}
