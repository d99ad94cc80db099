#' Draw how far two frames overlap
#'
#' One bar a frame, to scale, cut into matched and unmatched rows, with counts.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @return A ggplot, to be printed, saved or added to. Its data has one row for
#'   each part of each bar: `frame`, `part`, `rows`.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one or ggplot2
#'   isn't installed.
#' @examples
#' plot_overlap(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' @export
plot_overlap <- function(pairing) {
  draw_figure("overlap", pairing, quote(plot_overlap()))
}

draw_overlap <- function(pairing, data) {
  largest <- max(pairing$sizes, 1)
  ggplot2::ggplot(
    data, ggplot2::aes(xmin = from, xmax = to, ymin = y - 0.3, ymax = y + 0.3)
  ) +
    ggplot2::geom_rect(ggplot2::aes(fill = fill, linetype = part),
      colour = "#4d5562"
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = label_at, y = y + label_up, label = label,
        hjust = label_side, colour = label_colour
      ),
      size = 5
    ) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_linetype_manual(
      values = c(matched = "solid", unmatched = "dashed")
    ) +
    ggplot2::scale_x_continuous("rows",
      limits = c(0, largest * 1.12), expand = c(0, 0), labels = with_commas
    ) +
    ggplot2::scale_y_continuous(NULL,
      breaks = c(2, 1), labels = side_labels(pairing), limits = c(0.4, 2.75)
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

side_labels <- function(pairing) {
  sprintf("%s\n%s", pairing$labels, vapply(pairing$sizes, counted, "", "row"))
}

overlap_data <- function(pairing) {
  counts <- pairing$counts
  matched <- c(counts$matched_left, counts$matched_right)
  rows <- as.numeric(rbind(matched, pairing$sizes - matched))
  from <- as.numeric(rbind(0, matched))
  data <- data.frame(
    frame = rep(pairing$labels, each = 2L),
    part = rep(c("matched", "unmatched"), 2L),
    rows = rows, from = from, to = from + rows, y = rep(c(2, 1), each = 2L),
    fill = c(
      figure_colours[["left"]], "white", figure_colours[["right"]], "white"
    )
  )
  data <- data[data$rows > 0, ]
  place_labels(data, max(pairing$sizes, 1))
}

# A label stands in its part, or above it where the part is too narrow; where
# both are, one label stands behind the bar.
place_labels <- function(data, largest) {
  data$label <- paste(with_commas(data$rows), data$part)
  needed <- nchar(data$label) * largest * 0.0155
  fits <- data$rows > needed
  narrow <- !data$frame %in% data$frame[fits]
  data$label_at <- ifelse(fits, (data$from + data$to) / 2, data$from)
  data$label_side <- ifelse(fits, 0.5, 0)
  data$label_up <- ifelse(fits, 0, 0.4)
  for (frame in unique(data$frame[narrow])) {
    own <- which(data$frame == frame)
    data$label[own] <- c(
      rep("", length(own) - 1L), paste(data$label[own], collapse = ", ")
    )
    data$label_at[own] <- max(data$to[own]) + largest * 0.015
    data$label_up[own] <- 0
  }
  dark <- data$part == "matched" & fits
  data$label_colour <- ifelse(dark, "white", "#2f3640")
  data
}

overlap_title <- function(pairing, data = NULL) {
  share <- function(matched, rows, label) {
    if (matched == rows) {
      sprintf("all %s %s", with_commas(rows), label)
    } else {
      sprintf("%s of %s %s", with_commas(matched), with_commas(rows), label)
    }
  }
  counts <- pairing$counts
  text <- sprintf("%s and %s have a partner",
    share(counts$matched_left, pairing$sizes[1L], pairing$labels[1L]),
    share(counts$matched_right, pairing$sizes[2L], pairing$labels[2L])
  )
  sub("^all", "All", text)
}

register_figure("overlap",
  data = overlap_data, draw = draw_overlap, title = overlap_title
)
