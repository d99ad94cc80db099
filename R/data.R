#' The demo data: a ferry line that does not exist
#'
#' Two days of a made-up ferry line, small enough to read, with every trouble
#' of the job in it: keys named differently, a vessel nobody sails and sailings
#' of an unknown vessel, missing keys, stray case and blanks, keys that repeat
#' on one side and on both, columns of one name with two meanings, readings at
#' other minutes than the departures, an interval that ends before it starts,
#' and dates that came as text. Also as csv in
#' `system.file("extdata", package = "ronda")`.
#'
#' All date-times are in UTC, distances in kilometres.
#'
#' @format Data frames:
#' \describe{
#'   \item{`sailings`}{60 rows: `sailing` (integer, unique), `vessel` (text; its
#'     code), `port` and `to` (text), `departs` (date-time), `km` (double),
#'     `status` (text), `passengers` (integer; missing when cancelled).}
#'   \item{`vessels`}{9 rows: `code` (text, unique), `name`, `status` (text),
#'     `seats` (integer), `max_car_m` (double; the longest car in metres).}
#'   \item{`ports`}{6 rows: `port` (text, unique), `island`, `berths`
#'     (integer), `km_from_ambrel` (double).}
#'   \item{`tide_readings`}{481 rows: `port`, `read_at` (date-time), `height`
#'     (double; metres). Two readings came in twice.}
#'   \item{`wind_readings`}{170 rows: `port`, `read_at` (date-time), `knots`.}
#'   \item{`crew_shifts`}{31 rows: `vessel`, `starts`, `ends` (date-times),
#'     `crew`. The shifts of a day overlap by half an hour.}
#'   \item{`fare_bands`}{5 rows: `from_km`, `to_km` (double; the last has no
#'     end), `band`, `fare`.}
#'   \item{`bookings`}{40 berth bookings: `booking` (text, unique), `port`,
#'     `vessel`, `booked_from`, `booked_to` (date-times), `made_on` (text, a
#'     date as day.month.year).}
#'   \item{`closures`}{4 rows: `port`, `closed_from`, `closed_to` (date-times),
#'     `reason`.}
#'   \item{`card_holders`}{8 rows: `card` (integer, unique), `name`, `home_port`,
#'     `season` (text; what is paid for).}
#'   \item{`boardings`}{14 rows: `boarding` (integer, unique), `boarded_at` (date-time),
#'     `card` (integer; missing where the reader failed), `name` (text; written down
#'     where it did).}
#'   \item{`timetable_old`, `timetable_new`}{10 and 11 rows, two versions of one table:
#'     `trip` (text, unique), `port`, `to`, `departs` (text, hours and minutes), `berth`
#'     (integer), `minutes` (double).}
#' }
#' @source Made up by `data-raw/ferry.R`.
#' @seealso `vignette("a-first-join")`.
#' @examples
#' head(sailings, 3)
#' @name ferry
#' @aliases sailings vessels ports tide_readings wind_readings crew_shifts
#'   fare_bands bookings closures card_holders boardings timetable_old timetable_new
#' @docType data
#' @keywords datasets
NULL
