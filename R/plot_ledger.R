# Rows through a script, join by join.

#' @rdname plot.ronda_pairing
#' @export
plot.ronda_ledger <- function(x, ...) {
  call <- quote(plot())
  need_packages("ggplot2", "A figure", call)
  made <- x[!x$failed & !is.na(x$result_rows), ]
  if (!nrow(made)) stop_argument("There is nothing to draw: no join made a frame.", call = call)
  change <- made$result_rows - made$rows_left
  # losses and growth stand at the axis, where any page leaves them legible
  marks <- ifelse(change == 0, "", sprintf(": %s%s", ifelse(change < 0, "-", "+"),
    with_commas_each(abs(change))
  ))
  label <- sprintf("%s  %s + %s%s", made$join, shortened(made$left, 14L),
    shortened(made$right, 14L), marks
  )
  label <- factor(label, rev(label))
  data <- rbind(
    data.frame(join = label, rows = made$rows_left, what = "left rows"),
    data.frame(join = label, rows = made$result_rows, what = "rows of the result")
  )
  data$what <- factor(data$what, c("rows of the result", "left rows"))
  drawn <- ggplot2::ggplot(data, ggplot2::aes(x = rows, y = join)) +
    ggplot2::geom_col(ggplot2::aes(fill = what),
      width = 0.7, colour = figure_colours[["line"]],
      position = ggplot2::position_dodge(width = 0.75)
    ) +
    ggplot2::scale_fill_manual(NULL, values = c(
      "left rows" = figure_colours[["left"]],
      "rows of the result" = figure_colours[["paired"]]
    ), guide = ggplot2::guide_legend(reverse = TRUE)) +
    count_axis("rows", max(data$rows)) +
    ggplot2::labs(y = NULL) +
    figure_theme() +
    ggplot2::theme(legend.position = "top", panel.grid.major.y = ggplot2::element_blank())
  figure_of(drawn, fit = function(data, room) {
      # the joins that changed most, in their order
      first <- data[data$what == "left rows", ]
      last <- data[data$what == "rows of the result", ]
      most <- order(-abs(last$rows - first$rows))
      keep <- first$join[utils::head(most, max(2, room$lines / 1.3))]
      data[data$join %in% keep, ]
    },
    left_out = function(data, shown) {
      n <- (nrow(data) - nrow(shown)) / 2
      if (n) sprintf("Not drawn: %s that changed fewer rows.", counted(n, "join"))
    },
    ledger_title(change),
    sprintf("Rows through %s; %s failed", counted(nrow(x), "join"), with_commas(sum(x$failed)))
  )
}

ledger_title <- function(change) {
  lost <- sum(change < 0)
  gained <- sum(change > 0)
  if (!lost && !gained) {
    return("No join changed the number of rows")
  }
  paste(c(if (lost) sprintf("%s lost rows", counted(lost, "join")),
    if (gained) sprintf("%s gained rows", counted(gained, "join"))
  ), collapse = ", ")
}
