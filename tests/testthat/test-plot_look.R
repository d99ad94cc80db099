vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
tide <- pair_rows(sailings, tide_readings, on = list(
  "port", nearest("departs", "read_at", within = "15 mins")
))
hard <- hard_pairings()

dark <- ggplot2::theme(text = ggplot2::element_text(colour = "#e3e7ec"),
  plot.background = ggplot2::element_rect(fill = "#14181d")
)

# figures of counts, and the pairings for which they are hard to draw; those of others are
# like them
count_views <- c("overlap", "join_types", "reasons", "repeats", "folds")
hard_counts <- c("none", "no_rows", "names", "many_to_many", "heavy", "accents", "keys")

# Each of them once: two in three on the smallest page, dark, the others on larger ones, light
test_that("no text of any figure is cut or stands on another, on hard data and three pages", {
  skip_on_cran()
  all <- c(hard, list(demo = tide, keys = vessel))
  turn <- 0L
  for (name in names(all)) {
    for (view in ronda:::figures_for(all[[name]])) {
      figure <- plot(all[[name]], view = view)
      expect_false(grepl("\\b0 have|All 0|NA\\b", figure$labels$title))
      if (view %in% count_views && !name %in% hard_counts) next
      turn <- turn + 1L
      size <- c("small", "small", "large", "small", "small", "wide")[turn %% 6L + 1L]
      boxes <- text_boxes(if (size == "small") figure + dark else figure, figure_sizes[[size]])
      expect_identical(faulty_texts(figure, figure_sizes[[size]], boxes), character(),
        label = paste(name, view, size)
      )
      # no text has a part that is empty
      expect_identical(grep("^[[:space:]]*[:,;.]|[:,] *$|\\bNA\\b", boxes$label, value = TRUE),
        character(),
        label = paste("texts with nothing in them of", name, view)
      )
      if (size != "small") next
      # theme(text = ) sets the colour of all texts but those on filled shapes
      inks <- c("#e3e7ec", ronda:::figure_inks)
      expect_identical(boxes$label[!boxes$colour %in% inks], character(),
        label = paste("texts that no theme colours in", name, view)
      )
    }
  }
})

test_that("figures of other things fit their pages, too", {
  skip_on_cran()
  frames <- stats::setNames(lapply(1:12, function(k) data.frame(port = c(k, 20:(40 - k)))),
    sprintf("a_frame_of_a_long_name_%d", 1:12)
  )
  parts <- data.frame(part = sprintf("part-%05d", 1:60), left_rows = 1e6 + 1:60, right_rows = 1e5,
    result_rows = 1e6, seconds = (60:1) / 7
  )
  joins <- with_ledger({
    for (k in 1:30) join_frames(sailings, crew_shifts, on = "vessel", expect = "rows-multiply")
    ledger()
  })
  figures <- list(guide = plot_rows_guide(), many = plot_many(frames, on = "port"),
    few = plot_many(list(sailings = sailings, ports = ports), on = "port"),
    parts = ronda:::plot_parts(parts), ledger = plot(ledger()),
    diagnosis = plot(diagnose(sailings, vessels, on = c(vessel = "code")))
  )
  for (name in names(figures)) {
    for (size in c("small", if (name %in% c("many", "parts", "ledger")) "wide")) {
      expect_identical(faulty_texts(figures[[name]], figure_sizes[[size]]), character(),
        label = paste(name, size)
      )
    }
  }
})

