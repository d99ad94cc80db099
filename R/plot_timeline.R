#' @rdname plot.ronda_pairing
#' @export
plot_timeline <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_timeline())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("timeline", pairing_given(pairing, other, on, call, code), call)
}

# How many rows and lines are drawn at most, and in how many panels
most_left_drawn <- 300L
most_partners_drawn <- 10L
most_links_drawn <- 400L
most_others_drawn <- 300L
most_panels <- 6L

draw_timeline <- function(pairing, seen) {
  rows <- seen$rows
  colour <- figure_colours
  is_long <- !is.na(rows$xend) & rows$xend > rows$x
  figure <- ggplot2::ggplot(rows)
  if (nrow(seen$bands)) {
    figure <- figure + ggplot2::geom_rect(data = seen$bands,
      fill = colour[["right_alone"]], colour = NA, alpha = 0.8,
      ggplot2::aes(xmin = x, xmax = xend, ymin = y - 1.15, ymax = y + 0.15)
    )
  }
  if (nrow(seen$common)) {
    figure <- figure + ggplot2::geom_rect(data = seen$common,
      fill = colour[["paired"]], colour = NA, alpha = 0.35,
      ggplot2::aes(xmin = x, xmax = xend, ymin = yend, ymax = y)
    )
  }
  figure <- figure +
    thin_lines(seen$links, colour[["none"]], 1.1) +
    thin_lines(seen$links, colour[["line"]], 0.4) +
    ggplot2::geom_segment(data = rows[is_long, ], linewidth = 1.6,
      ggplot2::aes(x = x, xend = xend, y = y, yend = y, colour = side, alpha = state)
    ) +
    row_marks(rows, colour[["none"]], 2) +
    row_marks(rows, colour[["line"]], 0.7) +
    if_drawn(rows, ggplot2::scale_shape_manual(NULL, values = c(matched = 21, unmatched = 4))) +
    if_drawn(rows[is_long, ],
      ggplot2::scale_alpha_manual(guide = "none", values = c(matched = 1, unmatched = 0.5))
    ) +
    if_drawn(rows, ggplot2::scale_fill_manual(guide = "none", values = colour[side_names])) +
    if_drawn(rows[is_long, ],
      ggplot2::scale_colour_manual(guide = "none", values = colour[side_names])
    ) +
    ggplot2::scale_y_continuous(NULL,
      breaks = 1:2, labels = in_short_lines(rev(pairing$labels), 14L),
      limits = c(0.6, 2.4), minor_breaks = NULL
    ) +
    timeline_axis(seen$axis) +
    figure_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      panel.spacing = ggplot2::unit(4, "pt"),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0)
    )
  if (any(nzchar(seen$groups$shown)) && nrow(rows)) {
    figure <- figure + ggplot2::facet_wrap(~group, ncol = 1L, strip.position = "right",
      labeller = ggplot2::as_labeller(function(x) in_short_lines(x, 14L))
    )
  }
  figure
}

# Lines and marks are drawn twice, light and wide below, dark and thin above: one of the two
# is seen on any background.
thin_lines <- function(links, colour, linewidth) {
  ggplot2::geom_segment(data = links, colour = colour, linewidth = linewidth,
    ggplot2::aes(x = x, xend = xend, y = y, yend = yend)
  )
}

row_marks <- function(rows, colour, stroke) {
  ggplot2::geom_point(ggplot2::aes(x = x, y = y, shape = state, fill = side),
    size = ifelse(rows$side == "right" & rows$state == "unmatched", 1.1, 2.2),
    colour = colour, stroke = stroke
  )
}

# Times with their zone and year, which the ticks may leave out
timeline_axis <- function(axis) {
  scale <- switch(axis$scale,
    times = ggplot2::scale_x_datetime, days = ggplot2::scale_x_date,
    numbers = ggplot2::scale_x_continuous
  )
  scale(in_lines(axis$name, title_width))
}

# The first ordered rule whose columns are points or intervals on an axis
timeline_rule <- function(pairing) {
  for (rule in pairing$rules) {
    if (is.null(kind_of(rule)$plan) || identical(rule$op, "!=")) next
    if (isTRUE(type_of(.subset2(pairing$left, rule$left[1L]))$measured)) {
      return(rule)
    }
  }
}

