vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
tide <- pair_rows(sailings, tide_readings, on = list(
  "port", nearest("departs", "read_at", within = "15 mins")
))
crew <- pair_rows(sailings, crew_shifts, on = "vessel", expect = "rows-multiply")
hard <- hard_pairings()

drawn <- function(figure) {
  path <- withr::local_tempfile(fileext = ".png")
  ggplot2::ggsave(path, figure, width = 9.8, height = 6.2, dpi = 65)
  file.size(path)
}

test_that("join types are drawn to the rows they give", {
  figure <- plot(vessel, view = "join_types")
  totals <- tapply(figure$data$count, figure$data$rows, sum)
  expect_equal(unname(totals[summary(vessel)$rows]), summary(vessel)$result_rows,
    ignore_attr = TRUE
  )
  expect_identical(gsub("\n", " ", figure$labels$title),
    "A left join gives 60 rows; an inner join drops 6 left rows"
  )
  expect_gt(drawn(figure), 5000)
})

test_that("repeats are counted by side, and the heaviest keys are named", {
  figure <- plot_repeats(crew)
  uses <- tabulate(table(build_frame(crew, "inner")$sailing))
  left <- figure$data[figure$data$side == "left", ]
  expect_identical(left$rows[match(3:4, left$partners)], uses[3:4])
  expect_identical(left$pairs, left$rows * left$least)
  expect_identical(sum(figure$data$pairs), 2 * nrow(build_frame(crew, "inner")))
  for (side in c("left", "right")) {
    expect_identical(sum(figure$data$rows[figure$data$side == side]),
      nrow(crew[[side]])
    )
  }
  expect_match(figure$labels$subtitle, "`vessel` = \"HAV\": 10 x 4 rows")
  expect_identical(plot_repeats(pair_rows(ports, ports, on = "port"))$labels$title,
    "No row has more than one partner"
  )
  # of an ordered rule the pairs are no product
  expect_match(plot_repeats(tide)$labels$subtitle, "14 pairs of 14 rows and 14 rows")
  wide <- data.frame(k = rep(1:3, c(1, 40, 700)))
  classes <- plot_repeats(pair_rows(data.frame(k = 1:4), wide, on = "k"))$data
  expect_identical(
    as.character(classes$partners[classes$rows > 0 & classes$side == "left"]),
    c("0", "1", "32-63", "512-1,023")
  )
  # a low page puts classes together, all rows stay
  few <- ronda:::repeats_for_page(plot_repeats(hard$heavy)$data, list(lines = 8))
  expect_lte(nrow(few), 6L)
  expect_equal(sum(few$rows), 3000 + nrow(hard$heavy$right))
  expect_identical(sum(few$pairs), 2 * as.numeric(nrow(hard$heavy$right)))
  expect_gt(drawn(figure), 5000)
})

test_that("every figure and the report can do without keys, rows or rules", {
  plain <- data.frame(t = c(1, 5, 9))
  pairings <- list(
    pair_rows(plain, plain, on = nearest("t", within = 1)),
    pair_rows(plain[0, , drop = FALSE], plain, on = nearest("t")),
    pair_rows(plain, plain, on = relate("t", "<")),
    pair_rows(plain, plain, on = cross(), where = ~ left$t < right$t)
  )
  file <- withr::local_tempfile(fileext = ".html")
  local_reports_without_drawing()
  for (pairing in pairings) {
    for (view in c("overlap", "join_types", "reasons", "repeats")) {
      expect_gt(drawn(plot(pairing, view = view)), 1000)
    }
    write_report(pairing, file)
    expect_gt(file.size(file), 10000)
  }
})

test_that("a timeline links partners, and says what it leaves out", {
  figure <- plot_timeline(tide)
  seen <- ronda:::timeline_data(tide)
  pairs <- build_frame(tide, "inner")
  expect_identical(nrow(seen$links), nrow(pairs))
  expect_setequal(as.numeric(seen$links$xend), as.numeric(pairs$read_at))
  expect_identical(nrow(seen$bands), 12L)
  expect_equal(as.numeric(seen$bands$xend - seen$bands$x, units = "mins"), rep(15, 12))
  expect_identical(gsub("\n", " ", figure$labels$title),
    "48 of 60 sailings found a partner by nearest(), 12 did not"
  )
  expect_match(figure$labels$subtitle, "Shaded: how far an unmatched row\\s+looked")
  expect_identical(figure$scales$get_scales("x")$name, "departs, read_at (2031, UTC)")
  expect_gt(drawn(figure), 5000)
})

