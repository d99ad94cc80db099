#' @rdname plot.ronda_pairing
#' @export
plot_differences <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_differences())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("differences", pairing_given(pairing, other, on, call, code), call)
}

# how each kind of pair that is not equal is drawn
difference_kinds <- c(
  differ = "both have a value", missing_left = "missing in %s", missing_right = "missing in %s"
)

draw_differences <- function(pairing, data) {
  kinds <- difference_kinds
  kinds[2:3] <- sprintf(kinds[2:3], pairing$labels)
  # A value that is missing on one side is of the other one alone.
  fills <- figure_colours[c(differ = "paired", missing_left = "right", missing_right = "left")]
  some <- kinds[names(kinds) %in% data$kind[data$rows > 0]]
  long <- sum(nchar(some, "width")) > 55L
  ggplot2::ggplot(data, ggplot2::aes(x = share, y = column)) +
    ggplot2::geom_segment(ggplot2::aes(x = 0, xend = share, yend = column),
      colour = figure_colours[["line"]], linewidth = 0.4
    ) +
    # Points of one column stand a little apart: they may have one share.
    lapply(names(kinds), function(kind) {
      ggplot2::geom_point(
        ggplot2::aes(fill = kind, shape = kind), size = 2.6, colour = figure_colours[["line"]],
        data = function(all) all[all$rows > 0 & all$kind == kind, ],
        position = ggplot2::position_nudge(
          y = c(differ = 0, missing_left = 0.2, missing_right = -0.2)[[kind]]
        )
      )
    }) +
    if_drawn(data[data$rows > 0, ], list(
      ggplot2::scale_fill_manual(NULL, values = structure(fills, names = names(kinds)),
        labels = some, breaks = names(some), guide = ggplot2::guide_legend(ncol = if (long) 1L)
      ),
      ggplot2::scale_shape_manual(NULL, labels = some, breaks = names(some),
        values = c(differ = 21, missing_left = 24, missing_right = 25),
        guide = ggplot2::guide_legend(ncol = if (long) 1L)
      )
    )) +
    ggplot2::scale_x_continuous("share of the pairs that are not equal", n.breaks = 5L,
      limits = c(0, max(data$share, 0.01)), labels = function(x) paste0(format_each(100 * x), "%"),
      expand = ggplot2::expansion(c(0, 0.04))
    ) +
    ggplot2::scale_y_discrete(NULL, labels = function(column) {
      data$words[match(column, data$column)]
    }) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      # Many columns fit on a page in small letters.
      axis.text.y = ggplot2::element_text(
        size = ggplot2::rel(if (nlevels(data$column) > 20L) 0.6 else 1)
      ),
      legend.position = if (length(some) > 1L) "bottom" else "none"
    )
}

# One line for each column and kind, the most unequal column first; `words` stand at the axis
differences_data <- function(pairing) {
  shared <- shared_columns(pairing)
  found <- find_differences(pairing, list(left = shared, right = shared), 0)
  counts <- found$counts
  order <- order(-lengths(found$cells))
  kinds <- names(difference_kinds)
  words <- in_short_lines(paste0(counts$column, ": ",
    vapply(seq_len(nrow(counts)), unequal_words, "", found = found)
  ), if (nrow(counts) > 20L) 44L else 26L)
  rows <- as.numeric(t(as.matrix(counts[order, kinds])))
  data <- data.frame(
    column = factor(rep(counts$column[order], each = 3L), rev(counts$column[order])),
    kind = rep(kinds, nrow(counts)), rows = rows,
    share = rows / max(pairing$counts$pairs, 1), words = rep(words[order], each = 3L)
  )
  attr(data, "title") <- sub("[.]$", "", difference_title(found)[1L])
  data
}

# as many columns as there is room for, each with as many lines as its words have
differences_for_page <- function(data, room) {
  lines <- lengths(strsplit(data$words[!duplicated(data$column)], "\n")) + 0.05
  fit <- max(1L, sum(cumsum(lines) <= room$lines))
  data[as.integer(data$column) > nlevels(data$column) - fit, ]
}

# "5 differ, by 20 at the median" of one column
unequal_words <- function(found, k) {
  n <- lengths(found$cells)[[k]]
  if (!n) {
    return("all equal")
  }
  paste(c(sprintf("%s not equal", with_commas(n)), unequal_size(found, k)), collapse = ", ")
}

# by how much numbers and times differ
unequal_size <- function(found, k) {
  left <- .subset2(found$pairing$left, found$counts$column[k])
  right <- .subset2(found$pairing$right, found$right[k])
  type <- type_of(left)
  if (!isTRUE(type$measured) || !types_match(left, right)) {
    return(NULL)
  }
  cells <- found$cells[[k]]
  between <- distances_between(
    gather_(left, found$pairs$left[cells]), gather_(right, found$pairs$right[cells])
  )
  apart <- between$apart[is.finite(between$apart)]
  if (length(apart)) sprintf("by %s (median)", distance_words(stats::median(apart), between$scale))
}

differences_title <- function(pairing, data) {
  if (!pairing$counts$pairs) "No pair to compare" else attr(data, "title")
}

differences_left_out <- function(data, shown) {
  out <- (nrow(data) - nrow(shown)) / length(difference_kinds)
  if (out) sprintf("Not drawn: %s with fewer differences, or none.", counted(out, "column"))
}

register_figure("differences",
  data = differences_data, draw = draw_differences, title = differences_title,
  page = function(pairing, data) {
    list(fit = differences_for_page, left_out = differences_left_out)
  },
  lacks = function(pairing) {
    if (!length(shared_columns(pairing))) {
      return("A figure of differences needs a column that both frames have and that is not a key.")
    }
    if (too_many_to_compare(pairing)) too_many_words(pairing)
  },
  says = function(pairing, data) {
    words <- gsub("\n", " ", unique(data$words))
    sprintf("By column: %s.", paste(words, collapse = "; "))
  }
)
