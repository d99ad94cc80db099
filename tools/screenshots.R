# The pictures in docs/screenshots, made anew: Rscript tools/screenshots.R [NAMES]. Each
# shows the demo data whole, on about 1280 x 800 pixels. What a picture shows is remembered in
# tools/screenshots.csv; with --check, which of them are older than what they show.

pictures <- file.path("docs", "screenshots")

tides_of_demo <- function() {
  ronda::pair_rows(ronda::sailings, ronda::tide_readings, sides = c("sailings", "tide_readings"),
    on = list("port", ronda::nearest("departs", "read_at", within = "15 mins"))
  )
}

vessels_of_demo <- function() {
  ronda::pair_rows(ronda::sailings, ronda::vessels, on = c(vessel = "code"),
    sides = c("sailings", "vessels")
  )
}

closures_of_demo <- function() {
  ronda::pair_rows(ronda::bookings, ronda::closures, sides = c("bookings", "closures"),
    on = list("port", ronda::overlap("booked_from", "booked_to", "closed_from", "closed_to"))
  )
}

winds_of_demo <- function() {
  ronda::pair_rows(ronda::sailings, ronda::wind_readings, expect = "rows-multiply",
    sides = c("sailings", "wind_readings"),
    on = list("port", ronda::around("departs", "read_at", before = "6 hours"))
  )
}

crews_of_demo <- function() {
  ronda::pair_rows(ronda::sailings, ronda::crew_shifts, sides = c("sailings", "crew_shifts"),
    on = list("vessel", ronda::inside("departs", "starts", "ends"))
  )
}

frames_of_demo <- function() {
  list(sailings = ronda::sailings, tide_readings = ronda::tide_readings, ports = ronda::ports)
}

# ten million sailings with their tides in eight parts, six ports among them
parts_of_demo <- function() {
  data.frame(
    part = sprintf("part-%05d-%05d", c(2, 2, 2, 2, 4, 4, 6, 6, 7, 7, 8, 8), c(1:4, rep(1:2, 4))),
    left_rows = c(833446, 833447, 833447, 833446, 833298, 833297, 833018, 833017, 833691,
      833691, 833101, 833101
    ),
    right_rows = rep(c(105120, 52560, 0, 52560), c(4, 2, 2, 4)),
    result_rows = c(833446, 833447, 833447, 833446, 833298, 833297, 833018, 833017, 833691,
      833691, 833101, 833101
    ),
    seconds = c(1.53, 1.85, 1.48, 1.39, 0.94, 1.06, 0.96, 0.86, 1.07, 1.08, 1.09, 1.15)
  )
}

