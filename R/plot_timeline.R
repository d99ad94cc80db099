#' @rdname plot.ronda_pairing
#' @export
plot_timeline <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_timeline())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("timeline", pairing_given(pairing, other, on, call, code), call)
}

# How many rows and lines are drawn at most; of more left rows the shares are drawn
most_left_drawn <- 400L
most_links_drawn <- 400L
most_others_drawn <- 300L

draw_timeline <- function(pairing, seen) {
  if (!is.null(seen$strip)) {
    return(draw_strip(seen))
  }
  rows <- seen$rows
  colour <- figure_colours
  is_long <- function(rows) rows[!is.na(rows$xend) & rows$xend > rows$x, ]
  # of what belongs to rows that the page has room for
  shown <- function(part) function(rows) part[part$group %in% rows$group, ]
  figure <- ggplot2::ggplot(rows)
  if (nrow(seen$bands)) {
    figure <- figure + ggplot2::geom_rect(data = shown(seen$bands),
      fill = colour[["alone"]], alpha = 0.22, colour = colour[["line"]], linewidth = 0.2,
      ggplot2::aes(xmin = x, xmax = xend, ymin = y - 1.15, ymax = y + 0.15)
    )
  }
  if (nrow(seen$common)) {
    figure <- figure + ggplot2::geom_rect(data = shown(seen$common),
      fill = colour[["paired"]], colour = colour[["line"]], alpha = 0.6, linewidth = 0.2,
      ggplot2::aes(xmin = x, xmax = xend, ymin = yend, ymax = y)
    )
  }
  figure <- figure +
    ggplot2::geom_segment(data = shown(seen$links), colour = colour[["line"]], linewidth = 0.5,
      ggplot2::aes(x = x, xend = xend, y = y, yend = yend)
    ) +
    ggplot2::geom_segment(data = is_long, linewidth = 2,
      ggplot2::aes(x = x, xend = xend, y = y, yend = y, colour = fill)
    ) +
    ggplot2::geom_point(ggplot2::aes(x = x, y = y, shape = state, fill = fill),
      size = 2.4, colour = colour[["line"]], stroke = 0.6,
      data = function(rows) rows[rows$state == "matched", ]
    ) +
    unmatched_marks("right", 1.2, 0.6) +
    unmatched_marks("alone", 2, 0.9) +
    if_drawn(rows, ggplot2::scale_shape_manual(NULL, values = c(matched = 21, unmatched = 4),
      guide = ggplot2::guide_legend(override.aes = list(colour = colour[["line"]]))
    )) +
    if_drawn(rows, ggplot2::scale_fill_manual(guide = "none", values = colour)) +
    if_drawn(rows, ggplot2::scale_colour_manual(guide = "none", values = colour)) +
    ggplot2::scale_y_continuous(NULL,
      breaks = 1:2, labels = in_short_lines(rev(pairing$labels), 14L),
      limits = c(0.6, 2.4), minor_breaks = NULL
    ) +
    timeline_axis(seen$axis) +
    # A window that reaches far beyond all rows is cut.
    ggplot2::coord_cartesian(xlim = if (nrow(seen$bands)) seen$reach) +
    figure_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      panel.spacing = ggplot2::unit(4, "pt"),
      strip.text.y = ggplot2::element_text(angle = 0, hjust = 0)
    )
  if (has_groups(seen) && nrow(rows)) {
    figure <- figure + ggplot2::facet_wrap(~group, ncol = 1L, strip.position = "right",
      labeller = ggplot2::as_labeller(function(x) in_short_lines(x, 14L))
    )
  }
  figure
}

unmatched_marks <- function(role, size, stroke) {
  ggplot2::geom_point(ggplot2::aes(x = x, y = y, shape = state, colour = fill),
    size = size, stroke = stroke,
    data = function(rows) rows[rows$state == "unmatched" & rows$fill == role, ]
  )
}

# What is drawn: list(rows, links, common (the stretches that paired intervals share), bands
# (how far nearest() looked), reach (of the axis with bands), axis, stretch (of the
# axis), groups, and of each side how many rows are `shown`, lie `outside` the stretch or
# have no place (`blank`); and how many links are left out), or the `strip` in the stead of
# rows and all that belongs to them
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
  axis <- timeline_scale(pairing, rule, found$scale)
  about <- list(
    axis = axis, stretch = stretch, groups = groups,
    outside = vapply(inside, function(x) sum(!x, na.rm = TRUE), 1L),
    blank = vapply(inside, function(x) sum(is.na(x)), 1L)
  )
  if (sum(inside$left, na.rm = TRUE) > most_left_drawn) {
    return(strip_data(about, spans$left$from, inside$left, matched$left))
  }
  drawn <- rows_drawn(pairing, matched, groups, inside)
  frame_of <- function(side, row) {
    span <- spans[[side]]
    state <- ifelse(matched[[side]][row], "matched", "unmatched")
    data.frame(
      side = rep(side, length(row)), row = row,
      x = axis$value(span$from[row]), xend = axis$value(span$to[row]),
      y = rep(if (side == "left") 2 else 1, length(row)), state = state,
      # A left row without partner is the finding; right ones are many.
      fill = if (side == "right") rep("right", length(row)) else {
        ifelse(state == "matched", "left", "alone")
      },
      group = groups$shown[groups[[side]][row]]
    )
  }
  rows <- rbind(frame_of("left", drawn$left), frame_of("right", drawn$right))
  rows$group <- factor(rows$group, groups$shown)
  about$axis$name <- with_years(axis$name, rows$x, axis$scale)
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
  bands <- timeline_bands(pairing, rule, rows)
  c(about, list(
    rows = rows, links = links, common = common, bands = bands,
    reach = reach_of(rows, bands), shown = c(length(drawn$left), length(drawn$right)),
    links_left_out = drawn$links_left_out
  ))
}

