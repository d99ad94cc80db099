frames <- list(sailings = sailings, tides = tide_readings, ports = ports)

test_that("tiles count the keys that two frames share", {
  expect_identical(plot_many(frames[2:3], on = "port")$labels$title,
    "5 of 6 keys are in both frames"
  )
  figure <- plot_many(frames, on = "port")
  slow <- function(a, b) sum(unique(na.omit(frames[[a]]$port)) %in% frames[[b]]$port)
  expect_identical(figure$data$found,
    as.integer(mapply(slow, figure$data$frame, figure$data$other))
  )
  expect_identical(figure$labels$title, "5 of 6 keys are in all 3 frames")
  expect_identical(faulty_texts(figure, figure_sizes$small), character())
  many <- lapply(1:9, function(k) data.frame(key = c(k, 1:3 * k)))
  names(many) <- paste0("a_frame_with_a_long_name_", 1:9)
  expect_identical(faulty_texts(plot_many(many, "key"), figure_sizes$large), character())
  expect_errors(
    plot_many(frames, on = list("port", nearest("departs", "read_at"))),
    plot_many(frames),
    plot_many(sailings, on = "port"),
    plot_many(frames, on = "vessel")
  )
})

test_that("keys are told by the frames that have them, and chains have none in common", {
  look <- ronda:::look_at_many(frames, "port", quote(plot_many()))
  expect_identical(look$held$keys, c(5L, 1L))
  expect_identical(look$held$held_by, c("sailings+tides+ports", "ports"))
  expect_identical(look$frames$alone, c(0L, 0L, 1L))
  expect_identical(look$frames$missing, c(0L, 0L, 0L))
  chain <- ronda:::look_at_many(list(sailings = sailings, vessels = vessels, ports = ports),
    list(vessels = c(vessel = "code"), ports = "port"), quote(plot_many())
  )
  expect_null(chain$held)
  expect_identical(is.na(chain$shared$found), chain$shared$frame != chain$shared$other &
    chain$shared$frame != "sailings" & chain$shared$other != "sailings")
  empty <- list(a = data.frame(k = integer()), b = data.frame(k = NA_integer_))
  none <- ronda:::look_at_many(empty, "k", quote(plot_many()))
  expect_identical(none$frames$keys, c(0L, 0L))
  expect_identical(ronda:::many_title(none), "No frame has a key")
})

test_that("a report of several frames stands alone and repeats itself", {
  file <- withr::local_tempfile(fileext = ".html")
  write_many_report(frames, on = "port", file, title = "Ports & readings")
  page <- paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  for (text in c("<h1>Ports &amp; readings</h1>", "5 of 6 keys are in all 3 frames",
    "sailings+tides+ports", "join_many(list(sailings = sailings, tides = tides", "role=\"img\""
  )) {
    expect_match(page, text, fixed = TRUE)
  }
  for (on in list("port", c(port = "port"), list(tides = "port", ports = same("port")))) {
    code <- ronda:::many_code(frames, on)
    made <- eval(parse(text = code), list2env(frames))
    expect_identical(made, join_many(frames, on, origin = "held_by"))
  }
  write_many_report(frames, on = "port", file, rows = FALSE)
  page <- paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  expect_false(any(vapply(ports$port, grepl, NA, page, fixed = TRUE)))
})

test_that("frames are told apart by what their names differ in, turned where there are many", {
  for (n in 2:6) {
    frames <- lapply(seq_len(n), function(k) data.frame(port = c(k, 20:(30 - k))))
    names(frames) <- sprintf("frame number %d of ports", seq_len(n))
    boxes <- text_boxes(plot_many(frames, on = "port"), figure_sizes$large)
    boxes$text <- gsub("\n", " ", boxes$label)
    for (k in seq_len(n)) {
      # at the left and at the bottom; short ones where there are many
      text <- if (n > 3L) sprintf("...ber %d of...", k) else names(frames)[k]
      mine <- boxes[boxes$text == text, ]
      expect_identical(nrow(mine), 2L, label = paste(n, text))
      low <- mine[which.min(mine$bottom - 100 * mine$left), ]
      expect_identical(low$top - low$bottom > low$right - low$left, n > 3L, label = paste(n, text))
    }
    expect_false(any(grepl("ports [1-9]", boxes$text)))
  }
  # names that are one name stay apart by a number
  expect_identical(ronda:::distinct_short(c("port", "port"), 10L), c("port", "port 1"))
})

test_that("which frames have a key is said in the fewest words", {
  frames <- c("sailings", "ports", "vessels", "crews")
  has <- list(frames, frames[2L], frames[-3L], frames[1:2], frames[-4L])
  words <- ronda:::subset_words(has, frames)
  expect_identical(words, c("all 4 frames", "ports alone", "all but vessels", "sailings, ports",
    "all but crews"
  ))
})
