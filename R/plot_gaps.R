#' @rdname plot.ronda_pairing
#' @export
plot_gaps <- function(pairing) {
  draw_figure("gaps", pairing, quote(plot_gaps()))
}

draw_gaps <- function(pairing, gaps) {
  figure <- ggplot2::ggplot(gaps$data) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = from, xmax = to, ymin = 0, ymax = rows),
      fill = figure_colours[["left"]], colour = "white"
    )
  if (length(gaps$limits)) {
    figure <- figure +
      ggplot2::geom_vline(
        xintercept = gaps$limits, linetype = "dashed",
        colour = figure_colours[["right"]], linewidth = 0.9
      ) +
      ggplot2::annotate("text",
        x = gaps$limits[length(gaps$limits)], y = max(gaps$data$rows, 1) * 1.06,
        label = gaps$limit_label, hjust = 1.05, colour = "#8a4f0f", size = 4.4
      )
  }
  figure +
    ggplot2::scale_y_continuous("pairs",
      expand = ggplot2::expansion(c(0, 0.1)), labels = with_commas_each
    ) +
    ggplot2::labs(x = gaps$axis) +
    figure_theme()
}

# The gaps of all pairs, counted in at most thirty classes
gap_data <- function(pairing) {
  rule <- rules_of(pairing$rules, "nearest")[[1L]]
  plan <- plan_rule(pairing, rule, NULL)
  pairs <- all_pairs(pairing$matches)
  gap <- gap_numbers(plan$closest, pairs$left, pairs$right)
  unit <- gap_unit(plan$scale, c(gap, plan$closest$within))
  gap <- gap / unit$size
  within <- plan$closest$within / unit$size
  limits <- if (is.infinite(within)) NULL else {
    if (rule$look == "either") c(-within, within) else within
  }
  edges <- gap_edges(gap, limits)
  rows <- as.integer(table(cut(gap, edges, include.lowest = TRUE)))
  middle <- if (length(gap)) stats::median(abs(gap)) else NA
  list(
    data = data.frame(
      from = utils::head(edges, -1L), to = edges[-1L], rows = rows
    ),
    limits = limits, limit_label = sprintf("within %s %s", format(within), unit$name),
    axis = trimws(sprintf("%s - %s %s",
      if (rule$look == "ahead") rule$right else rule$left,
      if (rule$look == "ahead") rule$left else rule$right,
      if (nzchar(unit$name)) sprintf("(%s)", unit$name) else ""
    )),
    title = if (length(gap)) {
      sprintf("Half of the partners are at most %s away",
        trimws(paste(format(middle, digits = 3), unit$name))
      )
    } else {
      "No row found a partner"
    }
  )
}

gap_edges <- function(gap, limits) {
  range <- range(c(gap, limits, 0), finite = TRUE)
  if (range[1L] == range[2L]) range <- range + c(-1, 1)
  classes <- min(30L, max(5L, length(unique(gap))))
  seq(range[1L], range[2L], length.out = classes + 1L)
}

# The unit that keeps numbers short
gap_unit <- function(scale, gaps) {
  if (is.na(scale$unit)) {
    return(list(size = 1, name = ""))
  }
  largest <- max(abs(gaps[is.finite(gaps)]), 0) * scale$unit
  steps <- c(days = 86400, hours = 3600, mins = 60, secs = 1)
  unit <- names(steps)[c(which(largest >= 2 * steps), 4L)[1L]]
  list(size = steps[[unit]] / scale$unit, name = unit)
}

register_figure("gaps",
  data = gap_data, draw = draw_gaps,
  title = function(pairing, gaps) gaps$title,
  lacks = function(pairing) {
    if (!length(rules_of(pairing$rules, "nearest"))) {
      "A figure of gaps needs nearest() in `on`."
    }
  }
)
