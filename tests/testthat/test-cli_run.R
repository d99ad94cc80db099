# The real script in a process of its own where streams or the locale matter, or where
# `process` says so; else the same words in this process.
script <- system.file("exec", "ronda", package = "ronda")
ronda <- function(..., input = NULL, locale = NULL,
                  process = !is.null(input) || !is.null(locale)) {
  if (!process) {
    withr::local_options(cli.unicode = TRUE)
    run <- run_cli(...)
    return(list(status = run$code, out = run$out, err = run$err))
  }
  if (is.null(locale)) locale <- "C.UTF-8"
  out <- withr::local_tempfile()
  err <- withr::local_tempfile()
  # (as the script starts itself)
  words <- shQuote(c("--no-init-file", "--default-packages=NULL", script, ...))
  status <- withr::with_envvar(
    c(LC_ALL = locale, R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep)),
    system2(file.path(R.home("bin"), "Rscript"), words, stdout = out,
      stderr = err, stdin = if (is.null(input)) "" else input
    )
  )
  list(
    status = status, out = readLines(out, encoding = "UTF-8"),
    err = readLines(err, encoding = "UTF-8")
  )
}

test_that("join writes a file, or stdout, and the receipt to stderr", {
  in_demo_folder()
  run <- ronda("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--rows", "left", "--out", "joined.csv",
    process = TRUE
  )
  expect_identical(run$status, 0L)
  expect_identical(run$out, character())
  expect_match(run$err, "60 sailings, 9 vessels .* 60 rows: 54 paired, 6 sailings alone")
  expected <- join_frames(read_frame("sailings.csv"), read_frame("vessels.csv"),
    on = c(vessel = "code")
  )
  expect_identical(read_frame("joined.csv"), expected)
  run <- ronda("join", "sailings.csv", "-", "--on", "vessel=code", "--quiet",
    input = "vessels.csv"
  )
  expect_identical(run$err, character())
  expect_identical(run$out, readLines("joined.csv"))
})

test_that("every option of a join reaches it", {
  in_demo_folder()
  run <- ronda("join", "sailings.csv", "vessels.csv", "--on=vessel=code",
    "--rows", "full", "--take", "ship=name,status,seats", "--keys", "both",
    "--collisions", "status=rename_right,.other=rename",
    "--name-pattern", "-{side}-{column}", "--sides", "trip,ship",
    "--origin", "from", "--partners", "n", "--if-absent", "ship=none,seats=0",
    "--expect", "many-to-one", "--missing-keys", "unmatched",
    "--repeats", "highest:seats", "--row-order", "right", "--max-rows", "100",
    "--types", "sailing=text,seats=number", "--out", "all.rds"
  )
  expect_identical(run$err,
    "60 trip, 9 ship \u2192 61 rows: 54 paired, 6 trip alone, 1 row only in ship"
  )
  types <- c(sailing = "text")
  expected <- join_frames(read_frame("sailings.csv", types),
    read_frame("vessels.csv", c(seats = "number")),
    on = c(vessel = "code"), rows = "full",
    take = c(ship = "name", "status", "seats"), keys = "both",
    collisions = list(status = "rename_right"),
    name_pattern = "-{side}-{column}", sides = c("trip", "ship"),
    origin = "from", partners = "n", if_absent = list(ship = "none", seats = 0),
    row_order = "right"
  )
  expect_identical(read_frame("all.rds"), expected)
  run <- ronda("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--rows", "inner", "--omit", "status,seats"
  )
  expect_match(run$out[1L], "passengers,name,max_car_m$")
})

