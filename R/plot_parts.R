# Rows and seconds of the tasks of a join of files: whether some are larger than others.

#' @export
plot.ronda_joined_files <- function(x, ...) {
  if (...length()) check_dots_empty(..., call = quote(plot()))
  need_packages("ggplot2", "Figures", quote(plot()))
  plot_parts(x$parts)
}

part_figures <- c(
  left_rows = "left rows", right_rows = "right rows", result_rows = "result rows",
  seconds = "seconds"
)

plot_parts <- function(parts) {
  names(parts)[names(parts) == "part"] <- "task"
  # Of many tasks a page shows those that took longest.
  shown <- parts[order(-parts$seconds, parts$task), ]
  # Tasks of a star of frames have no right rows.
  figures <- part_figures[names(part_figures) %in% names(parts)]
  panels <- factor(figures, levels = figures)
  data <- data.frame(
    row = factor(rep(shown$task, length(figures)), levels = rev(shown$task)),
    panel = rep(panels, each = nrow(shown)),
    x = as.numeric(unlist(shown[names(figures)], use.names = FALSE))
  )
  middle <- data.frame(panel = panels, x = vapply(parts[names(figures)], function(x) {
    if (length(x)) stats::median(x) else 0
  }, 0))
  figure <- ggplot2::ggplot(data, ggplot2::aes(x = x, y = row)) +
    ggplot2::geom_col(fill = figure_colours[["left"]], width = 0.7) +
    ggplot2::geom_vline(data = middle, ggplot2::aes(xintercept = x),
      linetype = "22", colour = figure_colours[["line"]]
    ) +
    ggplot2::facet_wrap(~ panel, nrow = 1L, scales = "free_x") +
    ggplot2::scale_x_continuous(NULL, labels = short_numbers, n.breaks = 3L,
      limits = c(0, NA)
    ) +
    ggplot2::labs(y = NULL) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      panel.spacing.x = ggplot2::unit(24, "pt")
    )
  figure_of(figure, parts_title(parts), "Dashed: the median of all.",
    fit = function(data, room) {
      slowest <- rev(levels(data$row))
      data[data$row %in% utils::head(slowest, room$lines / 1.2), ]
    },
    left_out = function(data, shown) {
      n <- length(unique(shown$row))
      if (n < nlevels(data$row)) sprintf("Shown: the %d that took longest.", n)
    }
  )
}

parts_title <- function(parts) {
  if (!nrow(parts)) {
    return("No part had any row")
  }
  seconds <- function(number) format_number(round(number, 2L))
  sprintf("%s: median %s s, slowest %s s", counted(nrow(parts), "task"),
    seconds(stats::median(parts$seconds)), seconds(max(parts$seconds))
  )
}