# What is drawn: list(rows, links, common (the stretches that paired intervals share), bands
# (how far nearest() looked), axis, stretch (of the
# axis), groups, and of each side how many rows are `shown`, lie `outside` the stretch or
# have no place (`blank`); and how many links are left out)
timeline_data <- function(pairing) {
  rule <- timeline_rule(pairing)
  found <- ordered_values(pairing, rule, NULL)
  spans <- timeline_spans(rule, found)
  matched <- lapply(c(left = "left", right = "right"), is_matched,
    matches = pairing$matches
  )
  groups <- timeline_groups(pairing, matched$left)
  stretch <- shared_stretch(spans)
  inside <- lapply(spans, function(span) is_within_stretch(span, stretch$range))
  drawn <- rows_drawn(pairing, matched, groups, inside)
  axis <- timeline_scale(pairing, rule, found$scale)
  frame_of <- function(side, row) {
    span <- spans[[side]]
    data.frame(
      side = rep(side, length(row)), row = row,
      x = axis$value(span$from[row]), xend = axis$value(span$to[row]),
      y = rep(if (side == "left") 2 else 1, length(row)),
      state = ifelse(matched[[side]][row], "matched", "unmatched"),
      group = groups$shown[groups[[side]][row]]
    )
  }
  rows <- rbind(frame_of("left", drawn$left), frame_of("right", drawn$right))
  rows$group <- factor(rows$group, groups$shown)
  axis$name <- with_years(axis$name, rows$x, axis$scale)
  links <- data.frame(
    left_row = drawn$link_left, right_row = drawn$link_right,
    x = axis$value(middle_of(spans$left, drawn$link_left)),
    right_at = axis$value(middle_of(spans$right, drawn$link_right)),
    y = rep(2, length(drawn$link_left)), yend = rep(1, length(drawn$link_left)),
    group = factor(groups$shown[groups$left[drawn$link_left]], groups$shown)
  )
  links$xend <- links$right_at
  common <- common_stretches(links, spans, rule, axis)
  if (nrow(common)) links$x <- links$xend <- common$middle
  list(
    rows = rows, links = links, common = common,
    bands = timeline_bands(pairing, rule, found, rows, axis),
    axis = axis, stretch = stretch, groups = groups,
    shown = c(length(drawn$left), length(drawn$right)),
    outside = vapply(inside, function(x) sum(!x, na.rm = TRUE), 1L),
    blank = vapply(inside, function(x) sum(is.na(x)), 1L),
    links_left_out = drawn$links_left_out
  )
}

# From where to where each row lies, as numbers; points have the same twice
timeline_spans <- function(rule, found) {
  numbers <- lapply(found$values, function(x) {
    if (found$int64) x <- structure(x, class = "integer64")
    if (is_int64(x)) as_number(x) else as.double(strip_class(x))
  })
  two <- lengths(list(left = rule$left, right = rule$right)) == 2L
  at <- list(left = seq_len(1L + two[["left"]]))
  at$right <- length(at$left) + seq_len(1L + two[["right"]])
  lapply(at, function(k) {
    from <- numbers[[k[1L]]]
    to <- numbers[[k[length(k)]]]
    # An interval without one bound is drawn at the other.
    finite <- function(x, other) {
      x[!is.finite(x)] <- other[!is.finite(x)]
      x[!is.finite(x)] <- NA
      x
    }
    list(from = finite(from, to), to = finite(to, from))
  })
}

# Where both intervals of each drawn pair hold, and the middle of it; no lines for other rules
common_stretches <- function(links, spans, rule, axis) {
  if (length(rule$left) + length(rule$right) < 4L) links <- links[0L, ]
  from <- pmax(spans$left$from[links$left_row], spans$right$from[links$right_row])
  to <- pmin(spans$left$to[links$left_row], spans$right$to[links$right_row])
  links$middle <- axis$value((from + to) / 2)
  links$x <- axis$value(from)
  links$xend <- axis$value(to)
  links
}

middle_of <- function(span, row) (span$from[row] + span$to[row]) / 2

# The stretch of the axis that both frames share, where one goes far beyond the other:
# list(range, whole)
shared_stretch <- function(spans) {
  ranges <- lapply(spans, function(span) suppressWarnings(
    c(min(span$from, na.rm = TRUE), max(span$to, na.rm = TRUE))
  ))
  whole <- range(unlist(ranges))
  shared <- c(max(ranges$left[1L], ranges$right[1L]), min(ranges$left[2L], ranges$right[2L]))
  wide <- diff(shared) > 0 && diff(shared) < 0.6 * diff(whole)
  if (!all(is.finite(c(whole, shared))) || !wide) {
    return(list(range = c(-Inf, Inf), whole = whole))
  }
  list(range = shared + c(-0.05, 0.05) * diff(shared), whole = whole)
}