test_that("ordered rules are options too", {
  in_demo_folder()
  tide <- read_frame("tide_readings.csv")
  sailings <- read_frame("sailings.csv")
  ronda("join", "sailings.csv", "tide_readings.csv", "--on", "port",
    "--nearest", "departs=read_at", "--look", "back", "--within", "15 mins",
    "--gap", "age", "--ties", "first", "--not-equal", "--out", "tide.rds"
  )
  expect_identical(read_frame("tide.rds"), join_frames(sailings, tide,
    on = list("port", nearest("departs", "read_at",
      within = "15 mins", gap = "age", ties = "first", equal = FALSE
    ))
  ))
  run <- ronda("join", "sailings.csv", "fare_bands.csv", "--inside",
    "km=from_km..to_km", "--ends", "[]", "--open-ended", "--out", "fare.rds"
  )
  expect_match(run$err, "fall", all = FALSE)
  expect_identical(read_frame("fare.rds"), join_frames(sailings,
    read_frame("fare_bands.csv"),
    on = inside("km", "from_km", "to_km", "[]", TRUE)
  ))
  count <- function(...) {
    length(ronda("join", ..., "--rows", "inner", "--quiet")$out) - 1L
  }
  expect_identical(count("bookings.csv", "closures.csv", "--on", "port",
    "--overlap", "booked_from..booked_to=closed_from..closed_to"
  ), 5L)
  expect_identical(count("crew_shifts.csv", "sailings.csv", "--on", "vessel",
    "--covers", "starts..ends=departs"
  ), 55L)
  expect_identical(count("sailings.csv", "tide_readings.csv", "--on", "port",
    "--around", "departs=read_at", "--before", "600", "--after", "5 mins"
  ), nrow(join_frames(sailings, tide, rows = "inner", on = list("port",
    around("departs", "read_at", before = "10 mins", after = 300)
  ), expect = "rows-multiply")))
  expect_identical(count("ports.csv", "fare_bands.csv",
    "--relate", "km_from_ambrel >= from_km"
  ), nrow(join_frames(ports, fare_bands, rows = "inner",
    on = relate("km_from_ambrel", ">=", "from_km")
  )))
  expect_identical(count("ports.csv", "vessels.csv", "--cross"), 54L)
})

test_that("split writes three files or none", {
  in_demo_folder()
  run <- ronda("split", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--sides", "sailings,vessels", "--out", "parts", "--format", "tsv"
  )
  expect_identical(run$status, 0L)
  expect_lines(run$err)
  parts <- lapply(list.files("parts", full.names = TRUE), read_frame)
  expect_identical(vapply(parts, nrow, 1L), c(54L, 6L, 1L))
  run <- ronda("split", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--out", "other", "--format", "xls"
  )
  expect_identical(run$status, 2L)
  expect_false(dir.exists("other"))
})

test_that("what is wrong is said once, with its exit code and no file", {
  in_demo_folder()
  wrong <- list(
    c("jion"), c("join"), c("join", "sailings.csv"),
    c("join", "sailings.csv", "nothing.csv", "--on", "vessel"),
    c("join", "sailings.csv", "vessels.csv"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=cod"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--row", "l"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--rows"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code", "--rows",
      "outer"
    ),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--expect", "left-complete"
    ),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=seats"),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--max-rows", "few"
    ),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--max-rows", "3"
    ),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--if-absent", "seats=many"
    ),
    c("join", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--types", "vessel"
    ),
    c("join", "sailings.csv", "vessels.csv", "--inside", "seats=seats"),
    c("join", "sailings.csv", "vessels.csv", "--relate", "km=seats"),
    c("join", "sailings.csv", "vessels.csv", "--nearest", "km=seats",
      "--within", "5 furlongs"
    )
  )
  codes <- c(2, 2, 2, 1, 2, 2, 2, 2, 2, 3, 1, 2, 1, 1, 2, 2, 2, 2)
  before <- list.files()
  lines <- lapply(seq_along(wrong), function(k) {
    run <- ronda(wrong[[k]], if (length(wrong[[k]]) > 3L) c("--out", "x.csv"),
      process = k %in% match(1:3, codes)
    )
    expect_identical(run$status, as.integer(codes[k]))
    expect_identical(run$out, character())
    c(
      paste(c("$ ronda", wrong[[k]]), collapse = " "), run$err,
      sprintf("exit code %d", run$status), ""
    )
  })
  expect_lines(unlist(lines))
  expect_identical(list.files(), before)
})

