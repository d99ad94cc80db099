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
