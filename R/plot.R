# Figures are records: each says what it draws, what it applies to and its title, in a
# file of its own; this one has what they share.

#' Draw a pairing
#'
#' `plot(pairing, view = )` chooses one of the figures; each has a function of
#' its own. `overlap`: matched and unmatched rows of each frame, to scale.
#' `join_types`: the rows that each of `rows` would give. `reasons`: why
#' unmatched rows have no partner. `repeats`: how many
#' partners rows have, with the heaviest keys named. `timeline`: the rows of
#' both frames on one axis, linked to their partners; of two periods what both share is
#' shaded. `gaps`: how far the
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
  # Names of fifty letters leave no room for anything else.
  pairing$labels <- distinct_short(pairing$labels, 28L)
  data <- figure$data(pairing)
  figure_of(figure$draw(pairing, data), figure$title(pairing, data),
    figure$subtitle(pairing, data), figure$says(pairing, data)
  )
}

# A figure with its title; `says` is its alternative text
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

# How figures look -------------------------------------------------------------------

# What figures have in common to look at: colours, text that fits, axes.

# Colours that stay apart in grey and for every kind of colour vision. Text on a fill
# has a contrast of at least 4.5.
figure_colours <- c(
  left = "#2b6ca3", right = "#e69a45", paired = "#3d4653", left_alone = "#7fb0de",
  right_alone = "#fdebd3", none = "#ffffff", line = "#4d5562"
)

# What can be read on each of them. (Where a page is dark, `none` and its ink are turned
# round, the others stay: so white ink is not quite the white of `none`.)
figure_inks <- c(
  left = "#fefefe", right = "#1d232b", paired = "#fefefe", left_alone = "#1d232b",
  right_alone = "#1d232b", none = "#2f3640"
)

figure_theme <- function(size = 13) {
  ggplot2::theme_minimal(base_size = size) +
    ggplot2::theme(
      plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.1)),
      plot.title.position = "plot",
      plot.subtitle = ggplot2::element_text(colour = "#4d5562", size = ggplot2::rel(0.85)),
      axis.text = ggplot2::element_text(colour = "#2f3640"),
      panel.grid.minor = ggplot2::element_blank(),
      legend.position = "bottom",
      # The last number of an axis may reach beyond the panel.
      plot.margin = ggplot2::margin(6, 14, 6, 6)
    )
}

# How many letters fit on a figure of 6.7 inches (640 pixels at 96 a inch)
title_width <- 56L
subtitle_width <- 78L

# names that stay apart when they are shortened
distinct_short <- function(names, most) {
  short <- shortened(names, most)
  again <- duplicated(short) | duplicated(short, fromLast = TRUE)
  ends <- substring(names, pmax(1L, nchar(names) - most %/% 2L + 2L))
  short[again] <- paste0(substr(names[again], 1L, most %/% 2L - 2L), "...", ends[again])
  make.unique(short, " ")
}

# Text of an axis or a strip, in at most two or three lines of so many letters: folded at
# blanks, else after signs of names, else anywhere
in_short_lines <- function(text, width = 16L) {
  vapply(shortened(text, 2L * width), function(one) {
    paste(unlist(lapply(strwrap(one, width + 1L), broken_word, width)), collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

broken_word <- function(word, width) {
  if (nchar(word, "width") <= width) {
    return(word)
  }
  places <- gregexpr("[_.:/-]", substr(word, 1L, width))[[1L]]
  at <- if (max(places) > width %/% 3L) max(places) else width
  c(substr(word, 1L, at), broken_word(substring(word, at + 1L), width))
}

# whole numbers alone, fewer of them where they are long
count_breaks <- function(limits) {
  most <- max(0, limits[is.finite(limits)])
  wanted <- if (most >= 1e5) 2L else if (most >= 1e3) 3L else 4L
  breaks <- pretty(c(0, most), min(wanted, max(1L, most)))
  breaks[breaks == trunc(breaks) & breaks >= 0]
}

count_axis <- function(name, most, ...) {
  ggplot2::scale_x_continuous(name,
    limits = c(0, max(most, 1)), breaks = count_breaks, labels = with_commas_each,
    expand = ggplot2::expansion(c(0, 0.06)), ...
  )
}

# Whether a label of so many letters fits on a part of the axis, on the smallest figure
fits_on <- function(label, share) share > nchar(label, "width") * 0.021

# A scale where there is something to scale: ggplot2 warns of one that has no value to show
if_drawn <- function(data, scale) if (nrow(data)) scale

utils::globalVariables(c(
  "from", "to", "y", "part", "label", "fill", "x", "column", "kind", "panel", "row",
  "result_rows", "partners", "rows", "side", "right_at", "state", "reason", "class",
  "share", "xend", "yend", "ink", "frame"
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