test_that("help, version and the demo run", {
  expect_lines(ronda("--help")$out)
  expect_lines(trimws(ronda("join", "--help")$out))
  expect_match(ronda("--version")$out, "^ronda [0-9.]+$")
  folder <- withr::local_tempdir()
  run <- ronda("demo", "--out", folder)
  expect_identical(run$status, 0L)
  # steps one after the other, each with its call and what it gave
  steps <- grep("^[0-9]+[.] ", run$out)
  expect_gte(length(steps), 19L)
  expect_identical(as.integer(sub("[.].*", "", run$out[steps])), seq_along(steps))
  of_step <- findInterval(seq_along(run$out), steps)
  for (lines in split(run$out, of_step)[-1L]) {
    code <- sub("^[>+] ?", "", grep("^[>+] ", lines, value = TRUE))
    expect_gt(length(parse(text = code)), 0L, label = lines[1L])
    expect_match(lines, "^(  |Error: ).*[0-9]", all = FALSE, label = lines[1L])
  }
  files <- list.files(folder)
  expect_setequal(grep("parquet$", files, value = TRUE, invert = TRUE), c(
    "overlap.png", "rows-guide.png", "join_types.png", "repeats.png",
    "timeline.png", "gaps.png", "reasons.png", "differences.png", "shared-keys.png",
    "neighbours.png", "stretches.png", "tide_at_departure.csv", "closed_by_booking.csv",
    "folds.png", "periods.png", "review.html", "report.html", "report-many.html",
    "bookings_in_closures.csv",
    "sailings_and_vessels.csv", "sailings_with_crew.csv",
    "sailings_with_fares.csv", "sailings_with_tide.csv",
    "sailings_with_vessels.csv", "sailings_with_wind.csv",
    "sailings_without_vessel.csv", "traffic_by_port.csv",
    "sailings_still_without_vessel.csv", "vessels_updated.csv", "last_three_tides.csv",
    "trips_by_vessel.csv", "wind_before_departure.csv", "boardings_with_holders.csv"
  ))
})

test_that("folds, turns and rules of one file are taken as they are written", {
  in_demo_folder()
  fold_by <- function(...) {
    ronda("join", "vessels.csv", "sailings.csv", "--on", "code=vessel", "--fold", ...)
  }
  run <- fold_by("trips=nrow()", "--fold", "far=max(km, na.rm = TRUE)", "--fold",
    "ports=length(unique(port))", "--fold", "last=port[length(port)]", "--if-absent", "far=0"
  )
  expect_lines(c(run$out, run$err))
  between <- ronda("join", "sailings.csv", "tide_readings.csv", "--on", "port", "--nearest",
    "departs=read_at", "--look", "both", "--within", "1 hr", "--fold",
    "tide=interpolated(height, alone = 'value')", "--out", "between.csv"
  )
  expect_identical(between$status, 0L)
  expected <- join_frames(sailings, tide_readings,
    on = list("port", nearest("departs", "read_at", look = "both", within = "1 hr")),
    fold = list(tide = ~ interpolated(right$height, alone = "value"))
  )
  expect_equal(read_frame("between.csv")$tide, expected$tide)
  expect_lines(c(
    fold_by("km=summ(km)")$err, fold_by("km=system('ls')")$err, fold_by("seats=nrow()")$err
  ))
  run <- ronda("join", "boardings.csv", "card_holders.csv", "--in-turn", "card", "--in-turn",
    "name", "--step", "by", "--take", "season", "--repeats", "once"
  )
  expect_lines(c(run$out, run$err))
  run <- ronda("keys", "crew_shifts.csv", "--on", "vessel", "--overlap", "starts..ends",
    "--repeated"
  )
  expect_lines(utils::head(run$out, 3L))
  expect_identical(ronda("keys", "ports.csv", "vessels.csv", "--overlap", "a..b")$status, 2L)
})

