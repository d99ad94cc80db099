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
      # (the last number of an axis may reach beyond the panel)
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
