# Figures measured: where each text stands, on a device that draws nothing.

# 640 x 400 pixels at 96 an inch, 1280 x 800 and 1920 x 1200 at 130
figure_sizes <- list(
  small = c(640, 400) / 96, large = c(1280, 800) / 130, wide = c(1920, 1200) / 130
)

# One line for each text of a figure: `label`, its box in inches and its `colour`
text_boxes <- function(figure, size) {
  grDevices::pdf(NULL, width = size[1L], height = size[2L])
  on.exit(grDevices::dev.off())
  # (this device has not the letters of all languages, and says so of each)
  suppressWarnings(boxes_on_page(figure))
}

boxes_on_page <- function(figure) {
  drawn <- grid::grid.force(ggplot2::ggplotGrob(figure))
  grid::grid.draw(drawn)
  tree <- grid::grid.ls(drawn, viewports = TRUE, print = FALSE)
  places <- sub("^ROOT(::)?", "", tree$vpPath[grepl("(grob|gTree)Listing", tree$type)])
  grobs <- grobs_within(drawn)
  texts <- which(vapply(grobs, inherits, NA, "text"))
  boxes <- lapply(texts, function(k) {
    grid::upViewport(0L)
    if (nzchar(places[k])) grid::downViewport(places[k])
    box_of_labels(grobs[[k]])
  })
  boxes <- do.call(rbind, boxes)
  boxes[nzchar(boxes$label), ]
}

# the labels alone, which need no page
text_labels <- function(figure) {
  grobs <- grobs_within(grid::grid.force(ggplot2::ggplotGrob(figure)))
  texts <- Filter(function(grob) inherits(grob, "text"), grobs)
  labels <- unlist(lapply(texts, function(grob) as.character(grob$label)))
  unique(labels[nzchar(labels)])
}

# a grob and all within it, in the order in which grid lists them
grobs_within <- function(grob) {
  children <- if (inherits(grob, "gTree")) unname(grob$children[grob$childrenOrder])
  c(list(grob), unlist(lapply(children, grobs_within), recursive = FALSE))
}

box_of_labels <- function(grob) {
  labels <- as.character(grob$label)
  inch <- function(x) grid::convertUnit(x, "inches", valueOnly = TRUE)
  pick <- function(x) rep_len(x, length(labels))
  font <- function(k) {
    gp <- grob$gp
    for (name in names(gp)) gp[[name]] <- rep_len(gp[[name]], length(labels))[k]
    gp
  }
  sizes <- vapply(seq_along(labels), function(k) {
    one <- grid::textGrob(labels[k], gp = font(k))
    c(inch(grid::grobWidth(one)), inch(grid::grobHeight(one)))
  }, numeric(2L))
  rot <- pick(grob$rot)
  turned <- rot %% 180 == 90
  across <- ifelse(turned, sizes[2L, ], sizes[1L, ])
  up <- ifelse(turned, sizes[1L, ], sizes[2L, ])
  just <- function(just, word) {
    if (!is.null(just)) {
      return(pick(just))
    }
    at <- grid::valid.just(grob$just)
    pick(at[if (word == "h") 1L else 2L])
  }
  h <- just(grob$hjust, "h")
  v <- just(grob$vjust, "v")
  at <- grid::deviceLoc(rep(grob$x, length.out = length(labels)),
    rep(grob$y, length.out = length(labels))
  )
  x <- inch(at$x) - ifelse(turned, 1 - v, h) * across
  y <- inch(at$y) - ifelse(turned, h, v) * up
  data.frame(label = labels, left = x, right = x + across, bottom = y, top = y + up,
    colour = tolower(pick(if (is.null(grob$gp$col)) "black" else grob$gp$col))
  )
}

# Texts that are cut by the edge of the page, or that overlap another one
faulty_texts <- function(figure, size, boxes = text_boxes(figure, size)) {
  slack <- 0.02
  cut <- boxes$left < -slack | boxes$right > size[1L] + slack | boxes$bottom < -slack |
    boxes$top > size[2L] + slack
  pairs <- utils::combn(nrow(boxes), 2L)
  a <- boxes[pairs[1L, ], ]
  b <- boxes[pairs[2L, ], ]
  meet <- pmin(a$right, b$right) - pmax(a$left, b$left) > slack &
    pmin(a$top, b$top) - pmax(a$bottom, b$bottom) > slack
  c(
    sprintf("cut: %s", boxes$label[cut]),
    sprintf("%s on %s", a$label[meet], b$label[meet])
  )
}

