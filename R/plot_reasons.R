#' @rdname plot.ronda_pairing
#' @export
plot_reasons <- function(pairing) {
  draw_figure("reasons", pairing, quote(plot_reasons()))
}

draw_reasons <- function(pairing, data) {
  if (!nrow(data)) {
    return(ggplot2::ggplot(data) + count_axis("rows", 1) + figure_theme())
  }
  ggplot2::ggplot(data, ggplot2::aes(x = rows, y = class)) +
    ggplot2::geom_col(ggplot2::aes(fill = side),
      width = 0.7, colour = figure_colours[["line"]], linetype = "dashed"
    ) +
    ggplot2::facet_wrap(~frame, ncol = 1L, scales = "free",
      labeller = ggplot2::as_labeller(function(x) in_short_lines(x, 40L))
    ) +
    ggplot2::scale_fill_manual(guide = "none", values = c(
      left = figure_colours[["left_alone"]], right = figure_colours[["right_alone"]]
    )) +
    ggplot2::scale_x_continuous("rows",
      breaks = count_breaks, labels = with_commas_each, limits = c(0, NA),
      expand = ggplot2::expansion(c(0, 0.06))
    ) +
    ggplot2::labs(y = NULL) +
    figure_theme() +
    ggplot2::theme(
      strip.text = ggplot2::element_text(face = "bold", hjust = 0),
      panel.grid.major.y = ggplot2::element_blank()
    )
}

most_reasons_drawn <- 5L

# The most frequent reasons of each side; `class` is what stands at the axis
reasons_data <- function(pairing) {
  # (a report has them already)
  found <- if (is.null(pairing$reasons)) unmatched_reasons(pairing) else pairing$reasons
  counts <- found$counts
  few <- lapply(split(counts, factor(counts$side, side_names)), function(one) {
    one <- one[order(-one$rows), ]
    if (nrow(one) > most_reasons_drawn) {
      rest <- one[most_reasons_drawn, ]
      rest$rows <- sum(one$rows[-seq_len(most_reasons_drawn - 1L)])
      rest$reason <- "other reasons"
      rest$kind <- "none"
      one <- rbind(one[seq_len(most_reasons_drawn - 1L), ], rest)
    }
    one
  })
  data <- do.call(rbind, unname(few))
  data$frame <- factor(data$frame, unique(pairing$labels))
  class <- paste0(in_short_lines(data$reason, 30L), rep(": ", nrow(data)),
    with_commas_each(data$rows), recycle0 = TRUE
  )
  data$class <- factor(class, rev(unique(class)))
  row.names(data) <- NULL
  data
}

reasons_title <- function(pairing, data) {
  alone <- pairing$sizes - c(pairing$counts$matched_left, pairing$counts$matched_right)
  if (all(pairing$sizes == 0L)) {
    return(overlap_title(pairing))
  }
  if (all(alone == 0)) {
    return("Every row has a partner")
  }
  if (all(alone == pairing$sizes)) {
    return(none_matched(pairing, which(pairing$sizes > 0L)[1L]))
  }
  words <- sprintf("%s of %s %s", with_commas_each(alone), with_commas_each(pairing$sizes),
    pairing$labels
  )
  paste(listed(words[alone > 0], "and"), if (sum(alone) == 1) "has" else "have", "no partner")
}

register_figure("reasons",
  data = reasons_data, draw = draw_reasons, title = reasons_title,
  says = function(pairing, data) {
    if (nrow(data)) {
      sprintf("By reason: %s.", paste0(data$frame, ", ", data$reason, ": ",
        with_commas_each(data$rows), collapse = "; "
      ))
    } else ""
  }
)
