# Makes the demo data: a ferry line that does not exist. Run from the package
# root with `Rscript data-raw/ferry.R`; writes data/*.rda and inst/extdata/*.csv.
# Every trouble of the job is in it on purpose; each is marked below.

set.seed(3105)

at <- function(day, minutes) {
  as.POSIXct("2031-05-05", tz = "UTC") + (day - 1) * 86400 + minutes * 60
}

ports <- data.frame(
  port = c("Ambrel", "Tarnwick", "Osmere", "Quillon Bay", "Saltholt", "Velness"),
  island = c("Main", "Main", "Osm", "Quill", "Quill", "Vel"),
  berths = c(4L, 3L, 2L, 2L, 1L, 1L),
  km_from_ambrel = c(0, 14.5, 22, 31.5, 38, 57)
)

vessels <- data.frame(
  code = c("ALD", "BRI", "CYR", "DOV", "ELM", "FLO", "GRE", "HAV", "IVO"),
  name = c(
    "Aldermaid", "Bright Oar", "Cyrene's Wake", "Dovetail", "Elmsong",
    "Flotsam", "Grey Heron", "Havenward", "Ivory Tern"
  ),
  # a column that sailings have too, with another meaning
  status = c(
    "in service", "in service", "in service", "in service", "in service",
    "in service", "in service", "in service", "laid up"
  ),
  seats = c(220L, 180L, 240L, 120L, 120L, 90L, 300L, 60L, 150L),
  max_car_m = c(5.4, 5.4, 6, 4.8, 4.8, NA, 6.5, NA, 5.4)
)

# Sailings ----------------------------------------------------------------

n <- 60
from <- sample(ports$port[1:5], n, TRUE)
to <- vapply(from, function(port) sample(setdiff(ports$port, port), 1), "")
km <- abs(
  ports$km_from_ambrel[match(to, ports$port)] -
    ports$km_from_ambrel[match(from, ports$port)]
)
departs <- sort(c(
  at(1, sample(seq(375, 1230, 5), n / 2)),
  at(2, sample(seq(375, 1230, 5), n / 2))
))
vessel <- sample(vessels$code[1:8], n, TRUE) # IVO: a vessel nobody sails
vessel[c(9, 41)] <- NA                       # missing keys
vessel[c(17, 52)] <- "XAN"                   # a vessel that isn't listed
vessel[23] <- "gre"                          # stray case
vessel[35] <- "CYR "                         # a stray blank
sailings <- data.frame(
  sailing = 1000L + seq_len(n), vessel = vessel, port = from, to = unname(to),
  departs = departs, km = km,
  status = sample(c("sailed", "delayed", "cancelled"), n, TRUE, c(8, 3, 1)),
  passengers = as.integer(round(runif(n, 5, 55)))
)
sailings$passengers[sailings$status == "cancelled"] <- NA

# Readings: at other minutes than the departures ---------------------------

readings <- function(port, every, jitter) {
  minutes <- c(
    seq(300, 1260, every), 1440 + seq(300, 1260, every)
  ) + sample(-jitter:jitter, 2 * length(seq(300, 1260, every)), TRUE)
  data.frame(port = port, read_at = at(1, minutes))
}
tide_readings <- do.call(rbind, lapply(ports$port[1:5], readings, 20, 4))
hours <- as.numeric(tide_readings$read_at) / 3600
tide_readings$height <- round(2.1 + 1.6 * sin(hours * 2 * pi / 12.4) +
  rnorm(nrow(tide_readings), sd = 0.05), 2)
# an outage: the gauge of Osmere fell silent for most of a morning
silent <- tide_readings$port == "Osmere" &
  tide_readings$read_at > at(1, 420) & tide_readings$read_at < at(1, 660)
tide_readings <- tide_readings[!silent, ]
# readings that came in twice
tide_readings <- tide_readings[sort(c(seq_len(nrow(tide_readings)), 30, 200)), ]

wind_readings <- do.call(rbind, lapply(ports$port[1:5], readings, 60, 9))
wind_readings$knots <- round(pmax(0, rnorm(nrow(wind_readings), 14, 5)), 1)

# Shifts, bands, bookings, closures ----------------------------------------

shifts <- expand.grid(half = 1:2, day = 1:2, vessel = vessels$code[1:8])
crew_shifts <- data.frame(
  vessel = as.character(shifts$vessel),
  starts = at(shifts$day, ifelse(shifts$half == 1, 330, 780)),
  # the shifts of a day overlap by half an hour
  ends = at(shifts$day, ifelse(shifts$half == 1, 810, 1290)),
  crew = paste("crew", sample(LETTERS[1:6], nrow(shifts), TRUE))
)
# nobody was on shift on this half day
crew_shifts <- crew_shifts[-11, ]

fare_bands <- data.frame(
  from_km = c(0, 10, 20, 35, 50), to_km = c(10, 20, 35, 50, NA),
  band = c("hop", "short", "middle", "long", "far"),
  fare = c(4.5, 7, 10.5, 14, 19)
)

