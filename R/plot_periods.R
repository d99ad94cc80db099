#' @rdname plot.ronda_pairing
#' @export
plot_periods <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_periods())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("periods", pairing_given(pairing, other, on, call, code), call)
}

# The rule with intervals, and the side whose periods are drawn: the right one where both
# have them
period_rule <- function(pairing) {
  Find(function(rule) {
    any(lengths(rule[side_names]) == 2L) && lies_on_axis(pairing, rule)
  }, pairing$rules)
}

period_side <- function(rule) if (length(rule$right) == 2L) "right" else "left"

# Where the periods of one key leave gaps or overlap each other. list(data: a line for each
# stretch: `group`, `from`, `to` (values of the axis), `state`; side, counts, all, axis)
period_data <- function(pairing) {
  rule <- period_rule(pairing)
  side <- period_side(rule)
  found <- ordered_values(pairing, rule, NULL)
  span <- timeline_spans(rule, found)[[side]]
  column <- .subset2(pairing[[side]], rule[[side]][2L])
  # A period of whole days that ends on a day lasts until the next one begins.
  whole <- rule$ends == "[]" && (inherits(column, "Date") || is.integer(column))
  to <- span$to + whole
  # A period without an end lasts as long as anything is known.
  known <- c(span$from, to)
  known <- known[is.finite(known)]
  if (rule$open_ended && length(known)) to[is_missing(column)] <- max(known)
  first <- if (length(pairing$key_rules)) first_with_key(pairing, side) else {
    rep(1L, pairing$sizes[side_number(side)])
  }
  rows <- which(first > 0L & !is.na(span$from) & !is.na(to) & to > span$from)
  stretches <- stretches_of(first[rows], span$from[rows], to[rows])
  axis <- timeline_scale(pairing, rule, found$scale, rule[[side]], " to ")
  sums <- period_sums(stretches)
  named <- named_stretches(pairing, side, stretches, sums, axis)
  named$side <- side
  named$sums <- sums
  named
}

# Each key's time cut where a period begins or ends, equal neighbours put together
stretches_of <- function(group, from, to) {
  n <- length(group)
  group <- c(group, group)
  at <- c(from, to)
  step <- rep(c(1L, -1L), each = n)
  order <- order(group, at)
  group <- group[order]
  at <- at[order]
  depth <- cumsum(step[order])
  k <- seq_len(max(0L, 2L * n - 1L))
  real <- k[group[k] == group[k + 1L] & at[k] < at[k + 1L]]
  state <- pmin(depth[real], 2L)
  data <- data.frame(group = group[real], from = at[real], to = at[real + 1L],
    state = names(period_states)[state + 1L]
  )
  same <- c(FALSE, data$group[-1L] == data$group[-nrow(data)] &
    data$state[-1L] == data$state[-nrow(data)] & data$from[-1L] == data$to[-nrow(data)])
  run <- cumsum(!same[seq_len(nrow(data))])
  whole <- data[!duplicated(run), ]
  whole$to <- data$to[!duplicated(run, fromLast = TRUE)]
  whole
}

period_states <- c(gap = "no period", one = "one period", overlap = "several periods")

# by key: how many gaps and overlaps, and how long they are
period_sums <- function(stretches) {
  length <- stretches$to - stretches$from
  keys <- unique(stretches$group)
  at <- match(stretches$group, keys)
  by_key <- function(state, x) {
    vapply(split(x * (stretches$state == state), factor(at, seq_along(keys))), sum, 0,
      USE.NAMES = FALSE
    )
  }
  one <- rep(1, length(at))
  data.frame(group = keys, gaps = by_key("gap", one), overlaps = by_key("overlap", one),
    gap = by_key("gap", length), overlap = by_key("overlap", length)
  )
}