# name = list(kind, show): a figure, four figures, a page (the file that it writes; and how
# much of it is taken: whole sections) or lines of a terminal
shots <- list(
  overlap = list("figure", function() ronda::plot_overlap(vessels_of_demo())),
  join_types = list("figure", function() ronda::plot_join_types(vessels_of_demo())),
  reasons = list("figure", function() ronda::plot_reasons(vessels_of_demo())),
  timeline = list("figure", function() ronda::plot_timeline(tides_of_demo())),
  "along-the-axis" = list("figures", function() list(
    ronda::plot_gaps(tides_of_demo()), ronda::plot_timeline(closures_of_demo()),
    ronda::plot_folds(winds_of_demo()), ronda::plot_periods(crews_of_demo())
  )),
  # seconds of the tasks are as one run had them: they are never the same
  "more-figures" = list("figures", function() list(
    ronda::plot_repeats(ronda::pair_rows(ronda::sailings, ronda::crew_shifts, on = "vessel",
      expect = "rows-multiply", sides = c("sailings", "crew_shifts")
    )),
    ronda::plot_differences(ronda::pair_rows(ronda::timetable_old, ronda::timetable_new,
      on = "trip", sides = c("timetable_old", "timetable_new")
    )),
    ronda::plot_many(frames_of_demo(), on = "port"), ronda:::plot_parts(parts_of_demo())
  )),
  "rows-guide" = list("figure", function() ronda::plot_rows_guide()),
  report = list("page", function(file) ronda::write_report(tides_of_demo(), file), 1000L),
  "report-many" = list("page", function(file) {
    ronda::write_many_report(frames_of_demo(), on = "port", file)
  }, 840L),
  review = list("page", function(file) ronda::write_review(vessels_of_demo(), file), 620L),
  notebook = list("page", function(file) {
    source <- sub("html$", "Rmd", file)
    writeLines(c("---", "title: A pairing in a document", "---", "```{r}", "library(ronda)",
      "pairing <- pair_rows(sailings, vessels, on = c(vessel = \"code\"))", "pairing",
      "near_misses(pairing)", "```"
    ), source)
    rmarkdown::render(source, "html_document", file, quiet = TRUE)
  }, 860L),
  # of the site, which make site builds before
  "site-home" = list("site", "index.html"),
  "site-reference" = list("site", "reference/near_misses.html"),
  "demo-terminal" = list("terminal", function() {
    lines <- typed("ronda demo --out demo-output", c("demo", "--out", tempfile("demo-output")))
    lines <- gsub("/[^ ]*/(demo-output)[^/ :]*", "\\1", lines)
    n <- length(lines)
    c(lines[1:26], "...", lines[(n - 13):n])
  }),
  "account-terminal" = list("terminal", function() {
    session(c(
      "pairing <- pair_rows(sailings, vessels, on = c(vessel = \"code\"))", "pairing",
      "suggest_keys(sailings[c(\"vessel\", \"port\")], vessels)", "near_misses(pairing)",
      "explain_row(pairing, left = 17)"
    ))
  }),
  "diagnose-terminal" = list("terminal", function() {
    ronda::ledger(clear = TRUE)
    script <- paste(c(
      "with_ledger({", "  named <- join_frames(sailings, vessels, on = c(vessel = \"code\"))",
      "  served <- join_frames(named, ports, on = \"port\", rows = \"inner\")",
      "  cars <- join_frames(served, vessels, c(vessel = \"code\"), \"semi\")", "})"
    ), collapse = "\n")
    lines <- session(c(
      "diagnose(sailings, vessels, on = c(vessel = \"code\"))", script, "ledger()",
      "follow(vessel = \"XAN\")"
    ))
    unlist(strsplit(paste0(lines, "\n"), "\n"))
  }),
  "command-line" = list("terminal", function() {
    c(
      typed("ronda pair sailings.csv vessels.csv --on vessel=code", demo_files(c("pair",
        "sailings.csv", "vessels.csv", "--on", "vessel=code"
      ))), "",
      typed("ronda join sailings.csv vessels.csv --on vessel=code --clean trim,lower --rows anti",
        demo_files(c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--clean",
          "trim,lower", "--rows", "anti"
        ))
      ), "",
      typed("ronda join sailings.csv vessels.csv --on vessel=code --expect one-to-one; echo $?",
        demo_files(c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--expect",
          "one-to-one"
        )), TRUE
      ), "",
      typed("ronda keys sailings.csv vessels.csv", demo_files(c("keys", "sailings.csv",
        "vessels.csv"
      )))
    )
  }),
  "compare-terminal" = list("terminal", function() {
    c(
      typed("ronda compare timetable_old.csv timetable_new.csv --on trip", demo_files(c("compare",
        "timetable_old.csv", "timetable_new.csv", "--on", "trip"
      ))), "",
      typed(paste("ronda join vessels.csv sailings.csv --on code=vessel",
        "--fold \"trips=nrow()\" --fold \"km=sum(km)\""
      ), demo_files(c("join", "vessels.csv", "sailings.csv", "--on", "code=vessel", "--fold",
        "trips=nrow()", "--fold", "km=sum(km)"
      )))
    )
  })
)

# Terminals ---------------------------------------------------------------------------

demo_files <- function(words) {
  files <- grepl("[.]csv$", words)
  words[files] <- file.path(system.file("extdata", package = "ronda"), words[files])
  words
}

# a command as it is typed, and what comes back
typed <- function(shown, words, code = FALSE) {
  script <- tempfile(fileext = ".R")
  writeLines(c("options(width = 120)",
    "quit(save = \"no\", status = ronda::ronda_cli(commandArgs(TRUE)))"
  ), script)
  out <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"),
    shQuote(c(script, words)), stdout = TRUE, stderr = TRUE
  ))
  status <- attr(out, "status")
  out <- gsub(paste0(system.file("extdata", package = "ronda"), "/"), "", out, fixed = TRUE)
  c(paste("$", shown), out, if (code) if (is.null(status)) "0" else status)
}