m <- 40
booked_from <- at(sample(1:2, m, TRUE), sample(seq(330, 1200, 15), m, TRUE))
bookings <- data.frame(
  booking = sprintf("B%04d", sample(1000:9999, m)),
  port = sample(ports$port, m, TRUE),
  vessel = sample(vessels$code, m, TRUE),
  booked_from = booked_from,
  booked_to = booked_from + 60 * sample(seq(30, 180, 15), m, TRUE),
  # a date that came as text
  made_on = format(as.Date("2031-04-20") + sample(0:14, m, TRUE), "%d.%m.%Y")
)
bookings$booked_to[7] <- bookings$booked_from[7] - 1800 # ends before it starts

closures <- data.frame(
  port = c("Ambrel", "Tarnwick", "Osmere", "Velness"),
  closed_from = at(c(1, 2, 1, 2), c(600, 480, 840, 330)),
  closed_to = at(c(1, 2, 1, 2), c(720, 660, 930, 1290)),
  reason = c("dredging", "berth repair", "fog", "regatta")
)

# Cards and timetables -------------------------------------------------------

card_holders <- data.frame(
  card = c(4101L, 4102L, 4105L, 4108L, 4111L, 4112L, 4120L, 4123L),
  name = c(
    "Ida Merrow", "Tom Aske", "Runa Holt", "Per Lindqvarn", "Edda Brook", "Jon Falk",
    "Mira Stane", "Oskar Wold"
  ),
  home_port = c(
    "Ambrel", "Osmere", "Osmere", "Tarnwick", "Ambrel", "Velness", "Saltholt", "Tarnwick"
  ),
  season = c("year", "year", "summer", "year", "month", "summer", "year", "month")
)

# the reader failed on some cards, and the name was written down instead
boardings <- data.frame(
  boarding = 1:14,
  boarded_at = at(1, c(
    395, 400, 402, 455, 460, 495, 498, 525, 580, 585, 640, 655, 700, 720
  )),
  card = c(
    4101L, NA, 4105L, 4108L, NA, 4112L, 4199L, 4101L, NA, 4120L, NA, 4123L, 4102L, NA
  ),
  name = c(
    NA, "Tom Aske", NA, NA, "Edda Brook", NA, "Jon Falk", NA, "Ida Merrow", "M. Stane",
    "Nora Vik", NA, NA, NA
  )
)

timetable_old <- data.frame(
  trip = c("A1", "A2", "A3", "B1", "B2", "B3", "C1", "C2", "D1", "D2"),
  port = c(
    "Ambrel", "Ambrel", "Ambrel", "Tarnwick", "Tarnwick", "Tarnwick", "Osmere", "Osmere",
    "Quillon Bay", "Quillon Bay"
  ),
  to = c(
    "Tarnwick", "Osmere", "Velness", "Ambrel", "Osmere", "Saltholt", "Ambrel", "Tarnwick",
    "Ambrel", "Osmere"
  ),
  departs = c(
    "06:45", "08:20", "10:05", "07:10", "09:30", "12:15", "07:50", "11:05", "08:50", "13:40"
  ),
  berth = c(1L, 2L, 4L, 1L, 3L, NA, 1L, 2L, 2L, 1L),
  minutes = c(35, 50, 125, 35, 25, 60, 50, 25, 75, 30)
)
# a trip fewer, two more, other times and berths, in another order
timetable_new <- timetable_old[c(10, 1:5, 7:9), ]
timetable_new$departs[timetable_new$trip %in% c("A2", "C1")] <- c("08:30", "08:05")
timetable_new$berth[timetable_new$trip == "B2"] <- 2L
timetable_new$berth[timetable_new$trip == "D2"] <- NA
timetable_new$minutes[timetable_new$trip == "A3"] <- 120
timetable_new <- rbind(timetable_new, data.frame(
  trip = c("A4", "E1"), port = c("Ambrel", "Velness"), to = c("Velness", "Ambrel"),
  departs = c("17:30", "20:10"), berth = c(4L, 1L), minutes = c(120, 120)
))

# Written -----------------------------------------------------------------

demo <- list(
  sailings = sailings, vessels = vessels, ports = ports,
  tide_readings = tide_readings, wind_readings = wind_readings,
  crew_shifts = crew_shifts, fare_bands = fare_bands, bookings = bookings,
  closures = closures, card_holders = card_holders, boardings = boardings,
  timetable_old = timetable_old, timetable_new = timetable_new
)
dir.create("data", showWarnings = FALSE)
dir.create("inst/extdata", recursive = TRUE, showWarnings = FALSE)
for (name in names(demo)) {
  frame <- demo[[name]]
  row.names(frame) <- NULL
  assign(name, frame)
  save(
    list = name, file = file.path("data", paste0(name, ".rda")), version = 2,
    compress = "xz"
  )
  readr::write_csv(frame, file.path("inst/extdata", paste0(name, ".csv")))
}
