#' Draw what each of `rows` keeps
#'
#' A sheet to choose a join type from: two tiny frames, and the result of each
#' of the seven, drawn by joining them. Matched rows are grey, unmatched ones red, marked x
#' where they are left ones and + where they are right ones; cells without a value are dots.
#'
#' @return A ggplot. Its data has one row for each cell: `panel`, `row`,
#'   `column`, `label`, `kind`.
#' @section Errors: `ronda_error_argument` when ggplot2 isn't installed.
#' @seealso `vignette("choosing-rows")`.
#' @examples
#' plot_rows_guide()
#' @export
plot_rows_guide <- function() {
  need_packages("ggplot2", "A figure", quote(plot_rows_guide()))
  data <- guide_data()
  role <- c(head = "paired", matched = "paired", left = "alone", right = "alone",
    absent = "paired"
  )[data$kind]
  # Heads are the same grey, lighter; what has no value is empty, with a dot.
  plain <- ifelse(data$kind == "head", "#ccd3db", NA)
  drawn <- ggplot2::ggplot(data, ggplot2::aes(x = x, y = row)) +
    ggplot2::geom_tile(
      fill = ifelse(data$kind %in% c("head", "absent"), plain, figure_colours[role]),
      colour = figure_colours[["line"]], width = 0.94, height = 0.86, linewidth = 0.3
    ) +
    ggplot2::geom_text(
      ggplot2::aes(label = label), size = 2.7,
      colour = ifelse(data$kind == "absent", figure_colours[["line"]], figure_inks[role]),
      fontface = ifelse(data$row == 0L, "bold", "plain")
    ) +
    ggplot2::facet_wrap(~panel, nrow = 2L) +
    ggplot2::scale_x_continuous(NULL, breaks = NULL) +
    ggplot2::scale_y_reverse(NULL, breaks = NULL) +
    figure_theme(11) +
    ggplot2::theme(
      strip.text = ggplot2::element_text(face = "bold", hjust = 0),
      panel.spacing = ggplot2::unit(10, "pt")
    )
  figure_of(drawn, "What each of `rows` keeps", c(
    "Grey: matched rows. Red: unmatched ones, x of the left frame, + of the right one.",
    "Dot: no value."
  ), guide_says(data))
}

guide_says <- function(data) {
  panels <- tapply(data$row, data$panel, max)
  sprintf("Rows: %s.", paste0(sub(":.*", "", names(panels)), " ", panels, collapse = ", "))
}

guide_frames <- function() {
  list(
    left = data.frame(key = c("A", "B", "C"), km = c("10", "20", "30")),
    right = data.frame(key = c("B", "B", "D"), fare = c("7", "8", "9"))
  )
}

guide_data <- function() {
  frames <- guide_frames()
  pairing <- pair_rows(frames$left, frames$right, on = "key")
  counts <- counts_by_type(pairing)
  result <- function(rows) {
    row_map <- result_rows(pairing, rows)
    columns <- if (row_types[[rows]]$one_sided) 1:2 else 1:3
    guide_cells(row_map, frames, columns,
      sprintf("%s: %s", rows, counted(counts$result_rows[counts$rows == rows], "row"))
    )
  }
  own <- list(
    guide_own(frames$left, is_matched(pairing$matches, "left"), "left", "left frame"),
    guide_own(frames$right, is_matched(pairing$matches, "right"), "right",
      "right frame"
    )
  )
  data <- do.call(rbind, c(own, lapply(names(row_types), result)))
  data$panel <- factor(data$panel, unique(data$panel))
  data
}

guide_own <- function(frame, matched, side, panel) {
  guide_rows(panel, names(frame), frame,
    ifelse(matched, "matched", side)
  )
}

guide_cells <- function(row_map, frames, columns, panel) {
  left <- if (is.null(row_map$left)) seq_len(row_map$n) else row_map$left
  right <- if (is.null(row_map$right)) integer(row_map$n) else row_map$right
  pick <- function(values, rows) c(NA, values)[rows + 1L]
  key <- pick(frames$left$key, left)
  key[left == 0L] <- frames$right$key[right[left == 0L]]
  cells <- data.frame(
    key = key, km = pick(frames$left$km, left),
    fare = pick(frames$right$fare, right)
  )[columns]
  kind <- ifelse(left == 0L, "right", ifelse(left == 2L, "matched", "left"))
  guide_rows(panel, names(cells), cells, kind)
}

# One row of data for each cell, and one for each column's head
guide_rows <- function(panel, columns, cells, kind) {
  mark <- c(matched = "", left = " x", right = " +")[kind]
  cells[[1L]] <- paste0(cells[[1L]], mark)
  body <- do.call(rbind, lapply(seq_along(columns), function(k) {
    value <- cells[[k]]
    data.frame(
      panel = panel, row = seq_along(kind), x = k, column = columns[k],
      label = ifelse(is.na(value), "\u00b7", value),
      kind = ifelse(is.na(value), "absent", kind)
    )
  }))
  head <- data.frame(
    panel = panel, row = 0L, x = seq_along(columns), column = columns,
    label = columns, kind = "head"
  )
  rbind(head, body)
}

