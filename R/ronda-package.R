#' Join data frames and see what happened
#'
#' A join is four decisions: which rows pair, which rows stay, which columns
#' come under what names, and what must hold. [join_frames()] takes all four;
#' [pair_rows()] makes the first one, a pairing, and [build_frame()] builds
#' frames from it. `vignette("a-first-join")` begins at the beginning;
#' `vignette(package = "ronda")` lists all guides.
#'
#' @section By task:
#' \describe{
#'   \item{Join}{[join_frames()]: the whole call. [pair_rows()] and [build_frame()]: its two
#'     halves. [split_frames()]: matched, left alone, right alone. [join_many()]: two to
#'     dozens of frames.}
#'   \item{Rules for `on`}{[same()]: equal, with `via` for matching only. [nearest()]: the
#'     closest in time or number. [around()]: a window. [inside()], [covers()], [overlap()]:
#'     intervals. [relate()]: a comparison. [cross()]: every combination. [in_turn()]: keys
#'     tried one after the other. [highest()], [lowest()]: for `repeats`.}
#'   \item{Look before}{[diagnose()]: what is wrong with a join, and the call that works.
#'     [suggest_keys()]: which columns could be the key. [key_account()], [repeated_keys()]:
#'     is this one? [clean_text()]: what words of `via` do, for a column of your own.
#'     [row_labels()]: row names as a column.}
#'   \item{See what happened}{[summary()][summary.ronda_pairing] and printing of a pairing.
#'     [receipt()], [last_receipt()], [receipt_json()]: counts. [explain_row()]: one row, rule
#'     by rule. [near_misses()], [corrections()]: unmatched keys beside their likely partner.
#'     [differences()]: where columns of one name disagree. [ledger()], [with_ledger()]: every
#'     join of the session; [follow()]: where a value went.}
#'   \item{Figures and reports}{[plot()][plot.ronda_pairing] with `view`, or
#'     [plot_overlap()], [plot_join_types()], [plot_reasons()], [plot_repeats()],
#'     [plot_folds()], [plot_timeline()], [plot_gaps()], [plot_periods()],
#'     [plot_differences()]; [plot_many()];
#'     [plot_rows_guide()]. [write_report()], [write_many_report()]; [write_review()].}
#'   \item{Files and the command line}{[read_frame()], [write_frame()]; [frame_files()],
#'     [join_files()] and [join_many_files()] for frames larger than memory; [ronda_cli()].}
#'   \item{Words and conditions}{[ronda_terms]: every word in one sentence.
#'     [ronda_conditions]: errors and warnings, their causes and cures. One sheet, `docs/sheet.pdf`
#'     of the sources, has the four decisions, all rules and options.}
#'   \item{Demo data}{[sailings] and the other frames of a made-up ferry line.}
#' }
#'
#' @section Options:
#' \describe{
#'   \item{`ronda.receipt`}{TRUE: each join prints its receipt in one line.
#'     Default: in interactive use.}
#'   \item{`ronda.progress`}{TRUE: joins that take long say which stage they
#'     are in. Default: in interactive use.}
#'   \item{`ronda.max_rows`}{The default of `max_rows` in [join_frames()].}
#'   \item{`ronda.threads`}{How many threads may work. Default: as many as the
#'     machine has, at most eight.}
#'   \item{`ronda.deferred`}{FALSE: gather every column at once. Default: from
#'     100,000 pairs and four right columns on, inner and left joins in left
#'     order gather right columns when something first asks for all of their
#'     values. Until then such a column keeps the right frame's column and the
#'     row numbers, together at most twice what it will take.}
#' }
#' @keywords internal
#' @useDynLib ronda, .registration = TRUE
#' @importFrom Rcpp evalCpp
"_PACKAGE"

# Demo data --------------------------------------------------------------------------

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