# What is wrong with the figures of a generated case: warnings, and counts that the built
# figure draws otherwise than they are
faulty_figures <- function(case) {
  pairing <- suppressWarnings(tryCatch(pair_spec(case, case$spec), ronda_error = identity))
  if (inherits(pairing, "error")) {
    return(character())
  }
  warned <- character()
  built <- lapply(stats::setNames(nm = ronda:::figures_for(pairing)), function(view) {
    withCallingHandlers(ggplot2::ggplot_build(plot(pairing, view = view))$data,
      warning = function(w) warned <<- c(warned, paste(view, "warns:", conditionMessage(w)))
    )
  })
  types <- c("inner", "left", "right", "full", "semi", "anti", "unmatched")
  made <- tryCatch(
    list(
      pairs = build_frame(pairing, "inner", row_numbers = c("l", "r")),
      totals = vapply(types, function(rows) nrow(build_frame(pairing, rows)), 1L)
    ),
    # a key or gap that no column can hold
    ronda_error_type = function(e) NULL
  )
  if (is.null(made)) {
    return(warned)
  }
  pairs <- made$pairs
  alone <- c(nrow(pairing$left) - length(unique(pairs$l)),
    nrow(pairing$right) - length(unique(pairs$r))
  )
  widths <- function(data) sum(data$xmax - data$xmin)
  counted <- c(
    join_types = widths(built$join_types[[1L]]) == sum(made$totals),
    reasons = sum(built$reasons[[1L]]$x) == sum(alone),
    repeats = sum(built$repeats[[1L]]$x) == sum(pairing$sizes),
    pairs = sum(built$repeats[[2L]]$x) == 2 * nrow(pairs),
    overlap = sum(plot_overlap(pairing)$data$rows) == sum(pairing$sizes)
  )
  c(warned, sprintf("%s does not count all rows", names(counted)[!counted]))
}

# pairings with data that figures break on
hard_pairings <- function() {
  set.seed(24)
  long <- "a_name_of_fifty_letters_that_never_comes_to_an_end"
  key <- "a_key_of_fifty_letters_that_never_comes_to_an_end"
  n <- 20000L
  times <- function(n, most) as.POSIXct("2031-01-01", tz = "UTC") + stats::runif(n, 0, most)
  named <- lapply(list(c(1, 2, 3, 4, 5), c(1, 1, 9)), function(k) {
    stats::setNames(data.frame(k, seq_along(k)), c(key, "t"))
  })
  groups <- function(n, most) {
    data.frame(port = paste("Port number", sample(most, n, TRUE)), at = stats::runif(n, 0, 100))
  }
  list(
    large = pair_rows(data.frame(k = sample.int(n), v = 1),
      data.frame(k = n %/% 10L + seq_len(n), v = 2), on = "k"
    ),
    none = pair_rows(data.frame(k = 1:1000), data.frame(k = 2000:2500), on = "k"),
    all = pair_rows(data.frame(k = 1:1000), data.frame(k = 1:1000), on = "k"),
    no_left = pair_rows(sailings[0, ], vessels, on = c(vessel = "code")),
    no_rows = pair_rows(sailings[0, ], tide_readings[0, ],
      on = list("port", nearest("departs", "read_at"))
    ),
    names = pair_rows(named[[1L]], named[[2L]], on = key,
      sides = c(long, sub("^a", "b", long))
    ),
    groups = pair_rows(groups(3000, 200), groups(3000, 190),
      on = list("port", nearest("at", within = 0.5))
    ),
    many_to_many = pair_rows(data.frame(k = rep(1:10, 32)), data.frame(k = rep(1:10, 313)),
      on = "k", expect = "rows-multiply"
    ),
    windows = pair_rows(data.frame(t = stats::runif(2000, 0, 100)),
      data.frame(t = stats::runif(20000, 0, 100)),
      on = around("t", before = 2, after = 3), max_rows = 1e8, expect = "rows-multiply"
    ),
    decades = pair_rows(data.frame(t = times(100, 3e8)),
      data.frame(t = as.POSIXct("2031-01-01", tz = "UTC") + 10^stats::runif(300, 0, 9)),
      on = nearest("t")
    ),
    week = pair_rows(data.frame(t = times(100, 7 * 86400) + 120 * 86400),
      data.frame(t = times(20000, 365 * 86400)), on = nearest("t", within = "2 mins")
    ),
    durations = pair_rows(data.frame(d = as.difftime(c(1, 2, 3), units = "hours")),
      data.frame(d = as.difftime(c(30, 100, 170), units = "mins")), on = nearest("d")
    ),
    one_row = pair_rows(data.frame(k = 1, t = 5), data.frame(k = 1, t = 5),
      on = list("k", nearest("t", within = 1))
    ),
    minute = pair_rows(data.frame(t = times(12, 60)), data.frame(t = times(20, 60)),
      on = nearest("t", within = 1)
    ),
    heavy = pair_rows(data.frame(k = 1:3000, v = 1),
      data.frame(k = rep(1:12, 2^(0:11)), v = 2), on = "k"
    ),
    columns = local({
      wide <- stats::setNames(as.data.frame(matrix(1:6000, 100L)), sprintf("column_%02d", 1:60))
      changed <- wide
      for (k in 1:45) changed[sample(100L, k), k] <- NA
      for (k in 1:30) changed[sample(100L, k), k] <- -1L
      wide$id <- changed$id <- 1:100
      pair_rows(wide, changed, on = "id")
    }),
    accents = pair_rows(
      data.frame(port = rep(c("\u00c9tang \u6e2f\u53e3", "\u6e2f"), 30), t = 1:60),
      data.frame(port = "\u00c9tang \u6e2f\u53e3", t = 1:40), on = list("port", nearest("t"))
    ),
    intervals = pair_rows(bookings, closures, expect = "rows-multiply", on = list("port",
      overlap("booked_from", "booked_to", "closed_from", "closed_to")
    )),
    in_turn = pair_rows(boardings, card_holders, on = in_turn("card", list("name")))
  )
}

# Reports without the drawing of their figures, for those who look at their other parts:
# drawing is most of a report's time
local_reports_without_drawing <- function(frame = parent.frame()) {
  local_function("page_svg", function(figure, number, height) "", frame = frame)
}