test_that("the other commands say and write what their verbs give", {
  in_demo_folder()
  expect_lines(ronda("near-misses", "sailings.csv", "vessels.csv", "--on", "vessel=code")$out)
  expect_lines(ronda("explain", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--left", "23"
  )$out)
  run <- ronda("pair", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--json"
  )
  expect_identical(jsonlite::fromJSON(run$out)$unmatched_left, 6L)
  expect_lines(ronda("keys", "sailings.csv", "vessels.csv")$out)
  expect_lines(ronda("keys", "tide_readings.csv", "--on", "port,read_at")$out)
  run <- ronda("keys", "tide_readings.csv", "--on", "port,read_at",
    "--repeated"
  )
  expect_length(run$out, 5L)
  run <- ronda("many", "tide_readings.csv", "wind_readings.csv", "ports.csv",
    "--on", "port", "--rows", "inner", "--missing-keys", "match", "--collisions",
    "read_at=left", "--origin", "held_by", "--out", "many.rds"
  )
  expect_match(run$err, "Warning: Keys repeat on both sides", all = FALSE)
  expect_named(read_frame("many.rds"), c(
    "port", "read_at", "height", "knots", "island", "berths", "km_from_ambrel",
    "held_by"
  ))
  run <- ronda("many", "ports.csv", "closures.csv", "--on", "port",
    "--origin", "held_by", "--out", "many.rds"
  )
  expect_match(run$err, "6 ports, 4 closures .* 6 rows: 4 in all frames")
  expect_identical(read_frame("many.rds"), join_many(
    list(ports = read_frame("ports.csv"), closures = read_frame("closures.csv")),
    on = "port", origin = "held_by"
  ))
  for (out in c("figure.png", "figure.svg", "figure.pdf")) {
    run <- ronda("plot", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--view", "join_types", "--out", out
    )
    expect_identical(run$status, 0L)
    expect_gt(file.size(out), 1000)
  }
  run <- ronda("report", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--out", "report.html"
  )
  expect_identical(run$status, 0L)
  expect_gt(file.size("report.html"), 50000)
  wrong <- list(
    c("plot", "sailings.csv", "vessels.csv", "--on", "vessel=code"),
    c("report", "sailings.csv", "vessels.csv", "--on", "vessel=code",
      "--out", "report.txt"
    ),
    c("keys", "ports.csv"), c("keys", "ports.csv", "--on", "prot"),
    c("many", "ports.csv"), c("many", "ports.csv", "closures.csv"),
    c("plot", "ports.csv", "closures.csv", "--on", "port", "--view", "gaps",
      "--out", "x.png"
    )
  )
  expect_lines(unlist(lapply(wrong, function(words) {
    run <- ronda(words)
    expect_identical(run$status, 2L)
    c(paste(c("$ ronda", words), collapse = " "), run$err, "")
  })))
  expect_false(file.exists("x.png"))
})

test_that("words after --if-absent are read as the column's type says", {
  withr::local_dir(withr::local_tempdir())
  left <- data.frame(k = 1:3)
  right <- data.frame(k = 2L, n = 5L, fare = 1.5, day = as.Date("2031-05-01"),
    at = as.POSIXct("2031-05-01 10:00:00", tz = "UTC"), open = TRUE, quay = "north"
  )
  write_frame(left, "left.csv")
  write_frame(right, "right.rds")
  fill <- function(...) {
    run_cli("join", "left.csv", "right.rds", "--on", "k", "--if-absent", paste(..., sep = ","),
      "--out", "o.rds", "--quiet"
    )
  }
  words <- c(n = "7", fare = "0.25", day = "2030-12-31", at = "2030-12-31 08:30:00",
    open = "FALSE", quay = "no quay"
  )
  run <- do.call(fill, as.list(paste(names(words), words, sep = "=")))
  expect_identical(run, list(code = 0L, out = character(), err = character()))
  joined <- read_frame("o.rds")
  for (name in names(words)) {
    expect_identical(class(joined[[name]]), class(right[[name]]))
    expect_identical(joined[[name]][2L], right[[name]])
    expect_identical(
      if (name == "at") format(joined$at[1L]) else as.character(joined[[name]][1L]),
      words[[name]]
    )
    expect_identical(joined[[name]][1L], joined[[name]][3L])
  }
  unlink("o.rds")
  for (name in setdiff(names(words), "quay")) {
    run <- fill(paste0(name, "=some day"))
    expect_identical(run$code, 1L)
    expect_match(run$err[1L], sprintf("--if-absent can't put \"some day\" into `%s`", name),
      fixed = TRUE
    )
    expect_false(file.exists("o.rds"))
  }
})

test_that("what isn't ASCII is written as it is, whatever the locale", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(c("port,n", "S\u00f8rvik,1", "b,2"), "a.csv", useBytes = TRUE)
  writeLines(c("port,m", "S\u00f8rvik,1"), "h\u00e4fen.csv", useBytes = TRUE)
  for (locale in c("C", "C.UTF-8")) {
    run <- ronda("join", "a.csv", "h\u00e4fen.csv", "--on", "port", locale = locale)
    expect_identical(run$status, 0L)
    expect_identical(run$out, c("port,n,m", "S\u00f8rvik,1,1", "b,2,"))
    expect_match(run$err, "2 a, 1 h\u00e4fen", fixed = TRUE)
    run <- ronda("join", "a.csv", "h\u00e4fen.csv", "--on", "port", "--out", "out.csv",
      locale = locale
    )
    expect_identical(readLines("out.csv", encoding = "UTF-8")[2L], "S\u00f8rvik,1,1")
  }
})