named_stretches <- function(pairing, side, stretches, sums, axis) {
  order <- order(-sums$gap, -sums$overlap)
  top <- sums[utils::head(order, most_groups), ]
  texts <- if (!length(pairing$key_rules)) rep("", nrow(top)) else {
    distinct_short(axis_keys(pairing, side, top$group), 26L)
  }
  words <- ifelse(top$gaps + top$overlaps == 0, "whole", mapply(function(gaps, overlaps) {
    paste(c(if (gaps) counted(gaps, "gap"), if (overlaps) counted(overlaps, "overlap")),
      collapse = ", "
    )
  }, top$gaps, top$overlaps))
  label <- paste0(in_short_lines(texts, 18L), ifelse(nzchar(texts), ": ", ""), words,
    recycle0 = TRUE
  )
  at <- match(stretches$group, top$group)
  data <- stretches[!is.na(at), ]
  data$group <- factor(label[at[!is.na(at)]], rev(unique(label)))
  # what is shorter than the page can show
  least <- if (nrow(data)) diff(range(data$from, data$to)) / 3000 else 0
  small <- data$to - data$from < least
  data <- data[!small, ]
  data$from <- axis$value(data$from)
  data$to <- axis$value(data$to)
  axis$name <- with_years(axis$name, data$from, axis$scale)
  list(data = data, axis = axis, all = nrow(sums), small = sum(small))
}

draw_periods <- function(pairing, seen) {
  colours <- c(gap = figure_colours[["alone"]], one = figure_colours[[seen$side]],
    overlap = figure_colours[["paired"]]
  )
  some <- names(period_states)[names(period_states) %in% seen$data$state]
  thick <- c(gap = 0.14, one = 0.4, overlap = 0.84)
  ggplot2::ggplot(seen$data) +
    ggplot2::geom_tile(
      ggplot2::aes(x = from + (to - from) / 2, y = group, fill = state,
        width = as.numeric(to) - as.numeric(from), height = thick[state]
      ),
      colour = figure_colours[["line"]], linewidth = 0.15
    ) +
    if_drawn(seen$data, ggplot2::scale_fill_manual(NULL, values = colours, breaks = some,
      labels = period_states[some]
    )) +
    timeline_axis(seen$axis) +
    ggplot2::labs(y = NULL) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

period_title <- function(pairing, seen) {
  label <- pairing$labels[side_number(seen$side)]
  if (!nrow(seen$sums)) {
    return(sprintf("%s has no period", label))
  }
  gaps <- sum(seen$sums$gaps)
  overlaps <- sum(seen$sums$overlaps)
  sprintf("The periods of %s have %s and %s", label,
    if (gaps) counted(gaps, "gap") else "no gap",
    if (overlaps) counted(overlaps, "overlap") else "no overlap"
  )
}

period_subtitle <- function(pairing, seen) {
  if (!nrow(seen$sums)) {
    return("")
  }
  paste(c(
    if (length(pairing$key_rules)) "By key, those with the longest gaps first." else
      "From the first period to the last.",
    if (seen$small) {
      sprintf("Too short to be seen: %s.", counted(seen$small, "stretch", "stretches"))
    }
  ), collapse = " ")
}

register_figure("periods",
  data = period_data, draw = draw_periods, title = period_title, subtitle = period_subtitle,
  lacks = function(pairing) {
    if (is.null(period_rule(pairing))) {
      c(
        "A figure of periods needs a rule with intervals of times or numbers.",
        either("Such as inside(\"departs\", \"starts\", \"ends\") in `on`.",
          "Such as --inside departs=starts..ends."
        )
      )
    }
  },
  page = function(pairing, seen) {
    list(
      fit = function(data, room) {
        keep <- utils::head(rev(levels(data$group)), max(2L, as.integer(room$lines / 1.6)))
        data <- data[data$group %in% keep, ]
        data$group <- factor(data$group, rev(keep))
        data
      },
      left_out = function(data, shown) {
        rest <- seen$all - nlevels(shown$group)
        if (rest > 0) sprintf("Not drawn: %s with shorter gaps, or none.", counted(rest, "key"))
      }
    )
  }
)
