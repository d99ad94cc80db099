#' @rdname plot.ronda_pairing
#' @export
plot_reasons <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_reasons())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("reasons", pairing_given(pairing, other, on, call, code), call)
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
  # A report has them already.
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

#' @rdname plot.ronda_pairing
#' @export
plot.ronda_diagnosis <- function(x, ...) {
  if (is.null(x$pairing)) {
    stop_argument("There is nothing to draw: no key was found.", call = quote(plot()))
  }
  figure <- draw_figure("reasons", x$pairing, quote(plot()))
  # both sides to one scale, so that bars can be compared
  figure + ggplot2::facet_wrap(~frame, ncol = 1L, scales = "free_y",
    labeller = ggplot2::as_labeller(function(x) in_short_lines(x, 40L))
  ) + ggplot2::labs(title = in_lines(x$status, title_width))
}

# What repeats -----------------------------------------------------------------------

#' @rdname plot.ronda_pairing
#' @export
plot_repeats <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_repeats())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("repeats", pairing_given(pairing, other, on, call, code), call)
}

draw_repeats <- function(pairing, data) {
  ggplot2::ggplot(data, ggplot2::aes(x = rows, y = class)) +
    ggplot2::geom_col(ggplot2::aes(fill = side),
      width = 0.75, colour = figure_colours[["line"]]
    ) +
    ggplot2::facet_wrap(~frame, scales = "free",
      labeller = ggplot2::as_labeller(function(x) in_short_lines(x, 24L))
    ) +
    ggplot2::scale_fill_manual(guide = "none", values = figure_colours[side_names]) +
    ggplot2::scale_x_continuous("rows",
      breaks = count_breaks, labels = with_commas_each, limits = c(0, NA),
      expand = ggplot2::expansion(c(0, 0.08))
    ) +
    ggplot2::scale_y_discrete("partners: rows") +
    figure_theme() +
    ggplot2::theme(
      strip.text = ggplot2::element_text(face = "bold"),
      panel.grid.major.y = ggplot2::element_blank()
    )
}

# Rows by their number of partners; many are put together in classes. `class` is what
# stands at the axis, from the most partners to none: "2: 12"
repeats_data <- function(pairing) {
  data <- do.call(rbind, lapply(side_names, function(side) {
    uses <- partner_counts(pairing$matches, side)
    classes <- partner_classes(max(uses, 1L))
    rows <- as.integer(table(cut(uses, c(-1, classes$to), labels = classes$label)))
    # From the first class that has a row.
    keep <- cumsum(rows) > 0L | !any(rows)
    data.frame(
      side = rep(side, sum(keep)), frame = pairing$labels[side_number(side)],
      partners = classes$label[keep], rows = rows[keep], order = classes$to[keep]
    )
  }))
  data$frame <- factor(data$frame, pairing$labels)
  class <- paste0(data$partners, ": ", with_commas_each(data$rows))
  data$class <- factor(class, unique(class[order(-data$order)]))
  data[setdiff(names(data), "order")]
}

# 0, 1, 2, 3, 4, 5, then 6-10, 11-20, 21-50, ...
partner_classes <- function(most) {
  to <- 0:min(most, 5)
  steps <- as.vector(outer(c(10, 20, 50), 10^(0:8)))
  if (most > 5) to <- c(to, steps[seq_len(which(steps >= most)[1L])])
  from <- c(0, utils::head(to, -1L) + 1)
  list(to = to, label = ifelse(from == to, to,
    paste0(with_commas_each(from), "-", with_commas_each(to))
  ))
}

repeats_title <- function(pairing, data) {
  if (!pairing$counts$pairs) {
    return("No row has a partner")
  }
  several <- account_frame(pairing)$several
  if (all(several == 0)) {
    return("No row has more than one partner")
  }
  words <- sprintf("%s of %s %s", with_commas_each(several),
    with_commas_each(pairing$sizes), pairing$labels
  )
  paste(listed(words[several > 0], "and"),
    if (sum(several) == 1) "has several partners" else "have several partners"
  )
}

repeats_subtitle <- function(pairing, data) {
  repeats <- any(account_frame(pairing)$several > 0) && !isTRUE(pairing$hidden)
  words <- if (repeats) heavy_words(pairing)
  if (!length(words)) account_line(pairing) else {
    paste0("Most pairs: ", paste(words, collapse = "; "))
  }
}

register_figure("repeats",
  data = repeats_data, draw = draw_repeats, title = repeats_title,
  subtitle = repeats_subtitle,
  says = function(pairing, data) {
    some <- data[data$rows > 0, ]
    words <- sprintf("%s of %s with %s", with_commas_each(some$rows), some$frame,
      some$partners
    )
    sprintf("Rows by their number of partners: %s.", listed(words, "and", 12L))
  }
)
