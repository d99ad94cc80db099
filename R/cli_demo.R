# The example of `ronda demo`: the job in order, on the demo data.

demo_steps <- list(
  list(
    title = "Each sailing with its vessel",
    name = "sailings_with_vessels",
    code = 'join_frames(sailings, vessels, on = c(vessel = "code"),
  take = c(ship = "name", "seats"))'
  ),
  list(
    title = "Which sailings found no vessel?",
    name = "sailings_without_vessel", rows = 6L,
    code = 'join_frames(sailings, vessels, on = c(vessel = "code"),
  rows = "anti")'
  ),
  list(
    title = "Stray case and blanks cleaned, for matching only",
    name = "sailings_and_vessels",
    code = 'join_frames(sailings, vessels,
  on = same("vessel", "code", via = c("trim", "lower")),
  rows = "full", take = c(ship = "name"), origin = "found_in")'
  ),
  list(
    title = "Mistyped codes, corrected by a table that can be read and edited first",
    name = "sailings_still_without_vessel",
    code = 'misses <- near_misses(pair_rows(sailings, vessels, on = c(vessel = "code")))
fixes <- corrections(misses[misses$sureness >= 0.9, ])
join_frames(sailings, vessels, rows = "anti",
  on = same("vessel", "code", via = list(left = fixes)))'
  ),
  list(
    title = "The list of vessels, updated from a newer one",
    name = "vessels_updated",
    code = 'newer <- data.frame(code = c("GRE", "NOV"), seats = c(180L, 90L))
join_frames(vessels, newer, on = "code", rows = "full", collisions = "update")'
  ),
  list(
    title = "What must hold is said, and a join that fails it is refused",
    code = 'join_frames(sailings, vessels, on = c(vessel = "code"),
  expect = c("many-to-one", "left-complete"))'
  ),
  list(
    title = "The latest tide reading at the port, at most 15 minutes old",
    name = "sailings_with_tide",
    code = 'join_frames(sailings, tide_readings, take = "height", on = list("port",
  nearest("departs", "read_at", within = "15 mins", gap = "age")))'
  ),
  list(
    title = "The wind reading nearest to departure, before or after",
    name = "sailings_with_wind",
    code = 'join_frames(sailings, wind_readings, on = list("port",
  nearest("departs", "read_at", look = "either")))'
  ),
  list(
    title = "The tide at departure, between the readings before and after it",
    name = "tide_at_departure",
    code = 'join_frames(sailings, tide_readings, on = list("port",
  nearest("departs", "read_at", look = "both", within = "1 hour")),
  fold = list(readings = ~ nrow(right), height = ~ interpolated(right$height)))'
  ),
  list(
    title = "The crew on shift at departure; the later shift where two are",
    name = "sailings_with_crew",
    code = 'join_frames(sailings, crew_shifts, repeats = "last",
  on = list("vessel", inside("departs", "starts", "ends")), take = "crew")'
  ),
  list(
    title = "The fare of each distance; the last band has no end",
    name = "sailings_with_fares",
    code = 'join_frames(sailings, fare_bands, take = c("band", "fare"),
  on = inside("km", "from_km", "to_km", open_ended = TRUE))'
  ),
  list(
    title = "Bookings that overlap a closure of their port",
    name = "bookings_in_closures", rows = 5L,
    code = 'join_frames(bookings, closures, rows = "inner", take = "reason",
  on = list("port", overlap("booked_from", "booked_to",
    "closed_from", "closed_to")))'
  ),
  list(
    title = "How long each booking meets a closure, in minutes",
    name = "closed_by_booking", rows = 5L,
    code = 'join_frames(bookings, closures, rows = "inner", on = list("port",
  overlap("booked_from", "booked_to", "closed_from", "closed_to",
    shared = c("from", "to", "length"))),
  fold = list(minutes = ~ sum(as.numeric(right$length)) / 60))'
  ),
  list(
    title = "The last three tide readings before departure",
    name = "last_three_tides", rows = 6L,
    code = 'join_frames(sailings, tide_readings, rows = "inner", take = "height",
  on = list("port", nearest("departs", "read_at", n = 3, gap = "age")))'
  ),
  list(
    title = "One row for each vessel: its trips and kilometres",
    name = "trips_by_vessel",
    code = 'join_frames(vessels, sailings, on = c(code = "vessel"), fold = list(
  trips = ~ nrow(right), km = ~ sum(right$km), first = ~ min(right$departs)))'
  ),
  list(
    title = "The mean wind in the hour before departure",
    name = "wind_before_departure",
    code = 'join_frames(sailings, wind_readings, on = list("port",
  around("departs", "read_at", before = "1 hour")),
  fold = list(readings = ~ nrow(right), knots = ~ mean(right$knots)))'
  ),
  list(
    title = "By card, and by name where the card is missing or unknown",
    name = "boardings_with_holders", rows = 7L,
    code = 'join_frames(boardings, card_holders, take = "season",
  on = in_turn("card", "name", step = "by"))'
  ),
  list(
    title = "Two versions of a timetable compared",
    code = 'differences(pair_rows(timetable_old, timetable_new, on = "trip"))'
  ),
  list(
    title = "Several frames at once: traffic by port",
    name = "traffic_by_port", rows = 6L,
    code = 'traffic <- list(
  sailings = aggregate(list(sailings = sailings$sailing),
    sailings["port"], length),
  bookings = aggregate(list(bookings = bookings$booking),
    bookings["port"], length),
  ports = ports[c("port", "berths")]
)
join_many(traffic, on = "port", origin = "found_in")'
  )
)

