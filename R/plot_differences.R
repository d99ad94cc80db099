#' @rdname plot.ronda_pairing
#' @export
plot_differences <- function(pairing, other = NULL, on = NULL) {
  call <- quote(plot_differences())
  code <- frame_code(substitute(pairing), substitute(other))
  draw_figure("differences", pairing_given(pairing, other, on, call, code), call)
}

difference_kinds <- c(
  equal = "equal", differ = "differ", missing_left = "missing in %s",
  missing_right = "missing in %s"
)

draw_differences <- function(pairing, seen) {
  data <- seen$data
  kinds <- difference_kinds
  kinds[3:4] <- sprintf(kinds[3:4], pairing$labels)
  fills <- c(
    equal = "none", differ = "paired", missing_left = "right_alone",
    missing_right = "left_alone"
  )
  kinds <- kinds[names(kinds) %in% data$kind]
  few <- sum(nchar(kinds, "width")) < 55L
  ggplot2::ggplot(data) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = from, xmax = to, ymin = y - 0.36, ymax = y + 0.36, fill = kind),
      colour = figure_colours[["line"]]
    ) +
    if_drawn(data, ggplot2::scale_fill_manual(NULL,
      values = structure(figure_colours[fills], names = names(fills)),
      labels = kinds, breaks = names(kinds),
      guide = ggplot2::guide_legend(ncol = if (!few) 2L)
    )) +
    count_axis("pairs", max(pairing$counts$pairs)) +
    ggplot2::scale_y_continuous(NULL,
      breaks = seen$columns$y, labels = in_short_lines(seen$columns$column, 18L),
      minor_breaks = NULL,
      sec.axis = ggplot2::dup_axis(labels = seen$columns$words, name = NULL)
    ) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

most_columns_drawn <- 10L

# list(data (from, to of each kind of each column), columns (the ones drawn, most unequal
# first), left_out, found)
differences_data <- function(pairing) {
  shared <- shared_columns(pairing)
  found <- find_differences(pairing, list(left = shared, right = shared), 0)
  counts <- found$counts
  unequal <- lengths(found$cells)
  top <- utils::head(order(-unequal), most_columns_drawn)
  columns <- data.frame(
    column = counts$column[top], y = rev(seq_along(top)), unequal = unequal[top],
    words = vapply(top, unequal_words, "", found = found)
  )
  kinds <- names(difference_kinds)
  data <- do.call(rbind, lapply(seq_along(top), function(k) {
    rows <- as.numeric(counts[top[k], kinds])
    to <- cumsum(rows)
    data.frame(column = columns$column[k], kind = kinds, rows = rows, from = to - rows,
      to = to, y = columns$y[k]
    )
  }))
  list(
    data = data[data$rows > 0, ], columns = columns, left_out = length(unequal) - length(top),
    found = found
  )
}

# "5 differ, by 20 at the median" of one column
unequal_words <- function(found, k) {
  n <- lengths(found$cells)[[k]]
  if (!n) {
    return("all equal")
  }
  paste(c(sprintf("%s not equal", with_commas(n)), unequal_size(found, k)), collapse = "\n")
}

# by how much numbers and times differ
unequal_size <- function(found, k) {
  left <- .subset2(found$pairing$left, found$counts$column[k])
  right <- .subset2(found$pairing$right, found$right[k])
  type <- type_of(left)
  if (!isTRUE(type$measured) || !types_match(left, right)) {
    return(NULL)
  }
  cells <- found$cells[[k]]
  both <- measured_numbers(list(
    gather_(left, found$pairs$left[cells]), gather_(right, found$pairs$right[cells])
  ))
  apart <- abs(both$values[[1L]] - both$values[[2L]])
  apart <- apart[is.finite(apart)]
  if (length(apart)) sprintf("by %s (median)", distance_words(stats::median(apart), both$scale))
}

differences_title <- function(pairing, seen) {
  if (!pairing$counts$pairs) "No pair to compare" else {
    sub("[.]$", "", difference_title(seen$found)[1L])
  }
}

differences_subtitle <- function(pairing, seen) {
  c(
    paste0(account_line(pairing), "."),
    if (seen$left_out) {
      sprintf("Not drawn: %s with fewer differences, or none.", counted(seen$left_out, "column"))
    }
  )
}

register_figure("differences",
  data = differences_data, draw = draw_differences, title = differences_title,
  subtitle = differences_subtitle,
  lacks = function(pairing) {
    if (!length(shared_columns(pairing))) {
      return("A figure of differences needs a column that both frames have and that is not a key.")
    }
    if (too_many_to_compare(pairing)) too_many_words(pairing)
  },
  says = function(pairing, seen) {
    sprintf("By column: %s.", paste0(seen$columns$column, ": ",
      gsub("\n", ", ", seen$columns$words), collapse = "; "
    ))
  }
)