test_that("output that can't be written is a failure, a reader who has enough is none", {
  skip_if_not(file.exists("/dev/full"))
  in_demo_folder()
  run_shell <- function(command) {
    withr::with_envvar(
      c(RONDA = paste(
        shQuote(file.path(R.home("bin"), "Rscript")), "--no-init-file", shQuote(script)
      ), R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep)),
      suppressWarnings(system2("bash", c("-c", shQuote(command)), stdout = TRUE,
        stderr = FALSE
      ))
    )
  }
  join <- "eval $RONDA join sailings.csv vessels.csv --on vessel=code"
  expect_identical(run_shell(paste(join, "> /dev/full; echo $?")), "1")
  expect_identical(run_shell(paste(join, ">&-; echo $?")), "1")
  expect_identical(
    run_shell("eval $RONDA pair ports.csv ports.csv --on port > /dev/full; echo $?"), "1"
  )
  expect_identical(
    utils::tail(run_shell(paste(join, "| head -1; echo ${PIPESTATUS[0]}")), 1L), "0"
  )
})

test_that("options given again add up where that makes sense, and are refused elsewhere", {
  in_demo_folder()
  frames <- list(utils::head(tide_readings, 60L), utils::head(wind_readings, 60L))
  write_frame(frames[[1L]], "tides.csv")
  write_frame(frames[[2L]], "winds.csv")
  joined <- function(...) {
    run <- run_cli("join", "tides.csv", "winds.csv", "--quiet", ...)
    expect_identical(run$code, 0L, label = paste(run$err, collapse = " "))
    run$out
  }
  expect_identical(joined("--on", "port", "--on", "read_at"), joined("--on", "port,read_at"))
  expect_identical(
    joined("--on", "port", "--on", "read_at", "--take", "wind=knots", "--take=at=read_at"),
    joined("--on", "port,read_at", "--take", "wind=knots,at=read_at")
  )
  two <- joined("--relate", "read_at<=read_at", "--relate", "port!=port", "--max-rows", "1e7")
  expect_identical(length(two) - 1L, nrow(join_frames(frames[[1L]], frames[[2L]],
    on = list(relate("read_at", "<="), relate("port", "!=")), max_rows = 1e7
  )))
  refused <- function(text, ...) {
    run <- run_cli("join", ...)
    expect_identical(run$code, 2L)
    expect_match(run$err[1L], text)
  }
  files <- c("ports.csv", "closures.csv", "--on", "port")
  refused("--rows is given twice", files, "--rows", "left", "--rows", "inner")
  refused("--quiet takes no value", files, "--quiet=yes")
  refused("stdin can be read once", "-", "-", "--on", "port")
  refused("--cross is given twice", files, "--cross", "--cross")
  refused("--nearest is given more than once", files, "--nearest", "port=port",
    "--nearest", "port=port"
  )
})

test_that("a conversion that R would write is an option here, quoted for the shell", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(c("the id,n", "1,2"), "a.csv")
  writeLines(c("the id,m", "x1,2"), "b.csv")
  run <- run_cli("join", "a.csv", "b.csv", "--on", "the id")
  expect_identical(run$code, 1L)
  advice <- sub(".*Write: ", "", grep("Write:", run$err, value = TRUE))
  expect_identical(advice, "--types 'left.the id=text'")
  expect_identical(run_cli("join", "a.csv", "b.csv", "--on", "the id", "--quiet",
    "--types", "the id=text"
  )$code, 0L)
})

test_that("reports and figures take several files, and a report says how it was made", {
  in_demo_folder()
  page <- function() paste(readLines("p.html", encoding = "UTF-8", warn = FALSE), collapse = "\n")
  three <- c("sailings.csv", "tide_readings.csv", "ports.csv", "--on", "port")
  expect_identical(run_cli("report", three, "--out", "p.html", "--title", "The \"ports\"")$code, 0L)
  expect_match(page(), "<h1>The &quot;ports&quot;</h1>|<h1>The \"ports\"</h1>")
  expect_match(page(), paste("ronda report sailings.csv tide_readings.csv ports.csv --on port",
    "--out p.html --title 'The"
  ), fixed = TRUE)
  expect_true(grepl("Quillon Bay", page(), fixed = TRUE))
  local_reports_without_drawing()
  expect_identical(run_cli("report", three, "--out", "p.html", "--no-rows")$code, 0L)
  expect_false(grepl("Quillon Bay", page(), fixed = TRUE))
  expect_identical(run_cli("report", "sailings.csv", "vessels.csv", "--on", "vessel=code",
    "--no-rows", "--note", "Read this", "--out", "p.html"
  )$code, 0L)
  expect_match(page(), "<p class=\"note\">Read this</p>", fixed = TRUE)
  expect_false(grepl("HAV|Osmere", page()))
  expect_identical(run_cli("plot", three, "--out", "p.png")$code, 0L)
  expect_gt(file.size("p.png"), 10000)
  run <- run_cli("plot", three, "--view", "gaps", "--out", "p.png")
  expect_identical(run$code, 2L)
  expect_match(run$err, "--view speaks of two files, and can't be used with more.", fixed = TRUE)
  run <- run_cli("report", three, "--expect", "one-to-one", "--out", "q.html")
  expect_match(run$err, "--expect speaks of two files", fixed = TRUE)
  expect_false(file.exists("q.html"))
})

