#' @rdname plot.ronda_pairing
#' @export
plot_repeats <- function(pairing) {
  draw_figure("repeats", pairing, quote(plot_repeats()))
}

draw_repeats <- function(pairing, data) {
  ggplot2::ggplot(data, ggplot2::aes(x = partners, y = rows)) +
    ggplot2::geom_col(ggplot2::aes(fill = side),
      width = 0.75, colour = "#4d5562"
    ) +
    ggplot2::geom_text(
      ggplot2::aes(label = with_commas_each(rows)), vjust = -0.4, size = 4
    ) +
    ggplot2::facet_wrap(~frame, scales = "free") +
    ggplot2::scale_fill_manual(values = c(
      left = figure_colours[["left"]], right = figure_colours[["right"]]
    )) +
    ggplot2::scale_y_continuous("rows",
      expand = ggplot2::expansion(c(0, 0.12)), labels = with_commas_each
    ) +
    ggplot2::labs(x = "partners of a row") +
    figure_theme() +
    ggplot2::theme(
      strip.text = ggplot2::element_text(face = "bold", size = 13),
      panel.grid.major.x = ggplot2::element_blank()
    )
}

# Rows by their number of partners; many are put together in classes
repeats_data <- function(pairing) {
  data <- do.call(rbind, lapply(side_names, function(side) {
    uses <- partner_counts(pairing$matches, side)
    classes <- partner_classes(max(uses, 1L))
    class <- cut(uses, c(-1, classes$to), labels = classes$label)
    rows <- as.integer(table(class))
    data.frame(
      side = side, frame = pairing$labels[side_number(side)],
      partners = classes$label, rows = rows
    )
  }))
  data$partners <- factor(data$partners, unique(data$partners[order(
    as.numeric(sub("-.*", "", data$partners))
  )]))
  data$frame <- factor(data$frame, pairing$labels)
  data
}

# 0, 1, 2, 3, 4, 5, then 6-10, 11-20, 21-50, ...
partner_classes <- function(most) {
  to <- 0:min(most, 5)
  steps <- as.vector(outer(c(10, 20, 50), 10^(0:8)))
  if (most > 5) to <- c(to, steps[seq_len(which(steps >= most)[1L])])
  from <- c(0, utils::head(to, -1L) + 1)
  list(to = to, label = ifelse(from == to, to, paste0(from, "-", to)))
}

repeats_title <- function(pairing, data) {
  several <- account_frame(pairing)$several
  if (all(several == 0)) {
    return("No row has more than one partner")
  }
  words <- sprintf("%s of %s %s", with_commas_each(several),
    with_commas_each(pairing$sizes), pairing$labels
  )
  paste(listed(words[several > 0], "and"), "have several partners")
}

repeats_subtitle <- function(pairing, data) {
  words <- heavy_words(pairing)
  if (!length(words)) {
    return(account_line(pairing))
  }
  in_lines(paste0("Heaviest keys: ", paste(words, collapse = "; ")))
}

register_figure("repeats",
  data = repeats_data, draw = draw_repeats, title = repeats_title,
  subtitle = repeats_subtitle
)
