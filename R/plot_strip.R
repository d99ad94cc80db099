# A timeline of many left rows: what share of them found a partner, by stretches of the axis
# and by key.

# As timeline_data(), with `strip`: a line for each group and stretch that has left rows:
# `group`, `from`, `to` (values of the axis), `rows` and `matched`
strip_data <- function(about, at, inside, matched) {
  rows <- which(inside)
  cut <- axis_cells(at[rows])
  edges <- cut$edges
  group <- about$groups$left[rows]
  names <- about$groups$shown
  # Keys beyond those that are told apart are one group.
  group[is.na(group)] <- length(names) + 1L
  key <- (group - 1) * length(edges) + cut$cell
  keys <- sort(unique(key))
  where <- match(key, keys)
  cells <- (keys - 1) %% length(edges) + 1
  about$strip <- data.frame(
    group = (keys - 1) %/% length(edges) + 1,
    from = about$axis$value(edges[cells]), to = about$axis$value(edges[cells + 1L]),
    rows = tabulate(where, length(keys)), matched = tabulate(where[matched[rows]], length(keys))
  )
  about$strip$cell <- cells
  about$names <- c(names, "other keys")
  about$axis$name <- with_years(about$axis$name, about$strip$from, about$axis$scale)
  about$strip <- named_strip(about$strip, about$names)
  about
}

# `group` as what stands at the axis, and the share that is matched
named_strip <- function(strip, names) {
  if (length(names) == 2L && !nzchar(names[1L])) names[1L] <- " "
  rows <- tapply(strip$rows, strip$group, sum)
  alone <- rows - tapply(strip$matched, strip$group, sum)
  order <- as.integer(names(rows))
  labels <- ifelse(names[order] == " ", "", sprintf("%s: %s of %s",
    in_short_lines(names[order], 18L), with_commas_each(alone), with_commas_each(rows)
  ))
  strip$share <- strip$matched / strip$rows
  strip$name <- names[strip$group]
  strip$group <- factor(labels[match(strip$group, order)], rev(unique(labels)))
  strip
}

draw_strip <- function(seen) {
  ggplot2::ggplot(seen$strip) +
    ggplot2::geom_tile(
      ggplot2::aes(x = from + (to - from) / 2, y = group, fill = share,
        width = as.numeric(to) - as.numeric(from)
      ),
      height = 0.86
    ) +
    ggplot2::scale_fill_gradient("matched    ", limits = c(0, 1), breaks = c(0, 0.5, 1),
      low = figure_colours[["alone"]], high = figure_colours[["paired"]],
      labels = function(x) sprintf("%g%%", 100 * x)
    ) +
    timeline_axis(seen$axis) +
    ggplot2::scale_y_discrete(NULL) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      legend.key.height = ggplot2::unit(8, "pt")
    )
}

strip_subtitle <- function(pairing, seen) {
  paste0(sprintf("How many %s of each stretch found a partner.", pairing$labels[1L]),
    if (has_groups(seen)) " Beside a key: its unmatched of all rows, the worst first."
  )
}

# As many of `all` keys as there is room for, the worst first; the others are one line
strip_for_page <- function(strip, room, all) {
  each <- max(lengths(strsplit(levels(strip$group), "\n"))) + 0.2
  most <- max(2L, as.integer(room$lines / each))
  n <- nlevels(strip$group)
  if (n <= most) {
    return(strip)
  }
  number <- n + 1L - as.integer(strip$group)
  names <- c(unique(strip$name[order(number)])[seq_len(most - 1L)], sprintf("%s other keys",
    with_commas(all - most + 1L)
  ))
  number <- pmin(number, most)
  cells <- split(seq_len(nrow(strip)), number * 1000 + strip$cell)
  merged <- do.call(rbind, lapply(cells, function(at) {
    one <- strip[at[1L], ]
    one$rows <- sum(strip$rows[at])
    one$matched <- sum(strip$matched[at])
    one$group <- number[at[1L]]
    one
  }))
  named_strip(merged, names)
}