test_that("a larger page shows more, and says what it leaves out", {
  shown <- function(figure, size) {
    grDevices::pdf(NULL, width = size[1L], height = size[2L])
    on.exit(grDevices::dev.off())
    built <- ggplot2::ggplot_build(figure)
    list(y = sort(unique(built$data[[length(built$data)]]$y)), plot = built$plot)
  }
  figure <- plot_differences(hard$columns)
  columns <- lapply(figure_sizes, function(size) shown(figure, size))
  counts <- vapply(columns, function(one) nlevels(droplevels(one$plot$data$column)), 1L)
  expect_true(all(diff(counts) > 5) && counts[["large"]] >= 30L)
  for (size in names(counts)[counts < 60L]) {
    expect_match(columns[[size]]$plot$labels$subtitle,
      sprintf("Not drawn: %d columns", 60L - counts[[size]])
    )
  }
  # the shares are those of the data, counted here
  data <- figure$data
  wrong <- vapply(levels(data$column), function(name) {
    sum(is.na(hard$columns$right[[name]]))
  }, 1L)
  drawn <- data[data$kind == "missing_right", ]
  expect_equal(drawn$rows, wrong[as.character(drawn$column)], ignore_attr = TRUE)
  expect_equal(drawn$share, drawn$rows / 100)
  expect_false(is.unsorted(tapply(data$rows, data$column, sum)))
  # keys of a timeline: the worst first, and all rows in some line
  strip <- plot_timeline(hard$groups)
  few <- shown(strip, figure_sizes$small)$plot$data
  many <- shown(strip, figure_sizes$wide)$plot$data
  expect_lt(nlevels(few$group), nlevels(many$group))
  for (data in list(few, many, strip$data)) {
    expect_identical(sum(data$rows), 3000L)
    expect_identical(sum(data$matched), as.integer(hard$groups$counts$matched_left))
  }
  expect_match(levels(few$group)[1L], "other keys: ")
})

test_that("how far columns differ is said of what has distances", {
  old <- data.frame(id = 1:6, km = c(1, 2, 3, 4, 5, 6), port = letters[1:6],
    at = as.POSIXct("2031-05-01", tz = "UTC") + 0:5, same = 1, day = as.Date("2031-05-01") + 0:5,
    took = as.difftime(1:6, units = "mins")
  )
  old$code <- bit64::as.integer64("9007199254740993") + 0:5
  new <- transform(old, km = km + c(0, 1, 5, 0.5, 0, NA), port = rev(port), at = at + c(60, 0),
    day = day + c(0, 2, 3), took = as.difftime(c(60, 150, 180, 240, 300, 360), units = "secs")
  )
  new$code <- old$code + c(0L, 1L)
  words <- unique(plot_differences(pair_rows(old, new, on = "id"))$data[c("column", "words")])
  expect_equal(gsub("\n", " ", words$words[match(names(old)[-1L], words$column)]), c(
    "km: 4 not equal, by 1 (median)", "port: 6 not equal", "at: 3 not equal, by 1 min (median)",
    "same: all equal", "day: 4 not equal, by 2.5 days (median)",
    "took: 1 not equal, by 30 secs (median)", "code: 3 not equal, by 1 (median)"
  ))
})

test_that("what a low page puts together still adds up, and is drawn", {
  keys <- sprintf("Gull-%03d", 1:60)
  harmed <- keys
  harmed[1:5] <- tolower(keys[1:5])
  harmed[6:9] <- paste0(keys[6:9], " ")
  harmed[10:18] <- sub("-", "", keys[10:18])
  harmed[19:20] <- sub("0", "O", keys[19:20])
  harmed[21:28] <- paste0("Q", 21:28 * 97)
  harmed[29:31] <- NA
  many <- rep(keys, c(rep(1, 48), 2^(0:11)))
  for (case in list(
    list(view = "reasons", right = keys), list(view = "repeats", right = many)
  )) {
    pairing <- pair_rows(data.frame(k = harmed), data.frame(k = case$right, v = 1), on = "k")
    figure <- plot(pairing, view = case$view)
    all <- sum(figure$data$rows)
    before <- Inf
    for (height in c(8, 4, 1.6)) {
      grDevices::pdf(NULL, width = 6.6, height = height)
      built <- expect_silent(ggplot2::ggplot_build(figure))
      grDevices::dev.off()
      expect_equal(sum(built$plot$data$rows), all)
      expect_equal(sum(built$data[[1L]]$x), all)
      expect_lte(nrow(built$plot$data), before)
      before <- nrow(built$plot$data)
    }
    expect_lt(before, nrow(figure$data))
  }
})