is_within_stretch <- function(span, range) span$to >= range[1L] & span$from <= range[2L]

# The panels: the keys, those with most unmatched left rows first, then those with most
# rows. list(left, right (which of `shown` each row is in, NA: none), shown, all)
timeline_groups <- function(pairing, matched) {
  rules <- pairing$key_rules
  if (!length(rules)) {
    return(c(lapply(c(left = 1L, right = 2L), function(k) rep(1L, pairing$sizes[k])),
      list(shown = "", all = 1L)
    ))
  }
  keys <- engine_keys(pairing$left, pairing$right, rules, NULL)
  sides <- group_both_sides(keys, pairing$sizes)
  present <- sides$left > 0L
  alone <- tabulate(sides$left[present & !matched], sides$n)
  rows <- tabulate(sides$left[present], sides$n)
  some <- which(rows > 0L)
  top <- utils::head(some[order(-alone[some], -rows[some])], most_panels)
  first <- match(top, sides$left)
  columns <- rule_columns(rules, "left")
  texts <- do.call(paste, c(unname(lapply(columns, column_texts,
    frame = pairing$left, rows = first
  )), sep = ", "))
  list(
    left = match(sides$left, top), right = match(sides$right, top),
    shown = make.unique(distinct_short(texts, 26L), " "), all = length(some)
  )
}

# A number for each key that some left row has, and that of each right row; 0 for none
group_both_sides <- function(keys, sizes) {
  first <- group_rows_(keys$left, keys$kinds, FALSE)
  if (is.null(first)) first <- seq_len(sizes[1L])
  number <- match(first, unique(first[first > 0L]), 0L)
  found <- match_equal_(keys$right, keys$left, keys$kinds, FALSE, FALSE)$matches
  partner <- first_partners(found)
  list(left = number, right = c(0L, number)[partner + 1L], n = max(number, 0L))
}

# Which rows are drawn: some left rows of each panel, unmatched ones as well as matched
# ones, their partners, and of the right rows without partner some.
rows_drawn <- function(pairing, matched, groups, inside) {
  # A missing value has no place.
  here <- lapply(inside, function(x) !is.na(x) & x)
  panels <- length(groups$shown)
  left <- sort(unlist(lapply(seq_len(panels), function(k) {
    rows <- which(groups$left == k & here$left)
    each <- max(10L, most_left_drawn %/% panels)
    alone <- some_of(rows[!matched$left[rows]], each %/% 2L)
    c(alone, some_of(rows[matched$left[rows]], each - length(alone)))
  })))
  left <- fewer_for_links(pairing, left, matched$left)
  partners <- lapply(left, partner_lister(pairing$matches))
  partners <- lapply(partners, function(rows) rows[!is.na(inside$right[rows])])
  all_links <- sum(lengths(partners))
  partners <- lapply(partners, some_of, most_partners_drawn)
  right <- sort(unique(as.integer(unlist(partners))))
  others <- setdiff(which(groups$right %in% seq_len(panels) & here$right), right)
  others <- some_of(others[!matched$right[others]], most_others_drawn)
  list(
    left = as.integer(left), right = sort(c(right, others)),
    link_left = rep(as.integer(left), lengths(partners)),
    link_right = as.integer(unlist(partners)),
    links_left_out = all_links - sum(lengths(partners))
  )
}

# Fewer left rows where each has many partners: too many links can't be read
fewer_for_links <- function(pairing, left, matched) {
  links <- pmin(partner_counts(pairing$matches, "left")[left], most_partners_drawn)
  if (sum(links) <= most_links_drawn) {
    return(left)
  }
  some <- left[matched[left]]
  keep <- some_of(some, max(1L, as.integer(length(some) * most_links_drawn / sum(links))))
  sort(c(keep, left[!matched[left]]))
}

# evenly spread ones where there are more
some_of <- function(rows, most) {
  if (length(rows) <= most) rows else rows[unique(spread_rows(length(rows), most))]
}

# Numbers of the axis as the values they stand for, and its name
timeline_scale <- function(pairing, rule, scale) {
  like <- .subset2(pairing$left, rule$left[1L])
  form <- type_of(like)$axis
  name <- paste(unique(c(rule$left, rule$right)), collapse = ", ")
  unit <- form$unit(like, scale)
  list(
    scale = form$scale, name = if (is.null(unit)) name else sprintf("%s (%s)", name, unit),
    value = function(x) form$values(x, like)
  )
}

