#' @rdname plot.ronda_pairing
#' @export
plot_gaps <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_gaps())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("gaps", pairing_given(pairing, other, on, call, code), call)
}

draw_gaps <- function(pairing, gaps) {
  figure <- ggplot2::ggplot(gaps$data) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = from, xmax = to, ymin = 0, ymax = rows),
      fill = figure_colours[["paired"]], colour = figure_colours[["line"]],
      linewidth = 0.3
    )
  if (length(gaps$limits)) {
    figure <- figure + ggplot2::geom_vline(
      xintercept = gaps$limits, linetype = "dashed",
      colour = figure_colours[["line"]], linewidth = 0.9
    )
  }
  figure +
    ggplot2::scale_x_continuous(gaps$axis, labels = number_labels) +
    ggplot2::scale_y_continuous("pairs",
      breaks = count_breaks, labels = with_commas_each,
      limits = c(0, max(gaps$data$rows, 1)), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_theme()
}

# The gaps of all pairs in classes: list(data (from, to, rows), limits, beyond, ...)
gap_data <- function(pairing) {
  rule <- chooser_of(pairing$rules)
  plan <- plan_rule(pairing, rule, NULL)
  pairs <- all_pairs(pairing$matches)
  gap <- gap_numbers(plan$closest, pairs$left, pairs$right)
  within <- farthest_reach(plan$closest)
  unit <- gap_unit(plan$scale, c(gap, within))
  gap <- gap[is.finite(gap)] / unit$size
  within <- within / unit$size
  limits <- if (is.infinite(within)) NULL else {
    if (is_signed_gap(rule)) c(-within, within) else within
  }
  shown <- gaps_shown(gap)
  classes <- gap_classes(gap[shown$which], limits)
  columns <- c(rule$left, rule$right)
  if (rule$left == rule$right) columns <- paste(rule$left, "of", pairing$labels)
  if (rule$look == "ahead") columns <- rev(columns)
  list(
    data = classes, limits = limits,
    # in the unit of the axis
    words = function(number) {
      text <- format_number(signif(number, 4L), scientific = FALSE)
      paste(c(text, if (nzchar(unit$name)) unit$name), collapse = " ")
    },
    limit = limit_of_figure(plan), at_zero = sum(gap == 0), pairs = length(gap),
    middle = if (length(gap)) stats::median(abs(gap)) else NA,
    beyond = sum(!shown$which), beyond_from = shown$most, farthest = max(abs(gap), 0),
    axis = paste(c(paste(columns, collapse = " - "),
      if (nzchar(unit$name)) sprintf("(%s)", unit$name)
    ), collapse = " ")
  )
}

# A few gaps far beyond all others would flatten the figure: they are counted instead
gaps_shown <- function(gap) {
  size <- abs(gap)
  most <- if (length(gap) > 20L) 4 * stats::quantile(size, 0.95, names = FALSE) else Inf
  few <- sum(size > most) <= 0.05 * length(gap)
  if (most > 0 && few && any(size > most)) {
    return(list(which = size <= most, most = most))
  }
  list(which = rep(TRUE, length(gap)), most = Inf)
}

most_gap_classes <- 30L

# Where gaps have few values each is a class of its own, around it; else classes of equal
# width with round bounds, each without its lower and with its upper one. The lowest value
# stands in a class of its own kind only where it is a bound (a gap of 0 is not "0 to 1").
gap_classes <- function(gap, limits) {
  values <- sort(unique(gap))
  if (!length(values)) {
    edges <- sort(unique(c(0, limits)))
    if (length(edges) < 2L) edges <- c(0, 1)
    return(data.frame(from = edges[1L], to = edges[length(edges)], rows = 0L))
  }
  steps <- diff(values)
  step <- if (length(steps)) min(steps) else 1
  spread <- diff(range(values))
  if (length(values) == 1L || length(values) <= most_gap_classes && spread / step <= 120) {
    half <- if (length(values) == 1L) max(abs(values), limits, 1) / 40 else 0.4 * step
    return(data.frame(from = values - half, to = values + half,
      rows = tabulate(match(gap, values), length(values))
    ))
  }
  edges <- pretty(range(values), most_gap_classes)
  # The lowest value must lie above the lower bound of the first class.
  if (values[1L] <= edges[1L]) edges <- c(edges[1L] - (edges[2L] - edges[1L]), edges)
  rows <- as.integer(table(cut(gap, edges)))
  some <- range(which(rows > 0L))
  keep <- seq.int(some[1L], some[2L])
  data.frame(from = edges[keep], to = edges[keep + 1L], rows = rows[keep])
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

gap_title <- function(pairing, gaps) {
  if (!pairing$counts$pairs) {
    return("No row found a partner")
  }
  if (!gaps$pairs) {
    return("Every partner is infinitely far away")
  }
  if (gaps$farthest == 0) {
    return("Every partner is at the same point")
  }
  sprintf("Half of the partners are at most %s away", gaps$words(gaps$middle))
}

limit_of_figure <- function(plan) {
  limit <- limit_words(plan$closest, plan$scale)
  if (is.null(plan$closest$calendar)) limit else {
    sprintf("%s (at most %s)", limit, distance_words(farthest_reach(plan$closest), plan$scale))
  }
}

farthest_reach <- function(closest) {
  if (is.null(closest$calendar)) {
    return(closest$within)
  }
  rows <- which(is.finite(closest$left))
  reach <- c(reach_numbers(closest, rows, -1), reach_numbers(closest, rows, 1))
  # to a side where it does not look there is no end
  max(0, reach[is.finite(reach)])
}

gap_subtitle <- function(pairing, gaps) {
  notes <- c(
    if (gaps$at_zero && gaps$farthest > 0) {
      sprintf("%s at the same point.", counted(gaps$at_zero, "pair"))
    },
    if (length(gaps$limits)) {
      sprintf("Dashed: within %s.", gaps$limit)
    },
    if (gaps$beyond) {
      sprintf("Not drawn: %s farther than %s, up to %s.", counted(gaps$beyond, "pair"),
        gaps$words(gaps$beyond_from), gaps$words(gaps$farthest)
      )
    },
    if (pairing$counts$pairs > gaps$pairs && gaps$pairs) {
      sprintf("Not drawn: %s infinitely far away.",
        counted(pairing$counts$pairs - gaps$pairs, "pair")
      )
    }
  )
  c(paste0(account_line(pairing), "."), if (length(notes)) paste(notes, collapse = " "))
}

register_figure("gaps",
  data = gap_data, draw = draw_gaps, title = gap_title, subtitle = gap_subtitle,
  lacks = function(pairing) {
    if (is.null(chooser_of(pairing$rules))) {
      either("A figure of gaps needs nearest() in `on`.", "A figure of gaps needs --nearest.")
    } else if (pairing$counts$pairs > 1e8) {
      sprintf("%s are too many for a figure of gaps.", counted(pairing$counts$pairs, "pair"))
    }
  }
)
