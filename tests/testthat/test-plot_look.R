vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
tide <- pair_rows(sailings, tide_readings, on = list(
  "port", nearest("departs", "read_at", within = "15 mins")
))
hard <- hard_pairings()

test_that("no text of a figure is cut or stands on another, on hard data and small pages", {
  skip_on_cran()
  all <- c(hard, list(demo = tide, keys = vessel))
  # (what is hard about these is their times: to figures of counts they are as others)
  timed <- c("groups", "windows", "decades", "week", "durations", "intervals")
  for (name in names(all)) {
    views <- ronda:::figures_for(all[[name]])
    if (name %in% timed) views <- intersect(views, c("repeats", "timeline", "gaps"))
    for (view in views) {
      figure <- plot(all[[name]], view = view)
      expect_identical(faulty_texts(figure, figure_sizes$small), character(),
        label = paste(name, view)
      )
      expect_false(grepl("\\b0 have|All 0|NA\\b", figure$labels$title))
    }
  }
  for (view in ronda:::figures_for(tide)) {
    expect_identical(faulty_texts(plot(tide, view = view), figure_sizes$large), character())
  }
  expect_identical(faulty_texts(plot_rows_guide(), figure_sizes$small), character())
})

test_that("counts have ticks at whole numbers alone", {
  for (most in c(0, 1, 2, 3, 7, 99, 1234, 1e6, 3e8)) {
    breaks <- ronda:::count_breaks(c(0, most))
    expect_true(all(breaks == trunc(breaks)) && length(breaks) >= 1L && length(breaks) <= 8L)
    expect_gte(max(breaks), most * 0.6)
  }
})

luminance <- function(colour) {
  part <- grDevices::col2rgb(colour)[, 1L] / 255
  part <- ifelse(part <= 0.03928, part / 12.92, ((part + 0.055) / 1.055)^2.4)
  sum(c(0.2126, 0.7152, 0.0722) * part)
}

contrast <- function(a, b) {
  light <- sort(c(luminance(a), luminance(b)))
  (light[2L] + 0.05) / (light[1L] + 0.05)
}

test_that("text can be read on its fill, and parts are told apart in grey", {
  colours <- ronda:::figure_colours
  for (name in names(ronda:::figure_inks)) {
    expect_gt(contrast(ronda:::figure_inks[[name]], colours[[name]]), 4.5)
  }
  # what stands side by side differs in grey
  for (pair in list(c("paired", "left_alone"), c("left_alone", "right_alone"),
    c("paired", "right_alone"), c("left", "right"), c("left", "none"), c("right", "none"),
    c("paired", "none")
  )) {
    expect_gt(contrast(colours[[pair[1L]]], colours[[pair[2L]]]), 1.7)
  }
  # marks are seen on white, grey and dark: fills by themselves, lines by what is below them
  for (page in c("#ffffff", "#7f7f7f", "#14181d")) {
    expect_gt(max(contrast(colours[["line"]], page), contrast(colours[["none"]], page)), 3)
  }
  for (name in c("left", "right")) {
    expect_gt(contrast(colours[[name]], "#ffffff"), 2.2)
    expect_gt(contrast(colours[[name]], "#14181d"), 3)
  }
})

test_that("any complete theme leaves a figure what it is", {
  withr::local_pdf(NULL)
  for (figure in list(plot_overlap(vessel), plot_join_types(vessel), plot_repeats(tide),
    plot_reasons(tide), plot_timeline(tide), plot_gaps(tide), plot_rows_guide()
  )) {
    own <- text_labels(figure)
    for (theme in list(ggplot2::theme_dark(), ggplot2::theme_classic())) {
      themed <- text_labels(figure + theme)
      expect_setequal(themed, own)
    }
  }
})

test_that("figures of generated pairings are drawn without a warning, and count all rows", {
  skip_on_cran()
  for (seed in 1:12) {
    case <- seeded_case(seed, seed %% 2 == 0)
    expect_identical(faulty_figures(case), character(), label = paste("figures of seed", seed))
  }
})