test_that("all links of few rows are drawn, and none where they can't be told apart", {
  for (pairing in hard[c("week", "decades", "intervals", "durations")]) {
    seen <- ronda:::timeline_data(pairing)
    partners <- build_frame(pairing, "inner", row_numbers = c("l", "r"))
    shown <- seen$rows$row[seen$rows$side == "left"]
    partners <- partners[partners$l %in% shown, ]
    expect_setequal(paste(seen$links$left_row, seen$links$right_row),
      paste(partners$l, partners$r)
    )
    expect_true(all(partners$r %in% seen$rows$row[seen$rows$side == "right"]))
    expect_identical(seen$links_left_out, 0)
  }
  crowd <- pair_rows(data.frame(t = 1:100), data.frame(t = 1:100),
    on = around("t", before = 9, after = 9), expect = "rows-multiply"
  )
  expect_match(plot_timeline(crowd)$labels$subtitle, "1,810 links are too many to draw")
  # a week against a year: what both share
  seen <- ronda:::timeline_data(hard$week)
  expect_lt(as.numeric(diff(range(seen$rows$x)), units = "days"), 9)
  year <- hard$week$right$t
  expect_identical(seen$outside[["right"]],
    sum(year < seen$stretch$range[1L] | year > seen$stretch$range[2L])
  )
  expect_match(plot_timeline(hard$week)$labels$subtitle,
    "of right outside it \\(all: 2031-01-01 .* to 2031-12-31"
  )
})

test_that("of many left rows the shares are drawn, counted by stretch and key", {
  figure <- plot_timeline(hard$groups)
  data <- figure$data
  left <- hard$groups$left
  alone <- !seq_len(nrow(left)) %in% build_frame(hard$groups, "inner", row_numbers = c("l", "r"))$l
  worst <- sort(tapply(alone, left$port, sum), decreasing = TRUE)
  shown <- rev(levels(data$group))
  counts <- as.integer(sub(".*: ([0-9,]+) of .*", "\\1", gsub("\n", " ", utils::head(shown, 20))))
  expect_identical(counts, as.vector(worst[1:20]))
  # each cell, counted here
  for (k in c(1L, 20L, 300L)) {
    cell <- data[k, ]
    rows <- left$port == cell$name & left$at >= cell$from & left$at < cell$to
    expect_identical(c(cell$rows, cell$matched), c(sum(rows), sum(rows & !alone)))
  }
  strip <- plot_timeline(hard$windows)
  expect_identical(sum(strip$data$rows), 2000L)
  expect_gt(drawn(figure), 5000)
})

test_that("a window is drawn as long as it is, or as far as the axis reaches", {
  seen <- ronda:::timeline_data(hard$week)
  expect_equal(as.numeric(seen$bands$xend - seen$bands$x, units = "mins"),
    rep(2, nrow(seen$bands))
  )
  far <- pair_rows(data.frame(t = c(100, 101, 190)), data.frame(t = c(100, 101, 191)),
    on = nearest("t", look = "ahead", within = 0.5)
  )
  seen <- ronda:::timeline_data(far)
  expect_equal(seen$bands$xend - seen$bands$x, 0.5)
  wide <- pair_rows(data.frame(t = 1:3), data.frame(t = c(1, 900)),
    on = nearest("t", look = "ahead", within = 500)
  )
  expect_match(plot_timeline(wide)$labels$subtitle, "reaches beyond the axis")
})

test_that("a minute is told by hour, minute and second", {
  built <- ggplot2::ggplot_build(plot_timeline(hard$minute))
  labels <- built$layout$panel_params[[1L]]$x$get_labels()
  expect_match(labels[!is.na(labels)], "^00:0[01]:[0-9]{2}$")
  expect_identical(built$plot$scales$get_scales("x")$name, "t (2031-01-01, UTC)")
})

