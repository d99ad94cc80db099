#' Draw how far two frames overlap
#'
#' One bar a frame, to scale, cut into matched and unmatched rows, with counts and
#' shares.
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
  ggplot2::ggplot(
    data, ggplot2::aes(xmin = from, xmax = to, ymin = y - 0.3, ymax = y + 0.3)
  ) +
    ggplot2::geom_rect(ggplot2::aes(fill = fill, linetype = part),
      colour = figure_colours[["line"]]
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = (from + to) / 2, y = y, label = label, colour = ink), size = 4
    ) +
    ggplot2::scale_fill_identity(guide = "none") +
    ggplot2::scale_colour_identity(guide = "none") +
    if_drawn(data, ggplot2::scale_linetype_manual(guide = "none",
      values = c(matched = "solid", unmatched = "dashed")
    )) +
    count_axis("rows", max(pairing$sizes)) +
    ggplot2::scale_y_continuous(NULL,
      breaks = c(2, 1), labels = overlap_labels(pairing), limits = c(0.5, 2.5),
      minor_breaks = NULL
    ) +
    figure_theme()
}

# what each bar is, and how many of its rows are which
overlap_labels <- function(pairing) {
  matched <- c(pairing$counts$matched_left, pairing$counts$matched_right)
  parts <- cbind(matched, pairing$sizes - matched)
  vapply(1:2, function(k) {
    lines <- sprintf("%s %s (%s)", with_commas_each(parts[k, ]),
      c("matched", "unmatched"), percent_of(parts[k, ], pairing$sizes[k])
    )
    paste(c(in_short_lines(pairing$labels[k], 18L), counted(pairing$sizes[k], "row"),
      lines[parts[k, ] > 0]
    ), collapse = "\n")
  }, "")
}

overlap_data <- function(pairing) {
  counts <- pairing$counts
  matched <- c(counts$matched_left, counts$matched_right)
  rows <- as.numeric(rbind(matched, pairing$sizes - matched))
  from <- as.numeric(rbind(0, matched))
  part <- rep(c("matched", "unmatched"), 2L)
  fill <- c("left", "none", "right", "none")
  data <- data.frame(
    frame = rep(pairing$labels, each = 2L), part = part, rows = rows,
    share = percent_of(rows, rep(pairing$sizes, each = 2L)),
    from = from, to = from + rows, y = rep(c(2, 1), each = 2L),
    fill = figure_colours[fill], ink = figure_inks[fill],
    label = ifelse(fits_on(part, rows / max(pairing$sizes, 1)), part, "")
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

register_figure("overlap",
  data = overlap_data, draw = draw_overlap, title = overlap_title,
  says = function(pairing, data) {
    paste0(sprintf("%s: %s of %s rows %s (%s)", data$frame, with_commas_each(data$rows),
      with_commas_each(pairing$sizes[3 - data$y]), data$part, data$share
    ), collapse = "; ") |> paste0(".")
  }
)

# Of many frames ---------------------------------------------------------------------

#' Draw which keys several frames share
#'
#' A table of tiles, a row and a column for each frame: how many different keys of the
#' row's frame the column's frame has, and their share.
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
  data <- look$shared
  short <- distinct_short(look$frames$frame, 24L)
  data$x <- match(data$other, look$frames$frame)
  data$y <- match(data$frame, look$frames$frame)
  data$share <- ifelse(data$keys > 0, data$found / data$keys, 0)
  own <- data$frame == data$other
  data$label <- ifelse(is.na(data$found), "", ifelse(own, with_commas_each(data$keys),
    paste0(with_commas_each(data$found), "\n", percent_of(data$found, data$keys))
  ))
  data$kind <- ifelse(own, "paired", ifelse(is.na(data$share), "none",
    ifelse(data$share > 0.66, "left", ifelse(data$share > 0, "left_alone", "none"))
  ))
  drawn <- ggplot2::ggplot(data, ggplot2::aes(x = x, y = y)) +
    ggplot2::geom_tile(fill = figure_colours[data$kind], width = 0.94, height = 0.9,
      colour = figure_colours[["line"]]
    ) +
    ggplot2::geom_text(ggplot2::aes(label = label), colour = figure_inks[data$kind],
      size = if (length(short) > 8L) 2.2 else 3.4, lineheight = 0.9
    ) +
    ggplot2::scale_x_continuous("are in", breaks = seq_along(short),
      labels = in_short_lines(short, max(8L, 66L %/% length(short))), minor_breaks = NULL,
      position = "top",
      guide = ggplot2::guide_axis(angle = if (length(short) > 6L) 45 else 0)
    ) +
    ggplot2::scale_y_reverse("keys of", breaks = seq_along(short),
      labels = in_short_lines(short, 18L), minor_breaks = NULL
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank())
  figure_of(drawn, many_title(look),
    paste("Each tile: keys of the row's frame that the column's frame has, too.",
      "Dark: all keys of the frame itself."
    ),
    paste0("Found: ", paste0(data$frame, " in ", data$other, " ", data$found, " of ",
      data$keys, collapse = "; ", recycle0 = TRUE
    ), ".")
  )
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