# What each `rows` keeps -------------------------------------------------------------

#' @rdname plot.ronda_pairing
#' @export
plot_join_types <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_join_types())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("join_types", pairing_given(pairing, other, on, call, code), call)
}

draw_join_types <- function(pairing, data) {
  totals <- join_type_totals(pairing)
  ggplot2::ggplot(data) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = from, xmax = to, ymin = y - 0.34, ymax = y + 0.34, fill = part),
      colour = figure_colours[["line"]], linewidth = 0.3
    ) +
    # What is on which side is marked as in the guide: x and +.
    ggplot2::geom_text(
      ggplot2::aes(x = (from + to) / 2, y = y, label = label, colour = part), size = 3.4
    ) +
    if_drawn(data, ggplot2::scale_fill_manual(NULL,
      values = structure(figure_colours[join_part_roles], names = names(join_part_roles)),
      breaks = c("paired", "left_alone"), labels = c("paired (semi: left rows)", "unmatched")
    )) +
    if_drawn(data, ggplot2::scale_colour_manual(guide = "none",
      values = structure(figure_inks[join_part_roles], names = names(join_part_roles))
    )) +
    count_axis("rows of the result", max(totals$result_rows)) +
    ggplot2::scale_y_continuous(NULL,
      breaks = totals$y, labels = totals$rows, minor_breaks = NULL,
      limits = c(0.5, nrow(totals) + 0.5),
      # totals are placed beside the panel, where nothing can cut them
      sec.axis = ggplot2::dup_axis(
        labels = with_commas_each(totals$result_rows), name = NULL
      )
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

join_part_roles <- c(paired = "paired", left_alone = "alone", right_alone = "alone")

join_type_subtitle <- function(pairing, data) {
  paste0(account_line(pairing), ".", if (any(data$part != "paired")) {
    sprintf(" x: unmatched rows of %s, +: of %s.", pairing$labels[1L], pairing$labels[2L])
  })
}

join_type_totals <- function(pairing) {
  totals <- counts_by_type(pairing)
  totals$y <- rev(seq_len(nrow(totals)))
  totals
}

join_type_data <- function(pairing) {
  totals <- join_type_totals(pairing)
  parts <- c("paired", "left_alone", "right_alone")
  data <- do.call(rbind, lapply(seq_len(nrow(totals)), function(k) {
    rows <- as.numeric(totals[k, parts])
    to <- cumsum(rows)
    data.frame(
      rows = totals$rows[k], part = parts, count = rows, from = to - rows,
      to = to, y = totals$y[k]
    )
  }))
  data <- data[data$count > 0, ]
  mark <- c(paired = "", left_alone = " x", right_alone = " +")[data$part]
  label <- paste0(with_commas_each(data$count), mark, recycle0 = TRUE)
  fits <- fits_on(label, data$count / max(totals$result_rows, 1))
  small <- fits_on(mark, data$count / max(totals$result_rows, 1))
  data$label <- ifelse(fits, label, ifelse(small, trimws(mark), ""))
  data
}

join_type_title <- function(pairing, data) {
  if (any(pairing$sizes == 0L)) {
    return(overlap_title(pairing))
  }
  totals <- counts_by_type(pairing)
  rows <- structure(totals$result_rows, names = totals$rows)
  lost <- rows[["anti"]]
  sizes <- pairing$sizes
  if (rows[["left"]] >= 1.05 * sizes[1L]) {
    return(sprintf("%s become %s (%s)", counted(sizes[1L], "row"), with_commas(rows[["left"]]),
      times_words(rows[["left"]] / sizes[1L])
    ))
  }
  sprintf("A left join gives %s; an inner join %s",
    counted(rows[["left"]], "row"),
    if (rows[["inner"]] == 0) {
      "none"
    } else if (lost == 0) {
      "loses no left row"
    } else {
      sprintf("drops %s", counted(lost, "left row"))
    }
  )
}

# "x277", "x1.4"
times_words <- function(times) {
  paste0("\u00d7", if (times >= 10) with_commas(round(times)) else format_number(round(times, 1L)))
}

register_figure("join_types",
  data = join_type_data, draw = draw_join_types, title = join_type_title,
  subtitle = join_type_subtitle,
  says = function(pairing, data) {
    totals <- counts_by_type(pairing)
    sprintf("Rows: %s.", paste(totals$rows, with_commas_each(totals$result_rows),
      collapse = ", "
    ))
  }
)