test_that("folds are counted row by row, by stretch and by key", {
  figure <- plot_folds(tide)
  uses <- ronda:::partner_counts(tide$matches, "left")
  expect_identical(figure$data$middle, as.numeric(uses))
  expect_match(figure$labels$title, "1 at most; 12 of 60 are empty")
  data <- plot_folds(hard$windows)$data
  uses <- ronda:::partner_counts(hard$windows$matches, "left")
  at <- hard$windows$left$t
  one <- data[5L, ]
  inside <- at >= one$x - one$width / 2 & at < one$x + one$width / 2
  expect_equal(unlist(one[c("least", "middle", "most", "rows")], use.names = FALSE),
    c(min(uses[inside]), stats::median(uses[inside]), max(uses[inside]), sum(inside))
  )
  expect_identical(sum(data$rows), 2000L)
  keys <- plot_folds(crew)$data
  expect_identical(sum(keys$rows), sum(!is.na(sailings$vessel)))
  expect_identical(as.character(keys$key[1L]), "HAV: 10 rows")
  expect_identical(plot_folds(hard$none)$labels$title, "No fold has a partner")
})

test_that("gaps and overlaps of periods are those of every point of the axis", {
  set.seed(7)
  left <- data.frame(k = rep(1:4, 10), t = runif(40, 0, 100))
  for (ends in c("[)", "[]")) {
    right <- data.frame(k = rep(1:4, each = 6), from = sample(0:90, 24, TRUE))
    right$to <- right$from + sample(1:15, 24, TRUE)
    figure <- plot_periods(pair_rows(left, right, expect = "rows-multiply",
      on = list("k", inside("t", "from", "to", ends = ends))
    ))
    data <- figure$data
    # whole numbers that end on one last until the next
    last <- right$to + (ends == "[]")
    for (k in 1:4) {
      own <- right$k == k
      at <- seq(min(right$from[own]), max(last[own]) - 1) + 0.5
      depth <- vapply(at, function(x) sum(right$from[own] <= x & last[own] > x), 1L)
      mine <- data[sub(":.*", "", data$group) == k, ]
      state <- vapply(at, function(x) mine$state[mine$from <= x & mine$to > x], "")
      expect_identical(state, c("gap", "one", "overlap")[pmin(depth, 2L) + 1L])
      expect_true(all(mine$state[-1L] != mine$state[-nrow(mine)]))
    }
  }
  expect_gt(drawn(figure), 5000)
  expect_identical(plot_periods(hard$intervals)$labels$title,
    "The periods of closures have no gap and no overlap"
  )
  expect_error(plot_periods(vessel), class = "ronda_error_argument")
})

test_that("missing times leave a timeline at the stretch that both frames share", {
  year <- as.POSIXct("2031-01-01", tz = "UTC") + 86400 * 0:364
  pairing <- pair_rows(data.frame(t = year[c(NA, 100:106)]), data.frame(t = year[c(1:365, NA)]),
    on = nearest("t")
  )
  seen <- ronda:::timeline_data(pairing)
  expect_lt(diff(as.numeric(seen$stretch$range)), 9 * 86400)
})

test_that("a timeline draws durations of two units in one, and intervals as long as they are", {
  seen <- ronda:::timeline_data(hard$durations)
  expect_equal(seen$rows$x, c(60, 120, 180, 30, 100, 170))
  expect_match(plot_timeline(hard$durations)$scales$get_scales("x")$name, "d (mins)",
    fixed = TRUE
  )
  bands <- pair_rows(sailings, fare_bands, on = inside("km", "from_km", "to_km"))
  seen <- ronda:::timeline_data(bands)
  right <- seen$rows[seen$rows$side == "right", ]
  known <- !is.na(fare_bands$to_km)
  expect_equal(right$xend[known], fare_bands$to_km[known])
  expect_equal(right$x, fare_bands$from_km)
  expect_false(grepl("band", plot_timeline(bands)$labels$subtitle))
  expect_gt(drawn(plot_timeline(bands)), 5000)
  expect_gt(drawn(plot_timeline(hard$intervals)), 5000)
})

