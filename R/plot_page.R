# What a figure decides when it is drawn: how many lines a title has and how many groups,
# columns or bars fit go by the page that there is.

# A figure that looks at its page. `fit`: function(data, room), the part of the figure's data
# that this page has room for; `left_out`: function(data, shown), what to say of the rest.
on_page <- function(figure, fit = NULL, left_out = NULL) {
  attr(figure, "ronda_page") <- list(fit = fit, left_out = left_out)
  class(figure) <- c("ronda_figure", class(figure))
  figure
}

#' @exportS3Method ggplot2::ggplot_build
ggplot_build.ronda_figure <- function(plot, ...) {
  page <- attr(plot, "ronda_page")
  class(plot) <- setdiff(class(plot), "ronda_figure")
  if (!is.null(page$fit)) {
    all <- plot$data
    plot$data <- page$fit(all, room_of(plot))
    said <- if (!is.null(page$left_out)) page$left_out(all, plot$data)
    subtitle <- paste(c(plot$labels$subtitle, said), collapse = "\n")
    plot <- plot + ggplot2::labs(subtitle = if (nzchar(subtitle)) subtitle)
  }
  built <- ggplot2::ggplot_build(plot)
  class(built) <- c("ronda_built_figure", class(built))
  built
}

#' @exportS3Method ggplot2::ggplot_gtable
ggplot_gtable.ronda_built_figure <- function(data) {
  class(data) <- setdiff(class(data), "ronda_built_figure")
  table <- ggplot2::ggplot_gtable(data)
  for (name in c("title", "subtitle", "xlab-b", "xlab-t")) table <- with_wrapped(table, name)
  table
}

# list(width, height (inches of the page), lines (how many lines of axis text are left
# beside titles, axis and legend))
room_of <- function(plot) {
  size <- page_size()
  inches_of <- function(name) ggplot2::calc_element(name, plot$theme)$size * 1.2 / 72
  # A title, two lines below it, an axis, a legend and margins take about eight lines.
  beside <- 8 * inches_of("text")
  list(width = size[1L], height = size[2L],
    lines = max(3, (size[2L] - beside) / inches_of("axis.text.y"))
  )
}

# Inches of the page; where nothing is drawn on yet, those of save_figure()
page_size <- function() {
  if (grDevices::dev.cur() > 1L) grDevices::dev.size("in") else c(1280, 800) / 130
}

# Text that fits ---------------------------------------------------------------------

# The text of one part of the figure, folded when it is drawn, by the width that it has then
with_wrapped <- function(table, name) {
  at <- which(table$layout$name == name)
  old <- if (length(at)) table$grobs[[at]]
  text <- Filter(function(grob) inherits(grob, "text"), old$children)
  if (length(text) != 1L || !is.character(text[[1L]]$label)) {
    return(table)
  }
  text <- text[[1L]]
  place <- table$layout[at, ]
  columns <- seq.int(place$l, place$r)
  beside <- table$widths[-columns]
  grob <- grid::gTree(
    label = text$label, gp = text$gp, hjust = grid::resolveHJust(text$just, text$hjust),
    beside = if (length(beside)) sum(beside) else grid::unit(0, "pt"),
    # what there is above and below the text
    margin = sum(old$heights[-2L]), above = old$heights[1L],
    cl = "ronda_wrapped"
  )
  table$grobs[[at]] <- grob
  table$heights[place$t] <- grid::grobHeight(grob)
  table
}

# `width` in inches
wrapped_label <- function(grob, width) {
  letters_wide <- function(text) {
    grid::convertWidth(grid::grobWidth(grid::textGrob(text, gp = grob$gp)), "inches", TRUE)
  }
  lines <- strsplit(grob$label, "\n", fixed = TRUE)[[1L]]
  paste(unlist(lapply(lines, fold_line, width, letters_wide)), collapse = "\n")
}

# a line in as many as are needed, folded at blanks, else within words
fold_line <- function(line, width, letters_wide) {
  if (letters_wide(line) <= width) {
    return(line)
  }
  words <- unlist(lapply(strsplit(line, " ", fixed = TRUE)[[1L]], function(word) {
    letters <- nchar(word)
    most <- max(4L, floor(letters * width / max(letters_wide(word), 1e-6)))
    if (letters <= most) word else broken_word(word, most)
  }))
  lines <- character()
  now <- ""
  for (word in words) {
    longer <- if (nzchar(now)) paste(now, word) else word
    if (nzchar(now) && letters_wide(longer) > width) {
      lines <- c(lines, now)
      now <- word
    } else {
      now <- longer
    }
  }
  c(lines, now)
}