run_demo <- function(folder) {
  say(c(
    "A ferry line, made up: 60 sailings, 9 vessels, 6 ports. Lines stay short:",
    paste("of the sailings only", listed(demo_columns, "and"), "are used.")
  ))
  place <- environment_of_demo()
  results <- in_r(lapply(seq_along(demo_steps), function(k) {
    show_step(k, demo_steps[[k]], place)
  }))
  names(results) <- vapply(demo_steps, function(step) {
    if (is.null(step$name)) "" else step$name
  }, "")
  write_demo(results[nzchar(names(results))], folder)
  say()
  files <- sort(list.files(folder))
  kinds <- c(csv = "results as csv and parquet", png = "figures", html = "reports")
  say("In ", folder, ":")
  for (kind in names(kinds)) {
    names <- files[tools::file_ext(files) == kind]
    say(strwrap(paste0(kinds[[kind]], ": ",
      paste(tools::file_path_sans_ext(names), collapse = ", ")
    ), 76, indent = 2L, exdent = 4L))
  }
  say("Open ", file.path(folder, "report.html"), " first. To try next:")
  extdata <- system.file("extdata", package = "ronda")
  say(
    "  ronda join ", file.path(extdata, "sailings.csv"), " \\\n    ",
    file.path(extdata, "vessels.csv"), " \\\n    ",
    "--on vessel=code --rows unmatched"
  )
}

say <- function(...) cat(paste0(...), sep = "\n")

# Shows the code as it is written, and what comes back
show_step <- function(number, step, place) {
  say()
  say(number, ". ", step$title)
  lines <- strsplit(step$code, "\n", fixed = TRUE)[[1L]]
  say(paste0(ifelse(grepl("^[ )]", lines), "+ ", "> "), lines))
  value <- tryCatch(
    eval(parse(text = step$code, keep.source = FALSE), place),
    ronda_error = function(e) {
      say("Error: ", conditionMessage(e))
    }
  )
  if (is.data.frame(value)) {
    print_head(value, if (is.null(step$rows)) 4L else step$rows)
    say("  ", c(receipt_line_of(last_receipt()), last_receipt()$notes))
  } else if (inherits(value, "ronda_differences")) {
    print(value)
  }
  value
}

# the demo frames, beside what the package itself has
environment_of_demo <- function() {
  list2env(demo_frames(), parent = environment(run_demo))
}

demo_columns <- c("sailing", "vessel", "port", "departs", "km")

