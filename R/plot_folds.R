#' @rdname plot.ronda_pairing
#' @export
plot_folds <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_folds())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("folds", pairing_given(pairing, other, on, call, code), call)
}

most_folds_drawn <- 120L

# How many partners fell into each left row's fold: along the axis of an ordered rule, else
# by key. A line for each row, stretch or key: `rows`, and of their partners the `least`, the
# `middle` (the median) and the `most`
fold_data <- function(pairing) {
  uses <- partner_counts(pairing$matches, "left")
  rule <- timeline_rule(pairing)
  c(
    if (is.null(rule)) folds_by_key(pairing, uses) else folds_along(pairing, rule, uses),
    list(middle = stats::median(uses), most = max(uses, 0), none = sum(uses == 0))
  )
}

folds_along <- function(pairing, rule, uses) {
  found <- ordered_values(pairing, rule, NULL)
  at <- timeline_spans(rule, found)$left$from
  axis <- timeline_scale(pairing, rule, found$scale)
  rows <- which(!is.na(at))
  cut <- if (length(rows) > most_folds_drawn) axis_cells(at[rows])
  data <- spread_by(uses[rows], if (is.null(cut)) seq_along(rows) else cut$cell)
  data$x <- axis$value(if (is.null(cut)) at[rows] else {
    (cut$edges[data$group] + cut$edges[data$group + 1L]) / 2
  })
  data$width <- rep(if (is.null(cut)) 0 else diff(cut$edges[1:2]), nrow(data))
  axis$name <- with_years(axis$name, data$x, axis$scale)
  list(data = data, axis = axis, left_out = pairing$sizes[1L] - length(rows))
}

folds_by_key <- function(pairing, uses) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    data <- spread_by(uses, rep(1L, length(uses)))
    texts <- rep("all rows", nrow(data))
  } else {
    first <- first_with_key(pairing, "left")
    data <- spread_by(uses[first > 0L], first[first > 0L])
    texts <- if (isTRUE(pairing$hidden)) sprintf("key %d", seq_len(nrow(data))) else {
      axis_keys(pairing, "left", data$group)
    }
  }
  order <- order(-data$most, -data$rows)
  texts <- texts[order]
  data <- data[order, ]
  few <- utils::head(seq_along(texts), most_groups)
  label <- sprintf("%s: %s", in_short_lines(distinct_short(texts[few], 26L), 18L),
    vapply(data$rows[few], counted, "", one = "row")
  )
  all <- nrow(data)
  data <- data[few, ]
  data$key <- factor(label, rev(unique(label)))
  list(data = data, axis = NULL, all = all, left_out = 0L)
}

# the spread of the numbers in each group
spread_by <- function(uses, group) {
  numbers <- split(as.numeric(uses), group)
  data.frame(
    group = as.integer(names(numbers)), rows = lengths(numbers, use.names = FALSE),
    least = vapply(numbers, min, 0, USE.NAMES = FALSE),
    middle = vapply(numbers, stats::median, 0, USE.NAMES = FALSE),
    most = vapply(numbers, max, 0, USE.NAMES = FALSE)
  )
}

draw_folds <- function(pairing, seen) {
  data <- seen$data
  if (!nrow(data)) {
    return(ggplot2::ggplot(data) + count_axis("partners in the fold of each row", 1) +
      figure_theme())
  }
  if (is.null(seen$axis)) {
    return(ggplot2::ggplot(data, ggplot2::aes(y = key)) +
      ggplot2::geom_col(ggplot2::aes(x = most), width = 0.7, linewidth = 0.3,
        fill = figure_colours[["paired"]], colour = figure_colours[["line"]]
      ) +
      ggplot2::geom_point(ggplot2::aes(x = most), shape = 4, stroke = 0.9,
        colour = figure_colours[["alone"]], data = function(all) all[all$most == 0, ]
      ) +
      count_axis("partners in the fold of each row", max(data$most, 0)) +
      ggplot2::scale_y_discrete(NULL) +
      figure_theme() +
      ggplot2::theme(panel.grid.major.y = ggplot2::element_blank()))
  }
  ggplot2::ggplot(data, ggplot2::aes(x = x)) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = x - width / 2, xmax = x + width / 2, ymin = least, ymax = most),
      fill = figure_colours[["paired"]], colour = figure_colours[["line"]], linewidth = 0.2
    ) +
    ggplot2::geom_point(ggplot2::aes(y = middle), shape = 21, size = 2,
      fill = figure_colours[["left"]], colour = figure_colours[["line"]],
      data = function(all) all[all$middle > 0, ]
    ) +
    ggplot2::geom_point(ggplot2::aes(y = middle), shape = 4, size = 1.8, stroke = 0.9,
      colour = figure_colours[["alone"]], data = function(all) all[all$middle == 0, ]
    ) +
    timeline_axis(seen$axis) +
    ggplot2::scale_y_continuous("partners in the fold",
      breaks = count_breaks, labels = with_commas_each,
      limits = c(0, max(data$most, 1)), expand = ggplot2::expansion(c(0.03, 0.06))
    ) +
    figure_theme()
}

fold_title <- function(pairing, seen) {
  if (!pairing$counts$pairs) {
    return("No fold has a partner")
  }
  sprintf("A fold has %s at the median, %s at most; %s of %s %s empty",
    counted(seen$middle, "partner"), with_commas(seen$most), with_commas(seen$none),
    with_commas(pairing$sizes[1L]), if (seen$none == 1L) "is" else "are"
  )
}

fold_subtitle <- function(pairing, seen) {
  c(paste0(account_line(pairing), "."), if (!is.null(seen$axis)) paste0(
    if (any(seen$data$width > 0)) {
      "Of each stretch: the median fold, and from the least to the most."
    } else {
      "A point: one row's fold."
    }, if (any(seen$data$middle == 0)) " A cross is empty.",
    if (seen$left_out) sprintf(" Not on the axis: %s.", counted(seen$left_out, "row"))
  ))
}

register_figure("folds",
  data = fold_data, title = fold_title, subtitle = fold_subtitle,
  draw = draw_folds,
  page = function(pairing, seen) {
    if (is.null(seen$axis) && nrow(seen$data)) {
      list(
        fit = function(data, room) utils::head(data, max(2, room$lines / 1.6)),
        left_out = function(data, shown) {
          rest <- seen$all - nrow(shown)
          if (rest) sprintf("Not drawn: %s with fewer partners.", counted(rest, "key"))
        }
      )
    }
  }
)