test_that("gaps are counted in a unit that keeps numbers short", {
  figure <- plot_gaps(tide)
  gaps <- build_frame(tide, "inner")
  minutes <- as.numeric(gaps$departs - gaps$read_at, units = "mins")
  # few values: each stands in a class of its own, around it
  expect_equal(figure$data$rows, as.vector(table(minutes)))
  expect_equal((figure$data$from + figure$data$to) / 2, sort(unique(minutes)))
  expect_match(figure$scales$get_scales("x")$name, "mins")
  expect_match(figure$labels$subtitle, "1 pair at the same point. Dashed: within 15 mins.")
  expect_match(figure$labels$title, format(stats::median(minutes)))
  expect_gt(drawn(figure), 5000)
  none <- pair_rows(sailings[0, ], tide_readings, on = list(
    "port", nearest("departs", "read_at")
  ))
  expect_identical(plot_gaps(none)$labels$title, "No row found a partner")
  expect_gt(drawn(plot_gaps(none)), 1000)
})

test_that("views are chosen by name, autoplot() too, and others are refused", {
  views <- c("overlap", "join_types", "reasons", "repeats", "folds", "timeline", "gaps")
  for (view in views) {
    expect_s3_class(ggplot2::autoplot(tide, view = view), "ggplot")
    expect_identical(plot(tide, view = view)$labels$title,
      ggplot2::autoplot(tide, view)$labels$title
    )
  }
  expect_errors(
    plot(tide, view = "map"),
    plot_gaps(vessel),
    plot_timeline(vessel),
    plot_differences(vessel),
    plot_repeats(1)
  )
})

test_that("gaps are counted as they are, whichever way is looked and how far", {
  set.seed(63)
  left <- data.frame(k = 1:300, at = runif(300, 0, 100))
  right <- data.frame(id = 1:80, at = runif(80, 0, 100))
  for (look in c("back", "ahead", "either")) {
    for (within in c(Inf, 3)) {
      pairing <- pair_rows(left, right,
        on = nearest("at", look = look, within = within, gap = "gap")
      )
      joined <- build_frame(pairing, "inner")
      classes <- ronda:::gap_data(pairing)
      counts <- mapply(function(from, to) {
        sum(joined$gap > from & joined$gap <= to)
      }, classes$data$from, classes$data$to)
      expect_identical(sum(classes$data$rows) + classes$beyond, nrow(joined))
      expect_equal(classes$data$rows, counts)
      expect_equal(classes$limits, if (is.finite(within)) {
        if (look == "either") c(-3, 3) else 3
      })
      expect_gt(drawn(plot_gaps(pairing)), 3000)
    }
  }
})

test_that("a timeline can be of 64-bit keys", {
  skip_if_not_installed("bit64")
  left <- data.frame(k = bit64::as.integer64(c("9007199254740993", "5")), at = c(1, 2))
  right <- data.frame(k = left$k, at = c(1.5, 1.9))
  figure <- plot_timeline(pair_rows(left, right, on = list("k", nearest("at"))))
  expect_true("9007199254740993" %in% as.character(figure$data$group))
  expect_gt(drawn(figure), 3000)
})

test_that("gaps far beyond all others are counted, not drawn", {
  left <- data.frame(t = c(1:200 + 0.1 * (1:200) / 200, 1e6))
  figure <- plot_gaps(pair_rows(left, data.frame(t = 1:200), on = nearest("t")))
  expect_lt(max(figure$data$to), 1)
  expect_identical(sum(figure$data$rows), 200L)
  expect_match(figure$labels$subtitle, "Not drawn: 1 pair farther than 0.\\d+, up to 999800")
})

