#' @rdname plot.ronda_pairing
#' @export
plot_join_types <- function(pairing) {
  draw_figure("join_types", pairing, quote(plot_join_types()))
}

draw_join_types <- function(pairing, data) {
  totals <- join_type_totals(pairing)
  parts <- c(
    paired = "paired (semi: left rows)", left_alone = paste(pairing$labels[1L], "alone"),
    right_alone = paste(pairing$labels[2L], "alone")
  )
  few <- sum(nchar(parts, "width")) < 60L
  ggplot2::ggplot(data) +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = from, xmax = to, ymin = y - 0.34, ymax = y + 0.34, fill = part,
        linetype = part
      ),
      colour = figure_colours[["line"]]
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = (from + to) / 2, y = y, label = label, colour = ink), size = 3.6
    ) +
    if_drawn(data, ggplot2::scale_fill_manual(NULL,
      values = figure_colours[names(parts)], breaks = names(parts), labels = parts,
      guide = ggplot2::guide_legend(ncol = if (!few) 1L)
    )) +
    ggplot2::scale_colour_identity(guide = "none") +
    if_drawn(data, ggplot2::scale_linetype_manual(guide = "none",
      values = c(paired = "solid", left_alone = "dashed", right_alone = "dotted")
    )) +
    count_axis("rows of the result", max(totals$result_rows)) +
    ggplot2::scale_y_continuous(NULL,
      breaks = totals$y, labels = totals$rows, minor_breaks = NULL,
      limits = c(0.5, nrow(totals) + 0.5),
      # the totals stand beside the panel, where nothing can cut them
      sec.axis = ggplot2::dup_axis(
        labels = with_commas_each(totals$result_rows), name = NULL
      )
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

join_type_totals <- function(pairing) {
  totals <- counts_by_type(pairing)
  totals$y <- rev(seq_len(nrow(totals)))
  totals
}

join_type_data <- function(pairing) {
  totals <- join_type_totals(pairing)
  parts <- c("paired", "left_alone", "right_alone")
  data <- do.call(rbind, lapply(seq_len(nrow(totals)), function(k) {
    rows <- as.numeric(totals[k, parts])
    to <- cumsum(rows)
    data.frame(
      rows = totals$rows[k], part = parts, count = rows, from = to - rows,
      to = to, y = totals$y[k]
    )
  }))
  data <- data[data$count > 0, ]
  label <- with_commas_each(data$count)
  fits <- fits_on(label, data$count / max(totals$result_rows, 1))
  data$label <- ifelse(fits, label, "")
  data$ink <- figure_inks[data$part]
  data
}

join_type_title <- function(pairing, data) {
  if (any(pairing$sizes == 0L)) {
    return(overlap_title(pairing))
  }
  totals <- counts_by_type(pairing)
  rows <- structure(totals$result_rows, names = totals$rows)
  lost <- rows[["anti"]]
  sprintf("A left join gives %s; an inner join %s",
    counted(rows[["left"]], "row"),
    if (rows[["inner"]] == 0) {
      "none"
    } else if (lost == 0) {
      "loses no left row"
    } else {
      sprintf("drops %s", counted(lost, "left row"))
    }
  )
}

register_figure("join_types",
  data = join_type_data, draw = draw_join_types, title = join_type_title,
  says = function(pairing, data) {
    totals <- counts_by_type(pairing)
    sprintf("Rows: %s.", paste(totals$rows, with_commas_each(totals$result_rows),
      collapse = ", "
    ))
  }
)