test_that("titles fold when they are drawn, by the width that there is", {
  lines <- vapply(figure_sizes, function(size) {
    boxes <- text_boxes(plot_overlap(hard$names), size)
    lengths(strsplit(boxes$label[grepl("have a partner", boxes$label)], "\n"))
  }, 1L)
  expect_identical(lines[["wide"]], 1L)
  expect_gt(lines[["small"]], 1L)
  # a title that the analyst gives, in letters of any size
  figure <- plot_overlap(vessel) + ggplot2::labs(title = strrep("a long title ", 20)) +
    ggplot2::theme(plot.title = ggplot2::element_text(size = 22))
  expect_identical(faulty_texts(figure, figure_sizes$large), character())
})

test_that("counts have ticks at whole numbers alone", {
  for (most in c(0, 1, 2, 3, 7, 99, 1234, 1e6, 3e8)) {
    breaks <- ronda:::count_breaks(c(0, most))
    expect_true(all(breaks == trunc(breaks)) && length(breaks) >= 1L && length(breaks) <= 8L)
    expect_gte(max(breaks), most * 0.6)
  }
})

linear <- function(colour) {
  part <- grDevices::col2rgb(colour)[, 1L] / 255
  ifelse(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055)^2.4)
}

contrast <- function(a, b) {
  light <- sort(vapply(list(a, b), function(x) sum(c(0.2126, 0.7152, 0.0722) * linear(x)), 0))
  (light[2L] + 0.05) / (light[1L] + 0.05)
}

# What eyes that lack one kind of cone see (Machado, Oliveira and Fernandes, 2009), in Lab
colour_seen <- function(colour, kind) {
  matrices <- list(
    all = diag(3),
    red = rbind(c(0.152286, 1.052583, -0.204868), c(0.114503, 0.786281, 0.099216),
      c(-0.003882, -0.048116, 1.051998)
    ),
    green = rbind(c(0.367322, 0.860646, -0.227968), c(0.280085, 0.672501, 0.047413),
      c(-0.011820, 0.042940, 0.968881)
    ),
    blue = rbind(c(1.255528, -0.076749, -0.178779), c(-0.078411, 0.930809, 0.147602),
      c(0.004733, 0.691367, 0.303900)
    )
  )
  seen <- pmin(pmax(matrices[[kind]] %*% linear(colour), 0), 1)
  screen <- ifelse(seen <= 0.0031308, 12.92 * seen, 1.055 * seen^(1 / 2.4) - 0.055)
  grDevices::convertColor(t(screen), "sRGB", "Lab")
}

test_that("the roles are told apart by all eyes, in grey and on any page", {
  colours <- ronda:::figure_colours
  roles <- c("left", "right", "paired", "alone")
  for (name in roles) expect_gt(contrast(ronda:::figure_inks[[name]], colours[[name]]), 4.5)
  for (pair in utils::combn(roles, 2L, simplify = FALSE)) {
    for (kind in c("all", "red", "green", "blue")) {
      apart <- colour_seen(colours[[pair[1L]]], kind) - colour_seen(colours[[pair[2L]]], kind)
      expect_gt(sqrt(sum(apart^2)), 20, label = paste(c(pair, kind), collapse = " "))
    }
  }
  # what stands side by side differs in grey
  for (pair in list(c("paired", "alone"), c("left", "right"), c("left", "paired"),
    c("right", "alone")
  )) {
    expect_gt(contrast(colours[[pair[1L]]], colours[[pair[2L]]]), 1.7)
  }
  # on white and on dark: no shape sinks, none glares
  for (page in c("#ffffff", "#14181d")) {
    for (name in names(colours)) expect_gt(contrast(colours[[name]], page), 2.2)
  }
})

test_that("any complete theme leaves a figure what it is", {
  withr::local_pdf(NULL)
  for (figure in list(plot_overlap(vessel), plot_join_types(vessel), plot_repeats(tide),
    plot_reasons(tide), plot_timeline(tide), plot_gaps(tide), plot_folds(tide), plot_rows_guide()
  )) {
    themed <- text_labels(figure + ggplot2::theme_dark())
    expect_setequal(gsub("\n", " ", themed), gsub("\n", " ", text_labels(figure)))
  }
})

test_that("figures of generated pairings are drawn without a warning, and count all rows", {
  skip_on_cran()
  for (seed in 1:6) {
    case <- seeded_case(seed, seed %% 2 == 0)
    expect_identical(faulty_figures(case), character(), label = paste("figures of seed", seed))
  }
})
