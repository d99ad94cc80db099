#' @rdname plot.ronda_pairing
#' @export
plot_join_types <- function(pairing) {
  draw_figure("join_types", pairing, quote(plot_join_types()))
}

draw_join_types <- function(pairing, data) {
  totals <- counts_by_type(pairing)
  totals$y <- rev(seq_len(nrow(totals)))
  largest <- max(totals$result_rows, 1)
  ggplot2::ggplot(data) +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = from, xmax = to, ymin = y - 0.34, ymax = y + 0.34, fill = part,
        linetype = part
      ),
      colour = "#4d5562"
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = (from + to) / 2, y = y, label = label),
      colour = ifelse(data$part == "paired", "white", "#2f3640"), size = 4.2
    ) +
    ggplot2::geom_text(
      data = totals, hjust = 0, size = 4.6, fontface = "bold",
      ggplot2::aes(x = result_rows + largest * 0.012, y = y,
        label = with_commas_each(result_rows)
      )
    ) +
    ggplot2::scale_fill_manual(NULL,
      values = c(
        paired = figure_colours[["paired"]], left_alone = "#d3e3f3",
        right_alone = "#fbe3c8"
      ),
      labels = c(
        paired = "paired (semi: left rows)",
        left_alone = paste(pairing$labels[1L], "alone"),
        right_alone = paste(pairing$labels[2L], "alone")
      )
    ) +
    ggplot2::scale_linetype_manual(
      values = c(paired = "solid", left_alone = "dashed", right_alone = "dotted"),
      guide = "none"
    ) +
    ggplot2::scale_x_continuous("rows of the result",
      limits = c(0, largest * 1.1), expand = c(0, 0), labels = with_commas_each
    ) +
    ggplot2::scale_y_continuous(NULL,
      breaks = totals$y, labels = totals$rows
    ) +
    figure_theme() +
    ggplot2::theme(
      legend.position = "bottom",
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(size = 13)
    )
}

join_type_data <- function(pairing) {
  totals <- counts_by_type(pairing)
  parts <- c("paired", "left_alone", "right_alone")
  data <- do.call(rbind, lapply(seq_len(nrow(totals)), function(k) {
    rows <- as.numeric(totals[k, parts])
    to <- cumsum(rows)
    data.frame(
      rows = totals$rows[k], part = parts, count = rows, from = to - rows,
      to = to, y = nrow(totals) - k + 1
    )
  }))
  data <- data[data$count > 0, ]
  wide <- data$count > max(totals$result_rows, 1) * 0.04
  data$label <- ifelse(wide, with_commas_each(data$count), "")
  data
}

join_type_title <- function(pairing, data) {
  totals <- counts_by_type(pairing)
  rows <- structure(totals$result_rows, names = totals$rows)
  lost <- rows[["anti"]]
  sprintf("A left join gives %s; an inner join %s",
    counted(rows[["left"]], "row"),
    if (lost == 0) "loses no left row" else {
      sprintf("drops %s", counted(lost, "left row"))
    }
  )
}

register_figure("join_types",
  data = join_type_data, draw = draw_join_types, title = join_type_title
)
