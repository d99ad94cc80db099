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
    ggplot2::geom_col(fill = figure_colours[["alone"]], width = 0.6) +
    side_panels() +
    count_axis("unmatched rows", max(data$rows)) +
    ggplot2::labs(y = NULL)
}

# one panel a side, as high as it has bars, both to one scale
side_panels <- function(scales = "free_y", ...) {
  list(
    ggplot2::facet_grid(..., rows = ggplot2::vars(frame), scales = scales, space = "free_y",
      labeller = ggplot2::labeller(frame = function(x) in_short_lines(x, 10L)), switch = "y"
    ),
    figure_theme(),
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(face = "bold"), strip.placement = "outside",
      strip.text.y.left = ggplot2::element_text(angle = 0, hjust = 0)
    )
  )
}

# All reasons of each side, the most frequent first; `class` is what stands at the axis
reasons_data <- function(pairing) {
  # A report has them already.
  found <- if (is.null(pairing$reasons)) unmatched_reasons(pairing) else pairing$reasons
  data <- found$counts
  if (isTRUE(pairing$hidden)) data$examples <- rep("", nrow(data))
  data <- data[order(match(data$side, side_names), -data$rows), ]
  data$frame <- factor(data$frame, unique(pairing$labels))
  row.names(data) <- NULL
  with_reason_classes(data, TRUE)
}

with_reason_classes <- function(data, examples) {
  named <- in_short_lines(data$reason, 30L)
  class <- paste0(named, rep(": ", nrow(data)), with_commas_each(data$rows), recycle0 = TRUE)
  some <- examples & nzchar(data$examples)
  class[some] <- paste0(class[some], "\n", shortened(data$examples[some], 34L))
  data$class <- factor(class, rev(unique(class)))
  data
}

# Where a page is low, first examples go, then the least reasons are put together.
reasons_for_page <- function(data, room) {
  lines <- function(data) sum(lengths(strsplit(as.character(data$class), "\n")) + 0.3)
  if (lines(data) <= room$lines) {
    return(data)
  }
  plain <- with_reason_classes(data, FALSE)
  most <- max(table(data$side))
  while (lines(plain) > room$lines && most > 2L) {
    most <- most - 1L
    plain <- with_reason_classes(fewer_reasons(data, most), FALSE)
  }
  plain
}

fewer_reasons <- function(data, most) {
  few <- lapply(split(data, factor(data$side, side_names)), function(one) {
    if (nrow(one) > most) {
      rest <- one[most, ]
      rest$rows <- sum(one$rows[-seq_len(most - 1L)])
      rest$reason <- "other reasons"
      rest$kind <- "none"
      one <- rbind(one[seq_len(most - 1L), ], rest)
    }
    one
  })
  do.call(rbind, unname(few))
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
  page = function(pairing, data) if (nrow(data)) list(fit = reasons_for_page),
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
  draw_figure("reasons", x$pairing, quote(plot())) +
    ggplot2::labs(title = x$status)
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
  bars <- function(measure) {
    ggplot2::geom_col(width = 0.9, colour = figure_colours[["line"]], linewidth = 0.3,
      data = function(all) {
        all$value <- all[[measure]]
        all$measure <- factor(repeat_measures[[measure]], repeat_measures)
        all$fill <- if (measure == "pairs") "paired" else all$side
        all$fill[all$least == 0] <- "alone"
        all
      }
    )
  }
  ggplot2::ggplot(data, ggplot2::aes(x = value, y = class, fill = fill)) +
    bars("rows") + bars("pairs") +
    side_panels("free", cols = ggplot2::vars(measure)) +
    ggplot2::scale_fill_manual(guide = "none", values = figure_colours) +
    ggplot2::scale_x_continuous(NULL,
      breaks = count_breaks, labels = short_numbers, limits = c(0, NA),
      expand = ggplot2::expansion(c(0, 0.08))
    ) +
    ggplot2::scale_y_discrete("partners: rows / pairs") +
    ggplot2::theme(panel.spacing.x = ggplot2::unit(18, "pt"))
}

repeat_measures <- c(rows = "rows", pairs = "pairs they make")

# Rows by their number of partners, and the pairs that they make: none apart, up to eight
# one by one, more in classes of equal ratio (1, 2-3, 4-7, 8-15, ...). `class` is what
# stands at the axis, from the most partners to none: "2-3: 12 / 30"
repeats_data <- function(pairing) {
  data <- do.call(rbind, lapply(side_names, function(side) {
    uses <- partner_counts(pairing$matches, side)
    most <- max(uses, 1L)
    ratio <- if (most <= 8) 1 else 2
    key <- partner_class(uses, ratio)
    classes <- sort(unique(c(key, partner_class(most, ratio))))
    at <- match(key, classes)
    least <- if (ratio == 1) classes else ifelse(classes < 0, 0, 2^classes)
    data.frame(
      side = rep(side, length(classes)), frame = pairing$labels[side_number(side)],
      least = least, most = if (ratio == 1) classes else ifelse(classes < 0, 0, 2 * least - 1),
      rows = tabulate(at, length(classes)),
      pairs = vapply(seq_along(classes), function(k) sum(as.numeric(uses[at == k])), 0)
    )
  }))
  data$frame <- factor(data$frame, pairing$labels)
  with_repeat_classes(data)
}

partner_class <- function(partners, ratio) {
  if (ratio == 1) partners else {
    ifelse(partners == 0, -1, floor(log(pmax(partners, 1), ratio) + 1e-9))
  }
}

with_repeat_classes <- function(data) {
  data$partners <- ifelse(data$least == data$most, with_commas_each(data$least),
    paste0(with_commas_each(data$least), "-", with_commas_each(data$most))
  )
  class <- sprintf("%s: %s / %s", data$partners, with_commas_each(data$rows),
    with_commas_each(data$pairs)
  )
  data$class <- factor(class, unique(class[order(-data$most)]))
  data
}

# Classes of a larger ratio where a page is low
repeats_for_page <- function(data, room) {
  for (ratio in c(2, 4, 16, 256, Inf)) {
    if (nrow(data) * 1.4 <= room$lines) break
    sides <- lapply(split(data, data$side), function(one) {
      key <- if (is.infinite(ratio)) as.numeric(one$least > 0) else partner_class(one$least, ratio)
      first <- !duplicated(key)
      sums <- rowsum(as.matrix(one[c("rows", "pairs")]), key)
      one$most <- as.vector(tapply(one$most, key, max))[match(key, sort(unique(key)))]
      one <- one[first, ]
      one[c("rows", "pairs")] <- sums[match(key[first], rownames(sums)), , drop = FALSE]
      one
    })
    data <- do.call(rbind, unname(sides))
  }
  with_repeat_classes(data)
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
  words <- if (repeats) heavy_words(pairing, heavy_keys(pairing, 3L))
  if (!length(words)) account_line(pairing) else {
    paste0("Most pairs: ", paste(words, collapse = "; "))
  }
}

register_figure("repeats",
  data = repeats_data, draw = draw_repeats, title = repeats_title,
  subtitle = repeats_subtitle, page = function(pairing, data) list(fit = repeats_for_page),
  says = function(pairing, data) {
    some <- data[data$rows > 0, ]
    words <- sprintf("%s of %s with %s", with_commas_each(some$rows), some$frame,
      some$partners
    )
    sprintf("Rows by their number of partners: %s.", listed(words, "and", 12L))
  }
)
