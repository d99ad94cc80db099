#' @rdname plot.ronda_pairing
#' @export
plot_timeline <- function(pairing) {
  draw_figure("timeline", pairing, quote(plot_timeline()))
}

draw_timeline <- function(pairing, rows) {
  rule <- timeline_rule(pairing)
  links <- timeline_links(pairing, rule, rows)
  labels <- rev(pairing$labels)
  ggplot2::ggplot(rows) +
    timeline_reach(pairing, rule, rows) +
    ggplot2::geom_segment(
      data = links, colour = "#4d5562", alpha = 0.55, linewidth = 0.4,
      ggplot2::aes(x = at, xend = right_at, y = 2, yend = 1)
    ) +
    ggplot2::geom_point(
      ggplot2::aes(x = at, y = y, shape = state, fill = state), size = 2.4,
      colour = "#2f3640"
    ) +
    ggplot2::scale_shape_manual(NULL,
      values = c(matched = 21, unmatched = 4)
    ) +
    ggplot2::scale_fill_manual(NULL,
      values = c(matched = figure_colours[["left"]], unmatched = "white")
    ) +
    ggplot2::scale_y_continuous(NULL,
      breaks = 1:2, labels = labels, limits = c(0.6, 2.4)
    ) +
    (if (nrow(rows)) {
      ggplot2::facet_wrap(~group, ncol = 1L, strip.position = "right")
    }) +
    ggplot2::labs(x = NULL) +
    figure_theme() +
    ggplot2::theme(
      legend.position = "bottom",
      panel.grid.major.y = ggplot2::element_blank(),
      panel.spacing = grid::unit(3, "pt"),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0)
    )
}

timeline_limit <- 2000L

# The first ordered rule whose columns are points or intervals on an axis
timeline_rule <- function(pairing) {
  for (rule in pairing$rules) {
    if (is.null(kind_of(rule)$plan)) next
    columns <- .subset2(pairing$left, rule$left[1L])
    if (!is.character(columns) && !is.factor(columns)) {
      return(rule)
    }
  }
}

# Rows of both sides: where, in which group, matched or not; thinned when many
timeline_rows <- function(pairing) {
  rule <- timeline_rule(pairing)
  rows <- lapply(side_names, function(side) {
    matched <- is_matched(pairing$matches, side)
    n <- pairing$sizes[side_number(side)]
    row <- seq_len(n)
    if (n > timeline_limit) {
      row <- unique(round(seq(1, n, length.out = timeline_limit)))
    }
    at <- slice_column(.subset2(pairing[[side]], rule[[side]][1L]),
      as.integer(row), "at", NULL
    )
    data.frame(
      side = rep(side, length(row)), row = row, at = axis_values(at),
      y = rep(if (side == "left") 2 else 1, length(row)),
      state = ifelse(matched[row], "matched", "unmatched"),
      group = timeline_groups(pairing, side, as.integer(row))
    )
  })
  both <- do.call(rbind, rows)
  both <- both[!is.na(both$at), ]
  most <- names(sort(table(both$group), decreasing = TRUE))
  both[both$group %in% utils::head(most, 8L), ]
}

# times stay times
axis_values <- function(x) if (is_int64(x)) as_number(x) else x

# The keys, which make the panels
timeline_groups <- function(pairing, side, rows) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    return(rep("", length(rows)))
  }
  do.call(paste, c(lapply(rule_columns(rules, side), function(column) {
    x <- slice_column(.subset2(pairing[[side]], column), rows, column, NULL)
    if (is_int64(x)) int64_text(x) else readable(as.character(x))
  }), sep = ", "))
}

timeline_links <- function(pairing, rule, rows) {
  left <- rows[rows$side == "left" & rows$state == "matched", ]
  partners <- lapply(left$row, partners_of, matches = pairing$matches)
  links <- left[rep(seq_len(nrow(left)), lengths(partners)), ]
  right <- as.integer(unlist(partners))
  links$right_at <- axis_values(slice_column(
    .subset2(pairing$right, rule$right[1L]), right, "at", NULL
  ))
  links
}

# How far nearest() may look, as a band from each unmatched left row
timeline_reach <- function(pairing, rule, rows) {
  if (rule$kind != "nearest" || is_unlimited(rule$within)) {
    return(NULL)
  }
  plan <- plan_rule(pairing, rule, NULL)
  alone <- rows[rows$side == "left" & rows$state == "unmatched", ]
  if (!nrow(alone)) {
    return(NULL)
  }
  within <- plan$closest$within
  alone$from <- alone$at - if (rule$look != "ahead") within else 0
  alone$to <- alone$at + if (rule$look != "back") within else 0
  ggplot2::geom_rect(
    data = alone, fill = "#f3d9b8", alpha = 0.8,
    ggplot2::aes(xmin = from, xmax = to, ymin = 0.8, ymax = 2.2)
  )
}

timeline_title <- function(pairing, rows) {
  alone <- pairing$sizes[1L] - pairing$counts$matched_left
  sprintf("%s of %s %s found a partner by %s()%s",
    with_commas(pairing$counts$matched_left), with_commas(pairing$sizes[1L]),
    pairing$labels[1L], timeline_rule(pairing)$kind,
    if (alone) sprintf(", %s did not", with_commas(alone)) else ""
  )
}

timeline_subtitle <- function(pairing, rows) {
  shown_rows <- table(factor(rows$side, c("left", "right")))
  thinned <- as.integer(shown_rows) < pairing$sizes
  paste(c(
    "Lines link partners; a cross has none, and its band is how far it looked.",
    if (any(thinned)) {
      sprintf("Shown: %s.", listed(sprintf("%s of %s %s",
        with_commas_each(as.integer(shown_rows)),
        with_commas_each(pairing$sizes), pairing$labels
      ), "and"))
    }
  ), collapse = "\n")
}

register_figure("timeline",
  data = timeline_rows, draw = draw_timeline, title = timeline_title,
  subtitle = timeline_subtitle,
  lacks = function(pairing) {
    if (is.null(timeline_rule(pairing))) {
      c(
        "A timeline needs an ordered rule on times or numbers.",
        "Such as nearest(\"departs\", \"read_at\") in `on`."
      )
    }
  }
)