# "departs (2031, UTC)": the ticks may leave the year out
with_years <- function(name, x, scale) {
  if (!length(x) || scale == "numbers") {
    return(name)
  }
  years <- paste(unique(format(range(x, na.rm = TRUE), "%Y")), collapse = " to ")
  if (grepl("[)]$", name)) sub("\\(([^(]*)$", paste0("(", years, ", \\1"), name) else {
    sprintf("%s (%s)", name, years)
  }
}

# How far nearest() looked, for left rows that found nothing
timeline_bands <- function(pairing, rule, found, rows, axis) {
  alone <- rows[rows$side == "left" & rows$state == "unmatched", ]
  if (!kind_of(rule)$chooses || is_unlimited(rule$within)) alone <- alone[0L, ]
  if (!nrow(alone)) {
    return(alone)
  }
  at <- alone$x
  closest <- plan_rule(pairing, rule, NULL)$closest
  # A band may be cut at the edge of the figure; it doesn't make the axis longer.
  width <- diff(range(as.numeric(rows$x), as.numeric(rows$xend)))
  most <- if (width > 0) 0.2 * width else 1
  within <- function(sign) pmin(reach_numbers(closest, alone$row, sign), most)
  if (rule$look != "ahead") alone$x <- at - within(1)
  alone$xend <- if (rule$look != "back") at + within(-1) else at
  alone
}

timeline_title <- function(pairing, seen) {
  sizes <- pairing$sizes
  if (any(sizes == 0L)) {
    return(overlap_title(pairing))
  }
  matched <- pairing$counts$matched_left
  alone <- sizes[1L] - matched
  sprintf("%s of %s %s found a partner by %s()%s",
    with_commas(matched), with_commas(sizes[1L]), pairing$labels[1L],
    timeline_rule(pairing)$kind,
    if (alone) sprintf(", %s did not", with_commas(alone)) else ""
  )
}

timeline_subtitle <- function(pairing, seen) {
  if (!nrow(seen$rows)) {
    return(paste0(account_line(pairing), "."))
  }
  c(paste(c(
    if (nrow(seen$links)) {
      paste0("Lines link partners.", if (nrow(seen$common)) " Shaded: what both share.")
    },
    if (any(seen$rows$state == "unmatched")) "A cross has none.",
    if (nrow(seen$bands)) "Shaded: how far an unmatched row looked."
  ), collapse = " "), timeline_left_out(pairing, seen))
}

# what is not drawn
timeline_left_out <- function(pairing, seen) {
  fewer <- seen$shown < pairing$sizes
  blank <- seen$blank > 0L
  outside <- seen$outside > 0L & is.finite(seen$stretch$range[1L])
  in_words <- function(x) {
    value <- seen$axis$value(x)
    text <- if (inherits(value, "POSIXct")) format(value, "%Y-%m-%d %H:%M") else {
      format(value, digits = 6L)
    }
    paste(trimws(text), collapse = " to ")
  }
  c(
    if (any(fewer)) {
      sprintf("Shown: %s%s.", listed(sprintf("%s of %s %s",
        with_commas_each(seen$shown), with_commas_each(pairing$sizes), pairing$labels
      ), "and"), if (seen$groups$all > length(seen$groups$shown)) {
        sprintf(", of %d of %s keys, those with most unmatched rows first",
          length(seen$groups$shown), with_commas(seen$groups$all)
        )
      } else "")
    },
    if (any(outside)) {
      sprintf("Only the stretch that both share; %s outside it (all: %s).",
        listed(sprintf("%s of %s", with_commas_each(seen$outside[outside]),
          pairing$labels[outside]
        ), "and"), in_words(seen$stretch$whole)
      )
    },
    if (any(blank)) {
      sprintf("Not on the axis, missing or infinite: %s.", listed(sprintf("%s of %s",
        with_commas_each(seen$blank[blank]), pairing$labels[blank]
      ), "and"))
    },
    if (seen$links_left_out) {
      sprintf("%s of these rows %s not drawn.",
        counted(seen$links_left_out, "more link"),
        if (seen$links_left_out == 1L) "is" else "are"
      )
    }
  )
}

register_figure("timeline",
  data = timeline_data, draw = draw_timeline, title = timeline_title,
  subtitle = timeline_subtitle,
  lacks = function(pairing) {
    if (is.null(timeline_rule(pairing))) {
      c(
        "A timeline needs an ordered rule on times or numbers.",
        either("Such as nearest(\"departs\", \"read_at\") in `on`.",
          "Such as --nearest departs=read_at."
        )
      )
    }
  }
)