test_that("many takes chains, cleaning, corrections, types and expectations by file", {
  in_demo_folder()
  frames <- list(sailings = read_frame("sailings.csv"), vessels = read_frame("vessels.csv"),
    ports = read_frame("ports.csv")
  )
  chain <- "vessels:vessel=code,ports:port"
  files <- paste0(names(frames), ".csv")
  many <- function(...) {
    run <- run_cli("many", files, ..., "--rows", "left", "--quiet", "--out", "out.rds")
    expect_identical(run$code, 0L, label = paste(c(run$err, ...), collapse = " "))
    read_frame("out.rds")
  }
  join <- function(on, ...) join_many(frames, on = on, rows = "left", ...)
  expect_identical(many("--on", chain),
    join(list(vessels = c(vessel = "code"), ports = "port"))
  )
  by_hand <- same("vessel", "code", via = list(
    left = list(c("trim", "lower"), data.frame(from = "xan", to = "gre")),
    right = c("trim", "lower")
  ))
  write_frame(data.frame(from = "xan", to = "gre"), "fixes.csv")
  expect_identical(
    many("--on", chain, "--clean", "vessel=trim,vessel=lower", "--corrections", "fixes.csv"),
    join(list(vessels = by_hand, ports = "port"))
  )
  # (a column that is no key of that file is left alone)
  expect_identical(run_cli("many", files, "--on", chain, "--clean", "km=trim")$code, 2L)
  expect_identical(
    many("--on", chain, "--types", "vessels.seats=text,ports.berths=number")$seats,
    as.character(join(list(vessels = c(vessel = "code"), ports = "port"))$seats)
  )
  run <- run_cli("many", files, "--on", chain, "--rows", "left", "--expect",
    "ports:left-complete,vessels:left-complete"
  )
  expect_identical(run$code, 3L)
  expect_match(run$err[1L], "every row of .sailings. to have a partner, but 6 have none")
  expect_identical(run_cli("many", files, "--on", chain, "--rows", "left", "--quiet", "--expect",
    "ports:left-complete,vessels:left_matched=0.9"
  )$code, 0L)
  for (wrong in c("vessels:vessel=code", "vesels:vessel=code,ports:port",
    "sailings:port,vessels:vessel=code,ports:port")) {
    expect_identical(run_cli("many", files, "--on", wrong)$code, 2L)
  }
})

test_that("the command line adds and folds the stretch that two periods share", {
  in_demo_folder()
  ask <- function(...) {
    run <- ronda("join", "bookings.csv", "closures.csv", "--on", "port", "--overlap",
      "booked_from..booked_to=closed_from..closed_to", "--shared", "from,to,length", "--out",
      "made.csv", ...
    )
    expect_identical(run$status, 0L)
    read_frame("made.csv")
  }
  expect_equal(sum(ask("--rows", "inner")$length), 38700)
  expect_equal(sum(ask("--fold", "closed=sum(length)")$closed, na.rm = TRUE), 38700)
})

test_that("the command line names several columns, and once", {
  in_demo_folder()
  write_frame(data.frame(k = 1, a = c(1, 1), id = 1:2), "left.csv")
  write_frame(data.frame(k = 1, p = c(5, 5, 4), q = c(2, 1, 9), no = 1:3), "right.csv")
  ask <- function(repeats) {
    run <- ronda("join", "left.csv", "right.csv", "--on", "k", "--repeats", repeats,
      "--out", "x.csv"
    )
    expect_identical(run$status, 0L)
    as.integer(read_frame("x.csv")$no)
  }
  expect_identical(ask("highest:p"), c(1L, 1L))
  expect_identical(ask("lowest:p,q"), c(3L, 3L))
  expect_identical(ask("once:lowest:q,p"), c(2L, 1L))
})
