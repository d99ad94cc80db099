#' Draw how far two frames overlap
#'
#' One bar a frame, cut into matched and unmatched rows: as long as their shares, and as
#' thick as the frame has rows.
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @return A ggplot, to be printed, saved or added to. Its data has one row for
#'   each part of each bar: `frame`, `part`, `rows`.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one or ggplot2
#'   isn't installed.
#' @seealso [plot.ronda_pairing()] for the other figures; `vignette("reports-and-command-line")`.
#' @examples
#' plot_overlap(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' @export
plot_overlap <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_overlap())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("overlap", pairing_given(pairing, other, on, call, code), call)
}

draw_overlap <- function(pairing, data) {
  ggplot2::ggplot(data, ggplot2::aes(xmin = from, xmax = to, ymin = ymin, ymax = ymax)) +
    ggplot2::geom_rect(ggplot2::aes(fill = part), colour = figure_colours[["line"]],
      linewidth = 0.3
    ) +
    if_drawn(data, ggplot2::scale_fill_manual(NULL, breaks = names(part_roles),
      values = structure(figure_colours[part_roles], names = names(part_roles))
    )) +
    ggplot2::scale_x_continuous("share of the frame's rows", limits = c(0, 1),
      labels = function(x) sprintf("%g%%", 100 * x), expand = ggplot2::expansion(c(0, 0.02))
    ) +
    ggplot2::scale_y_continuous(NULL,
      breaks = c(2, 1), labels = overlap_labels(pairing), limits = c(0.5, 2.5),
      minor_breaks = NULL
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

part_roles <- c(matched = "paired", unmatched = "alone")

# what each bar is, and how many of its rows are which
overlap_labels <- function(pairing) {
  matched <- c(pairing$counts$matched_left, pairing$counts$matched_right)
  parts <- cbind(matched, pairing$sizes - matched)
  vapply(1:2, function(k) {
    lines <- sprintf("%s %s (%s)", with_commas_each(parts[k, ]),
      names(part_roles), percent_of(parts[k, ], pairing$sizes[k])
    )
    paste(c(in_short_lines(pairing$labels[k], 18L), counted(pairing$sizes[k], "row"),
      lines[parts[k, ] > 0]
    ), collapse = "\n")
  }, "")
}

# Bars as long as shares and as thick as frames have rows, so that areas are rows. What
# has any row is wide and thick enough to be seen.
overlap_data <- function(pairing) {
  counts <- pairing$counts
  matched <- c(counts$matched_left, counts$matched_right)
  rows <- as.numeric(rbind(matched, pairing$sizes - matched))
  sizes <- rep(pairing$sizes, each = 2L)
  share <- rows / pmax(sizes, 1)
  at_least <- function(x, least) ifelse(x > 0 & x < 0.5, pmax(x, least), x)
  first <- at_least(share[c(1L, 3L)], 0.006)
  first <- 1 - at_least(1 - first, 0.006)
  from <- as.numeric(rbind(0, first))
  to <- as.numeric(rbind(first, 1))
  y <- rep(c(2, 1), each = 2L)
  half <- 0.36 * pmax(sizes / max(sizes, 1), 0.06)
  data <- data.frame(
    frame = rep(pairing$labels, each = 2L), part = rep(names(part_roles), 2L), rows = rows,
    share = percent_of(rows, sizes), from = from, to = to, y = y, ymin = y - half,
    ymax = y + half
  )
  data[data$rows > 0, ]
}

none_matched <- function(pairing, side) {
  sprintf("None of the %s of %s matched", counted(pairing$sizes[side], "row"),
    pairing$labels[side]
  )
}

overlap_title <- function(pairing, data = NULL) {
  sizes <- pairing$sizes
  matched <- c(pairing$counts$matched_left, pairing$counts$matched_right)
  if (any(sizes == 0L)) {
    empty <- which(sizes == 0L)
    return(sprintf("%s %s no rows: nothing can pair", listed(pairing$labels[empty], "and"),
      if (length(empty) == 1L) "has" else "have"
    ))
  }
  if (all(matched == 0)) {
    return(none_matched(pairing, 1L))
  }
  if (all(sizes == 1)) {
    return("The only row of each frame matched")
  }
  shares <- ifelse(matched == sizes,
    sprintf("all %s %s", with_commas_each(sizes), pairing$labels),
    sprintf("%s of %s %s", with_commas_each(matched), with_commas_each(sizes),
      pairing$labels
    )
  )
  text <- sprintf("%s and %s have a partner", shares[1L], shares[2L])
  sub("^all", "All", text)
}

overlap_subtitle <- function(pairing, data) {
  unlike <- max(pairing$sizes) > 1.2 * min(pairing$sizes)
  paste0(account_line(pairing), ".", if (nrow(data) && unlike) {
    " Thickness: rows of the frame."
  })
}

register_figure("overlap",
  data = overlap_data, draw = draw_overlap, title = overlap_title,
  subtitle = overlap_subtitle,
  says = function(pairing, data) {
    paste0(sprintf("%s: %s of %s rows %s (%s)", data$frame, with_commas_each(data$rows),
      with_commas_each(pairing$sizes[3 - data$y]), data$part, data$share
    ), collapse = "; ") |> paste0(".")
  }
)

# Of many frames ---------------------------------------------------------------------

#' Draw which keys several frames share
#'
#' Tiles, a row and a column for each frame: how many different keys of the row's frame the
#' column's frame has, and their share. Beside them bars: how many keys which frames have,
#' the most first.
#'
#' @inheritParams join_many
#' @return A ggplot, to be printed, saved or added to. Its data is a data frame of one row
#'   for each two frames: `frame`, `other`, `keys` (different keys of `frame`) and `found`
#'   (those that `other` has; missing where the two have no key column in common).
#' @section Errors: those of [join_many()] for `frames` and `on`; `ronda_error_argument`
#'   when `on` has other rules than [same()] or ggplot2 isn't installed.
#' @seealso [join_many()], [write_many_report()]; `vignette("several-frames")`.
#' @examples
#' plot_many(list(sailings = sailings, tides = tide_readings, ports = ports), on = "port")
#' @export
plot_many <- function(frames, on) {
  call <- quote(plot_many())
  need_packages("ggplot2", "A figure", call)
  frames <- named_by_call(frames, substitute(frames))
  check_frames(frames, call)
  if (missing(on)) stop_no_shared_on(frames, call)
  figure_of_many(look_at_many(frames, on, call))
}

figure_of_many <- function(look) {
  frames <- look$frames$frame
  data <- many_tiles(look)
  subsets <- many_subsets(look)
  n <- length(frames)
  drawn <- ggplot2::ggplot(data, ggplot2::aes(x = x, y = y)) +
    ggplot2::geom_tile(ggplot2::aes(fill = share), width = 0.94, height = 0.9,
      colour = figure_colours[["line"]]
    ) +
    ggplot2::geom_text(ggplot2::aes(label = label), lineheight = 0.9,
      colour = figure_inks[["right"]], size = if (n > 8L) 2 else 3.2
    ) +
    ggplot2::geom_rect(data = function(tiles) utils::head(subsets, attr(tiles, "bars")),
      fill = figure_colours[["paired"]], colour = figure_colours[["line"]],
      ggplot2::aes(xmin = bars_begin, xmax = x, ymin = y - 0.36, ymax = y + 0.36)
    ) +
    # A share is drawn as paleness, so that its number can be read on it.
    ggplot2::scale_fill_gradient(guide = "none", limits = c(0, 1), low = "#dde2e7",
      high = figure_colours[["paired"]], na.value = NA
    ) +
    many_axes(frames, subsets) +
    ggplot2::facet_wrap(~panel, scales = "free") +
    figure_theme() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(face = "bold", hjust = 0)
    )
  figure_of(drawn, many_title(look),
    "Each tile: keys of the row's frame that the column's frame has, too.",
    paste0("Found: ", paste0(data$frame, " in ", data$other, " ", data$found, " of ",
      data$keys, collapse = "; ", recycle0 = TRUE
    ), "."),
    fit = function(data, room) many_for_page(data, room, n),
    left_out = function(data, shown) {
      rest <- subsets[-seq_len(attr(shown, "bars")), ]
      if (nrow(rest)) {
        sprintf("Not drawn: %s of %s.", counted(sum(rest$x - bars_begin), "key"),
          counted(nrow(rest), "other combination")
        )
      }
    }
  )
}

# Axes of both panels, which are told apart by where bars begin
many_axes <- function(frames, subsets) {
  n <- length(frames)
  short <- distinct_short(frames, 24L)
  is_bars <- function(at) max(at, 0, na.rm = TRUE) >= bars_begin
  list(
    ggplot2::scale_x_continuous(NULL, minor_breaks = NULL,
      breaks = function(limits) {
        if (is_bars(limits)) bars_begin + count_breaks(limits - bars_begin) else seq_len(n)
      },
      labels = function(at) {
        if (is_bars(at)) with_commas_each(at - bars_begin) else
          if (n > 3L) distinct_short(frames, 14L)[at] else in_short_lines(short[at], 36L %/% n)
      },
      guide = ggplot2::guide_axis(angle = if (n > 3L) 90 else 0)
    ),
    ggplot2::scale_y_continuous(NULL, minor_breaks = NULL,
      breaks = function(limits) {
        if (is_bars(-limits)) subsets$y[subsets$y >= limits[1L]] else -seq_len(n)
      },
      labels = function(at) {
        if (is_bars(-at)) subsets$label[match(at, subsets$y)] else
          if (n > 3L) distinct_short(frames, 14L)[-at] else in_short_lines(short[-at], 14L)
      }
    )
  )
}

# Numbers on tiles where they fit; `bars`: how many combinations of frames there is room for
many_for_page <- function(data, room, n) {
  high <- (room$height - 2.6) / n
  wide <- (room$width / 2 - 1.4) / n
  if (high < 0.3) data$label <- sub("\n.*", "", data$label)
  if (high < 0.15 || wide < 0.3) data$label <- rep("", nrow(data))
  lines <- 3.4 + if (n > 3L) 5 else 0
  attr(data, "bars") <- max(2L, as.integer((room$lines - lines) / 2.2))
  data
}

# Both panels have one scale each way; bars stand far from tiles on it, so that its marks
# know which they are for.
bars_begin <- 1e9

many_panels <- c("frame by frame", "keys by frames")

many_tiles <- function(look) {
  data <- look$shared
  data$x <- match(data$other, look$frames$frame)
  data$y <- -match(data$frame, look$frames$frame)
  data$share <- ifelse(data$keys > 0, data$found / data$keys, 0)
  data$label <- ifelse(is.na(data$found), "", ifelse(data$frame == data$other,
    with_commas_each(data$keys),
    paste0(with_commas_each(data$found), "\n", percent_of(data$found, data$keys))
  ))
  data$panel <- factor(many_panels[1L], many_panels)
  data
}

# How many keys which frames have, those of most keys first
many_subsets <- function(look) {
  held <- look$held
  held <- held[order(-held$keys), ]
  rows <- seq_len(NROW(held))
  words <- shortened(subset_words(held$has, look$frames$frame), 28L)
  data.frame(
    x = bars_begin + held$keys[rows], y = -bars_begin - rows,
    label = in_short_lines(paste0(words, rep(": ", length(rows)), with_commas_each(held$keys),
      recycle0 = TRUE
    ), 18L), panel = factor(rep(many_panels[2L], length(rows)), many_panels)
  )
}

# "all 3 frames", "ports alone", "all but ports"
subset_words <- function(has, frames) {
  short <- distinct_short(frames, 12L)
  vapply(has, function(one) {
    out <- short[!frames %in% one]
    one <- short[frames %in% one]
    if (!length(out)) sprintf("all %d frames", length(frames)) else
      if (length(one) == 1L) paste(one, "alone") else
        if (length(out) < length(one)) paste("all but", paste(out, collapse = ", ")) else
          paste(one, collapse = ", ")
  }, "")
}

many_title <- function(look) {
  held <- look$held
  n <- nrow(look$frames)
  if (is.null(held)) {
    return(sprintf("%d frames along a chain of keys", n))
  }
  all_keys <- sum(held$keys)
  if (!all_keys) {
    return("No frame has a key")
  }
  common <- sum(held$keys[held$everywhere])
  sprintf("%s of %s %s in %s", with_commas(common), counted(all_keys, "key"),
    if (common == 1L) "is" else "are", if (n == 2L) "both frames" else sprintf("all %d frames", n)
  )
}