# From where to where the axis reaches: to the ends of all bands, or half as far again as
# the rows do
reach_of <- function(rows, bands) {
  if (!nrow(bands)) {
    return(NULL)
  }
  ends <- range(rows$x, rows$xend, na.rm = TRUE)
  width <- diff(as.numeric(ends))
  if (width > 0) {
    all <- range(ends, bands$x, bands$xend, na.rm = TRUE)
    c(max(all[1L], ends[1L] - width / 2), min(all[2L], ends[2L] + width / 2))
  }
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

# so many keys are told apart at most, whatever the page
most_groups <- 100L

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
  top <- utils::head(some[order(-alone[some], -rows[some])], most_groups)
  first <- match(top, sides$left)
  texts <- axis_keys(pairing, "left", first)
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

# Which rows are drawn: all left ones, their partners, and of the right rows without
# partner some. Links that can't be told apart are left out.
rows_drawn <- function(pairing, matched, groups, inside) {
  # A missing value has no place.
  here <- lapply(inside, function(x) !is.na(x) & x)
  left <- which(here$left & !is.na(groups$left))
  counts <- as.numeric(partner_counts(pairing$matches, "left")[left])
  linked <- sum(counts) <= most_links_drawn
  partners <- if (linked) {
    lapply(left, partner_lister(pairing$matches))
  } else {
    rep(list(integer()), length(left))
  }
  partners <- lapply(partners, function(rows) rows[!is.na(inside$right[rows])])
  right <- sort(unique(as.integer(unlist(partners))))
  others <- setdiff(which(!is.na(groups$right) & here$right), right)
  if (linked) others <- others[!matched$right[others]]
  list(
    left = left, right = sort(c(right, some_of(others, most_others_drawn))),
    link_left = rep(left, lengths(partners)), link_right = as.integer(unlist(partners)),
    links_left_out = if (linked) 0 else sum(counts)
  )
}

# evenly spread ones where there are more
some_of <- function(rows, most) {
  if (length(rows) <= most) rows else rows[unique(spread_rows(length(rows), most))]
}

# How far nearest() looked, for left rows that found nothing
timeline_bands <- function(pairing, rule, rows) {
  alone <- rows[rows$side == "left" & rows$state == "unmatched", ]
  if (!kind_of(rule)$chooses || is_unlimited(rule$within)) alone <- alone[0L, ]
  if (!nrow(alone)) {
    return(alone)
  }
  at <- alone$x
  closest <- plan_rule(pairing, rule, NULL)$closest
  within <- function(sign) reach_numbers(closest, alone$row, sign)
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
  if (!is.null(seen$strip)) {
    return(c(strip_subtitle(pairing, seen), timeline_left_out(pairing, seen)))
  }
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

# The groups that the page has room for, the worst first
timeline_for_page <- function(rows, room) {
  groups <- levels(rows$group)
  keep <- utils::head(groups, max(1L, room$lines %/% 3))
  rows <- rows[rows$group %in% keep, ]
  rows$group <- factor(rows$group, keep)
  rows
}

timeline_page <- function(pairing, seen) {
  if (!has_groups(seen)) {
    return(NULL)
  }
  all <- seen$groups$all
  if (!is.null(seen$strip)) {
    return(list(fit = function(strip, room) strip_for_page(strip, room, all)))
  }
  list(fit = timeline_for_page, left_out = function(data, shown) {
    if (nlevels(shown$group) < all) {
      sprintf("Shown: %d of %s keys, those with most unmatched rows first.",
        nlevels(shown$group), with_commas(all)
      )
    }
  })
}

# what is not drawn
timeline_left_out <- function(pairing, seen) {
  fewer <- is.null(seen$strip) & seen$shown < pairing$sizes
  blank <- seen$blank > 0L
  outside <- seen$outside > 0L & is.finite(seen$stretch$range[1L])
  in_words <- function(x) {
    value <- seen$axis$value(x)
    text <- if (inherits(value, "POSIXct")) format(value, "%Y-%m-%d %H:%M") else {
      format_number(value, 6L)
    }
    paste(trimws(text), collapse = " to ")
  }
  c(
    if (any(fewer)) {
      sprintf("Drawn: %s.", listed(sprintf("%s of %s %s",
        with_commas_each(seen$shown), with_commas_each(pairing$sizes), pairing$labels
      ), "and"))
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
    if (isTRUE(seen$links_left_out > 0)) {
      sprintf("%s are too many to draw.", counted(seen$links_left_out, "link"))
    },
    if (reaches_beyond(seen$bands, seen$reach)) {
      "What was looked at reaches beyond the axis."
    }
  )
}

reaches_beyond <- function(bands, reach) {
  !is.null(reach) && any(bands$x < reach[1L] | bands$xend > reach[2L])
}

register_figure("timeline",
  data = timeline_data, draw = draw_timeline, title = timeline_title,
  subtitle = timeline_subtitle, page = timeline_page,
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
