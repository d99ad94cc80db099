vessel <- pair_rows(sailings, vessels, on = c(vessel = "code"))
tide <- pair_rows(sailings, tide_readings, on = list(
  "port", nearest("departs", "read_at", within = "15 mins")
))
crew <- pair_rows(sailings, crew_shifts, on = "vessel", expect = "rows-multiply")

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
  expect_identical(figure$labels$title,
    "A left join gives 60 rows; an inner join drops 6 left rows"
  )
  expect_gt(drawn(figure), 5000)
})

test_that("repeats are counted by side, and the heaviest keys are named", {
  figure <- plot_repeats(crew)
  uses <- tabulate(table(build_frame(crew, "inner")$sailing))
  left <- figure$data[figure$data$side == "left", ]
  expect_identical(left$rows[match(3:4, left$partners)], uses[3:4])
  for (side in c("left", "right")) {
    expect_identical(sum(figure$data$rows[figure$data$side == side]),
      nrow(crew[[side]])
    )
  }
  expect_match(figure$labels$subtitle, "`vessel` = \"HAV\": 10 x 4 rows")
  expect_identical(plot_repeats(pair_rows(ports, ports, on = "port"))$labels$title,
    "No row has more than one partner"
  )
  wide <- data.frame(k = rep(1:3, c(1, 40, 700)))
  classes <- plot_repeats(pair_rows(data.frame(k = 1:4), wide, on = "k"))$data
  expect_identical(
    as.character(classes$partners[classes$rows > 0 & classes$side == "left"]),
    c("0", "1", "21-50", "501-1000")
  )
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
  for (pairing in pairings) {
    for (view in c("overlap", "join_types", "repeats")) {
      expect_gt(drawn(plot(pairing, view = view)), 1000)
    }
    write_report(pairing, file)
    expect_gt(file.size(file), 10000)
  }
})

test_that("a timeline links partners, and thins what is too much", {
  figure <- plot_timeline(tide)
  links <- figure$layers[[2L]]$data
  pairs <- build_frame(tide, "inner")
  expect_identical(nrow(links), nrow(pairs))
  expect_setequal(as.numeric(links$right_at), as.numeric(pairs$read_at))
  reach <- figure$layers[[1L]]$data
  expect_identical(nrow(reach), 12L)
  expect_equal(as.numeric(reach$at - reach$from, units = "mins"), rep(15, 12))
  expect_identical(figure$labels$title,
    "48 of 60 sailings found a partner by nearest(), 12 did not"
  )
  expect_gt(drawn(figure), 5000)
  many <- data.frame(t = as.numeric(1:5000))
  thinned <- plot_timeline(pair_rows(many, many, on = nearest("t")))
  expect_lte(nrow(thinned$data), 4000L)
  expect_match(thinned$labels$subtitle, "2,000 of 5,000 left")
  expect_gt(drawn(plot_timeline(pair_rows(sailings, fare_bands,
    on = inside("km", "from_km", "to_km")
  ))), 5000)
})

test_that("gaps are counted in a unit that keeps numbers short", {
  figure <- plot_gaps(tide)
  gaps <- build_frame(tide, "inner")
  minutes <- as.numeric(gaps$departs - gaps$read_at, units = "mins")
  expect_identical(sum(figure$data$rows), length(minutes))
  expect_equal(range(figure$data$from, figure$data$to), c(0, 15))
  expect_match(figure$labels$x, "mins")
  expect_match(figure$labels$title, format(stats::median(minutes)))
  expect_gt(drawn(figure), 5000)
  none <- pair_rows(sailings[0, ], tide_readings, on = list(
    "port", nearest("departs", "read_at")
  ))
  expect_identical(plot_gaps(none)$labels$title, "No row found a partner")
  expect_gt(drawn(plot_gaps(none)), 1000)
})

test_that("views are chosen by name, autoplot() too, and others are refused", {
  views <- c("overlap", "join_types", "repeats", "timeline", "gaps")
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
      counts[1L] <- counts[1L] + sum(joined$gap == classes$data$from[1L])
      expect_identical(sum(classes$data$rows), nrow(joined))
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
  expect_match(paste(unlist(lapply(figure$layers, function(x) unlist(x$data))),
    unlist(figure$data), collapse = " "
  ), "9007199254740993")
  expect_gt(drawn(figure), 3000)
})