# lines of R and what they print
session <- function(code) {
  old <- options(width = 120, ronda.receipt = TRUE, cli.num_colors = 1L)
  on.exit(options(old))
  place <- new.env(parent = asNamespace("ronda"))
  unlist(lapply(code, function(line) {
    told <- character()
    out <- withCallingHandlers(utils::capture.output({
      value <- withVisible(eval(parse(text = line), place))
      if (value$visible) print(value$value)
    }), message = function(m) {
      told <<- c(told, sub("\n$", "", conditionMessage(m)))
      invokeRestart("muffleMessage")
    })
    c(paste(">", line), out, told, "")
  }))
}

# What a picture shows, whoever draws it --------------------------------------------------

shown_by <- function(shot) {
  lines <- switch(shot[[1L]],
    figure = figure_lines(shot[[2L]]()),
    figures = unlist(lapply(shot[[2L]](), figure_lines)),
    terminal = shot[[2L]](),
    site = readLines(if (shot[[2L]] == "index.html") "README.md" else "man/near_misses.Rd"),
    page = page_lines(shot[[2L]])
  )
  file <- tempfile()
  on.exit(unlink(file))
  writeBin(charToRaw(paste(enc2utf8(lines), collapse = "\n")), file)
  unname(tools::md5sum(file))
}

figure_lines <- function(figure) {
  data <- lapply(as.data.frame(figure$data), function(x) {
    if (is.numeric(x)) format(round(as.numeric(x), 6L)) else as.character(x)
  })
  c(unlist(figure$labels[c("title", "subtitle", "alt")]), unlist(data),
    figure_look()
  )
}

# the section of R/plot_page.R by which all figures look as they do
figure_look <- function() {
  lines <- readLines(file.path("R", "plot_page.R"))
  sections <- grep("^# .* ---+$", lines)
  begin <- grep("^# How figures look -", lines)
  lines[seq.int(begin, c(sections[sections > begin], length(lines))[1L])]
}

# (figures, versions and times of a page are drawn by others)
page_lines <- function(write) {
  file <- tempfile(fileext = ".html")
  on.exit(unlink(file))
  write(file)
  page <- paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  page <- sub("(?s).*<main>", "", page, perl = TRUE)
  page <- if (grepl("<main", page, fixed = TRUE) || grepl("<footer", page, fixed = TRUE)) {
    sub("(?s)<footer.*", "", page, perl = TRUE)
  } else {
    paste(regmatches(page, gregexpr("<t[hd][^>]*>[^<]*", page))[[1L]], collapse = "\n")
  }
  gsub("(?s)<svg.*?</svg>", "", page, perl = TRUE)
}

# Taking pictures -------------------------------------------------------------------------

programs <- c(xvfb = "xvfb-run", xauth = "xauth", xterm = "xterm", imagemagick = "import",
  chromium = "chromium", "fonts-dejavu-core" = "fc-list"
)

need_programs <- function() {
  missing <- names(programs)[!nzchar(Sys.which(programs))]
  if (length(missing) && Sys.info()[["effective_user"]] == "root" && nzchar(Sys.which("apt-get"))) {
    message("Installing ", paste(missing, collapse = " "))
    system2("apt-get", c("-q", "-y", "install", missing), stdout = FALSE, stderr = FALSE)
    missing <- names(programs)[!nzchar(Sys.which(programs))]
  }
  if (length(missing)) {
    stop("Pictures need more programs. Write:\n  apt-get install ",
      paste(missing, collapse = " "),
      call. = FALSE
    )
  }
}