demo_frames <- function() {
  names <- c(
    "sailings", "vessels", "ports", "tide_readings", "wind_readings",
    "crew_shifts", "fare_bands", "bookings", "closures", "boardings", "card_holders",
    "timetable_old", "timetable_new"
  )
  frames <- lapply(names, getExportedValue, ns = "ronda")
  names(frames) <- names
  frames$sailings <- frames$sailings[demo_columns]
  frames$boardings <- frames$boardings[c("boarding", "card", "name")]
  frames$bookings <- frames$bookings[setdiff(names(frames$bookings), "made_on")]
  frames
}

receipt_line_of <- function(receipt) {
  if (inherits(receipt, "ronda_receipt_many")) {
    many_line(receipt)
  } else {
    line_of_receipt(receipt)
  }
}

print_head <- function(value, rows) {
  print(utils::head(value, rows))
  if (nrow(value) > rows) say("  ... ", nrow(value) - rows, " more rows")
}

write_demo <- function(results, folder) {
  names <- names(results)
  write_frames(structure(results,
    names = file.path(folder, paste0(names, ".csv"))
  ), NULL)
  if (requireNamespace("nanoparquet", quietly = TRUE)) {
    write_frames(structure(results,
      names = file.path(folder, paste0(names, ".parquet"))
    ), NULL)
  }
  demo <- demo_frames()
  pairing <- pair_rows(demo$sailings, demo$vessels,
    on = c(vessel = "code"), sides = c("sailings", "vessels")
  )
  tides <- pair_rows(demo$sailings, demo$tide_readings,
    on = list("port", nearest("departs", "read_at", within = "15 mins")),
    sides = c("sailings", "tide_readings")
  )
  many <- c("sailings", "tide_readings", "ports")
  figures <- list(
    overlap = plot_overlap(pairing), join_types = plot_join_types(pairing),
    reasons = plot_reasons(pairing), repeats = plot_repeats(pairing),
    timeline = plot_timeline(tides), gaps = plot_gaps(tides),
    folds = plot_folds(pair_rows(demo$sailings, demo$wind_readings,
      on = list("port", around("departs", "read_at", before = "6 hours")),
      sides = c("sailings", "wind_readings"), expect = "rows-multiply"
    )),
    periods = plot_periods(pair_rows(demo$sailings, demo$crew_shifts,
      on = list("vessel", inside("departs", "starts", "ends")),
      sides = c("sailings", "crew_shifts")
    )),
    neighbours = plot_timeline(pair_rows(demo$sailings, demo$tide_readings,
      on = list("port", nearest("departs", "read_at", look = "both", within = "1 hour")),
      sides = c("sailings", "tide_readings")
    )),
    stretches = plot_timeline(pair_rows(demo$bookings, demo$closures,
      on = list("port", overlap("booked_from", "booked_to", "closed_from", "closed_to")),
      sides = c("bookings", "closures")
    )),
    differences = plot_differences(pair_rows(demo$timetable_old, demo$timetable_new,
      on = "trip", sides = c("timetable_old", "timetable_new")
    )),
    "shared-keys" = plot_many(demo[many], on = "port"), "rows-guide" = plot_rows_guide()
  )
  for (name in names(figures)) {
    save_figure(figures[[name]], file.path(folder, paste0(name, ".png")))
  }
  write_report(tides, file.path(folder, "report.html"))
  write_review(pairing, file.path(folder, "review.html"))
  write_many_report(demo[many], on = "port", file.path(folder, "report-many.html"))
}

# The example on the demo data: each step is shown as an analyst would write
# it, with what comes back; results go to files.
cli_demo <- function(files, options) {
  folder <- if (is.null(options$out)) "demo-output" else options$out
  make_folder(folder)
  old <- options(width = 78, digits = 4, ronda.receipt = FALSE)
  on.exit(options(old))
  run_demo(folder)
}

register_command("demo", cli_demo, character(),
  "Run the example on the demo data.", attaches = TRUE,
  options = function() {
    in_group("Output", list(cli_option("out",
      "The folder to write to (default: demo-output)", "FOLDER", is_file = TRUE
    )))
  },
  examples = c("ronda demo", "ronda demo --out demo-output")
)