test_that("titles are true where nothing matched and where there are no rows", {
  titles <- lapply(hard[c("none", "no_left", "no_rows")], function(pairing) {
    vapply(c("overlap", "join_types", "reasons", "repeats"), function(view) {
      gsub("\n", " ", plot(pairing, view = view)$labels$title)
    }, "", USE.NAMES = FALSE)
  })
  expect_identical(titles, list(
    none = c("None of the 1,000 rows of left matched",
      "A left join gives 1,000 rows; an inner join none",
      "None of the 1,000 rows of left matched", "No row has a partner"
    ),
    no_left = c("left has no rows: nothing can pair", "left has no rows: nothing can pair",
      "None of the 9 rows of vessels matched", "No row has a partner"
    ),
    no_rows = c("left and right have no rows: nothing can pair",
      "left and right have no rows: nothing can pair",
      "left and right have no rows: nothing can pair", "No row has a partner"
    )
  ))
})

test_that("figures along an axis are drawn without rows, too, and of missing times alone", {
  withr::local_pdf(NULL)
  views <- character()
  for (at in list(1, as.Date("2031-05-01"), as.POSIXct("2031-05-01", tz = "UTC"))) {
    left <- data.frame(port = "Osmere", p = at)
    right <- data.frame(port = "Osmere", g = at, u = at)
    blank <- function(frame) {
      frame[-1L] <- lapply(frame[-1L], function(x) x[NA_integer_])
      frame
    }
    for (case in list(
      list(left, right[0L, ], FALSE), list(left[0L, ], right[0L, ], FALSE),
      list(blank(left), blank(right), TRUE)
    )) {
      pairing <- pair_rows(case[[1L]], case[[2L]],
        on = list("port", inside("p", "g", "u", open_ended = case[[3L]]))
      )
      axis <- setdiff(ronda:::figures_for(pairing),
        c("overlap", "join_types", "reasons", "repeats")
      )
      for (view in axis) {
        figure <- plot(pairing, view = view)
        built <- expect_silent(ggplot2::ggplot_build(figure))
        if (view == "periods") {
          expect_identical(nrow(built$data[[1L]]), 0L)
          expect_identical(figure$labels[c("title", "subtitle", "y")],
            list(title = "right has no period", subtitle = NULL, y = NULL)
          )
        }
      }
      views <- c(views, axis)
    }
  }
  expect_true(all(c("timeline", "periods") %in% views))
  # periods without an end last as long as anything is known
  right <- data.frame(g = c(1, 4, 9), u = NA_real_)
  open <- plot_periods(pair_rows(data.frame(p = 1), right, on = inside("p", "g", "u",
    open_ended = TRUE
  )))
  expect_identical(open$data[c("from", "to", "state")],
    data.frame(from = c(1, 4), to = c(4, 9), state = c("one", "overlap"))
  )
})

test_that("of two periods the stretch that both share is shaded", {
  on <- list("port", overlap("booked_from", "booked_to", "closed_from", "closed_to",
    shared = c("from", "to")))
  joined <- join_frames(bookings, closures, on = on, rows = "inner")
  figure <- plot_timeline(pair_rows(bookings, closures, on = on))
  built <- ggplot2::ggplot_build(figure)$data
  shaded <- Find(function(layer) all(c("xmin", "xmax") %in% names(layer)), built)
  expect_setequal(paste(shaded$xmin, shaded$xmax),
    paste(as.numeric(joined$from), as.numeric(joined$to))
  )
  expect_match(figure$labels$subtitle, "Shaded: what both share")
  # a point has no stretch
  figure <- plot_timeline(pair_rows(sailings, crew_shifts, on = list(
    "vessel", inside("departs", "starts", "ends")
  )))
  expect_no_match(figure$labels$subtitle, "Shaded")
})

test_that("what figures say, as a page to read", {
  shown <- function(figure) {
    built <- ggplot2::ggplot_build(figure)
    labels <- built$plot$labels[c("title", "subtitle", "caption")]
    labels <- unlist(Filter(is.character, labels))
    sprintf("  %s: %s", names(labels), gsub("\n", " / ", labels))
  }
  pages <- list(vessel = vessel, tide = tide, crew = crew, many = hard$groups)
  lines <- unlist(lapply(names(pages), function(name) {
    lapply(ronda:::figures_for(pages[[name]]), function(view) {
      c(paste(name, view), shown(plot(pages[[name]], view = view)))
    })
  }))
  expect_lines(lines)
})
