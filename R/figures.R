# What the figures share: palette and theme.

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