#' @rawNamespace S3method(grid::heightDetails, ronda_wrapped)
heightDetails.ronda_wrapped <- function(x) {
  inch <- function(unit) grid::convertWidth(unit, "inches", valueOnly = TRUE)
  width <- inch(grid::unit(1, "npc")) - inch(x$beside)
  label <- wrapped_label(x, width)
  grid::grobHeight(grid::textGrob(label, gp = x$gp)) + x$margin
}

#' @rawNamespace S3method(grid::makeContent, ronda_wrapped)
makeContent.ronda_wrapped <- function(x) {
  width <- grid::convertWidth(grid::unit(1, "npc"), "inches", valueOnly = TRUE)
  text <- grid::textGrob(wrapped_label(x, width),
    x = grid::unit(x$hjust, "npc"), y = grid::unit(1, "npc") - x$above,
    hjust = x$hjust, vjust = 1, gp = x$gp
  )
  grid::setChildren(x, grid::gList(text))
}

# How figures look -------------------------------------------------------------------

# What figures have in common to look at: colours, text that fits, axes.

# Four roles, the same in every figure: what is of the left or the right frame alone, rows
# that are paired, and rows that have no partner. They stay apart in grey and for every kind
# of colour vision, on white and on dark pages; text on a fill has a contrast of at least
# 4.5. `line` is for outlines, links and limits.
figure_colours <- c(
  left = "#3a78b5", right = "#dc9132", paired = "#a3adb8", alone = "#c7364b",
  line = "#7d8794"
)

# what can be read on each of them
figure_inks <- c(
  left = "#ffffff", right = "#1d232b", paired = "#1d232b", alone = "#ffffff"
)

# All texts take their colour from `text`, so that one theme(text = ) changes them all.
figure_theme <- function(size = 13) {
  replaced <- get("%+replace%", asNamespace("ggplot2"))
  text <- ggplot2::element_text
  grid <- ggplot2::element_line(colour = grDevices::adjustcolor(figure_colours[["line"]], 0.25))
  replaced(ggplot2::theme_minimal(base_size = size), ggplot2::theme(
    axis.text = text(size = ggplot2::rel(0.8)), strip.text = text(size = ggplot2::rel(0.8),
      margin = ggplot2::margin(4.4, 4.4, 4.4, 4.4)
    )
  )) +
    ggplot2::theme(
      text = text(colour = "#2f3640"),
      plot.title = text(face = "bold", size = ggplot2::rel(1.1)),
      plot.title.position = "plot",
      plot.subtitle = text(size = ggplot2::rel(0.85)),
      panel.grid.major = grid, panel.grid.minor = ggplot2::element_blank(),
      legend.position = "bottom", strip.clip = "off",
      # The last number of an axis may reach beyond the panel.
      plot.margin = ggplot2::margin(6, 14, 6, 6)
    )
}

# Text of an axis or a strip, in at most two or three lines of so many letters: folded at
# blanks, else after signs of names, else anywhere
in_short_lines <- function(text, width = 16L) {
  vapply(shortened(text, 2L * width), function(one) {
    paste(unlist(lapply(strwrap(one, width + 1L), broken_word, width)), collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

broken_word <- function(word, width) {
  if (nchar(word, "width") <= width) {
    return(word)
  }
  places <- gregexpr("[_.:/-]", substr(word, 1L, width))[[1L]]
  at <- if (max(places) > width %/% 3L) max(places) else width
  c(substr(word, 1L, at), broken_word(substring(word, at + 1L), width))
}

# whole numbers alone, fewer of them where they are long
count_breaks <- function(limits) {
  most <- max(0, limits[is.finite(limits)])
  wanted <- if (most >= 1e5) 2L else if (most >= 1e3) 3L else 4L
  breaks <- pretty(c(0, most), min(wanted, max(1L, most)))
  breaks[breaks == trunc(breaks) & breaks >= 0]
}

count_axis <- function(name, most, ...) {
  ggplot2::scale_x_continuous(name,
    # A bar in which a low page puts several together may be longer.
    limits = function(range) c(0, max(range, most, 1)), breaks = count_breaks,
    labels = with_commas_each, expand = ggplot2::expansion(c(0, 0.06)), ...
  )
}

# Whether a label of so many letters fits on a part of the axis, on the smallest figure
fits_on <- function(label, share) share > nchar(label, "width") * 0.021

# A scale where there is something to scale: ggplot2 warns of one that has no value to show
if_drawn <- function(data, scale) if (nrow(data)) scale

# 1.2M, 40k
short_numbers <- function(x) {
  vapply(x, function(value) {
    if (is.na(value)) {
      ""
    } else if (abs(value) >= 1e6) {
      paste0(format_number(value / 1e6, 3L), "M")
    } else if (abs(value) >= 1e4) {
      paste0(format_number(value / 1e3, 3L), "k")
    } else {
      format_number(value, 3L)
    }
  }, "")
}