take <- function(name) {
  shot <- shots[[name]]
  path <- normalizePath(file.path(pictures, paste0(name, ".png")), mustWork = FALSE)
  if (shot[[1L]] == "figure") {
    return(getFromNamespace("save_figure", "ronda")(shot[[2L]](), path))
  }
  if (shot[[1L]] == "figures") {
    return(take_figures(shot[[2L]](), path))
  }
  if (shot[[1L]] == "terminal") {
    return(take_terminal(shot[[2L]](), path))
  }
  page <- tempfile(fileext = ".html")
  if (shot[[1L]] == "site") {
    page <- file.path(getwd(), "site", shot[[2L]])
    if (!file.exists(page)) stop("make site comes first", call. = FALSE)
    shot[[3L]] <- 1000L
  } else {
    shot[[2L]](page)
  }
  system2("chromium", c("--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars",
    sprintf("--window-size=1280,%d", shot[[3L]]), paste0("--screenshot=", shQuote(path)),
    paste0("--user-data-dir=", tempfile("browser")), paste0("file://", page)
  ), stdout = FALSE, stderr = FALSE)
}

# four on one picture
take_figures <- function(figures, path) {
  parts <- vapply(figures, function(figure) {
    part <- tempfile(fileext = ".png")
    ggplot2::ggsave(part, figure, width = 640 / 96, height = 400 / 96, dpi = 96, bg = "white")
    part
  }, "")
  system2("montage", c(shQuote(parts), "-tile", "2x2", "-geometry", "+0+0", shQuote(path)))
}

most_lines <- 46L

take_terminal <- function(lines, path) {
  if (length(lines) > most_lines || max(nchar(lines, "width")) > 140L) {
    stop(basename(path), " would be cut: ", length(lines), " lines, the longest of ",
      max(nchar(lines, "width")), " letters",
      call. = FALSE
    )
  }
  text <- tempfile()
  writeLines(enc2utf8(lines), text, useBytes = TRUE)
  script <- tempfile(fileext = ".sh")
  writeLines(c("printf '\\033[?25l'", paste("cat", shQuote(text)), "sleep 60"), script)
  system2("xvfb-run", c("-a", "-s", shQuote("-screen 0 1280x800x24"), "bash", "-c", shQuote(paste(
    "LC_ALL=C.UTF-8 xterm -geometry 142x47+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bw 0 -b 10",
    "-e bash", script, "& sleep 6; import -window root", shQuote(path)
  ))), stdout = FALSE, stderr = FALSE)
}

shown_file <- "tools/screenshots.csv"

# No picture is older than what it shows, and the README links each.
check <- function() {
  library(ronda)
  options(ronda.receipt = FALSE, width = 80L)
  files <- list.files(pictures, "[.]png$")
  readme <- paste(readLines("README.md"), collapse = "\n")
  known <- utils::read.csv(shown_file)
  # tables of a document are laid out by its tools
  made <- setdiff(names(shots), if (!rmarkdown::pandoc_available()) "notebook")
  older <- Filter(function(name) {
    !identical(shown_by(shots[[name]]), known$shows[known$picture == name])
  }, made)
  wrong <- c(
    sprintf("%s.png shows what was (make screenshots)", older),
    sprintf("%s is not made by tools/screenshots.R", setdiff(files, paste0(names(shots), ".png"))),
    sprintf("%s.png is missing", setdiff(names(shots), sub("[.]png$", "", files))),
    sprintf("README.md doesn't link %s", Filter(function(file) {
      !grepl(file.path(pictures, file), readme, fixed = TRUE)
    }, files)),
    if (length(files) >= 20L) "20 pictures or more"
  )
  writeLines(wrong)
  quit(save = "no", status = as.integer(length(wrong) > 0L))
}

main <- function(names) {
  need_programs()
  library(ronda)
  options(ronda.receipt = FALSE)
  file <- shown_file
  known <- if (file.exists(file)) utils::read.csv(file) else data.frame(picture = "", shows = "")
  for (name in names) {
    message(name)
    take(name)
    known <- rbind(known[known$picture != name, ],
      data.frame(picture = name, shows = shown_by(shots[[name]]))
    )
  }
  known <- known[known$picture %in% names(shots), ]
  utils::write.csv(known[order(known$picture), ], file, row.names = FALSE, quote = FALSE)
}

if (sys.nframe() == 0L) {
  if (identical(commandArgs(TRUE), "--check")) check()
  main(if (length(commandArgs(TRUE))) commandArgs(TRUE) else names(shots))
}
