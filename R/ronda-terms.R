#' Terms: every word in one sentence
#'
#' The words of help pages, messages and reports. Each means one thing everywhere.
#'
#' @section Rows and keys:
#' \describe{
#'   \item{left, right}{The two frames of a join, in the order in which they are given; in
#'     messages by their own names where these are known.}
#'   \item{key}{A column, or several together, whose values must be equal for two rows to pair.}
#'   \item{missing key}{A key of which a part is missing; it equals nothing unless
#'     `missing_keys = "match"`.}
#'   \item{rule}{What must hold for two rows to pair: equal keys, near values, intervals, a
#'     comparison; several rules all must hold.}
#'   \item{candidate}{A left and a right row for which all rules and `where` hold, before
#'     `repeats` chooses among them.}
#'   \item{pair}{A candidate that counts: all of them, or those that `repeats` chose.}
#'   \item{partner}{The other row of a pair.}
#'   \item{matched, unmatched}{A row with at least one partner, and a row with none.}
#'   \item{passed over}{A row that had a candidate but got no pair, as `repeats` chose others.}
#'   \item{pairing}{What [pair_rows()] gives: which rows pair, to look at and to build from.}
#'   \item{key shape}{How often keys repeat among matched rows: one-to-one, one-to-many,
#'     many-to-one (each left row has one partner) or many-to-many.}
#'   \item{growth}{Rows of a left join per left row.}
#' }
#' @section Frames that come of it:
#' \describe{
#'   \item{inner, left, right, full, semi, anti, unmatched}{Which rows stay, see [join_frames()]
#'     and [plot_rows_guide()].}
#'   \item{collision}{A column that both frames have and that is not a key; `collisions` says
#'     what becomes of it.}
#'   \item{absent}{A side that a row of the result doesn't have, as the right one of an
#'     unmatched left row; `if_absent` gives a value in its place.}
#'   \item{fold}{To make one value of all partners of a row, so that left rows are not
#'     multiplied.}
#'   \item{window}{All right rows within a distance of the left row, see [around()].}
#'   \item{gap}{How far a partner is; in figures of periods, time without a period.}
#'   \item{interval, period}{From a value to another, in two columns; of time it is called a
#'     period. `ends` says which ends belong to it.}
#'   \item{stretch}{The time, or other axis, in which both intervals of a pair hold.}
#'   \item{origin}{A column that says which frame a row comes from: left, right or paired.}
#' }
#' @section Looking at it:
#' \describe{
#'   \item{receipt}{The counts of one join: rows in, matched, unmatched, pairs, rows out.}
#'   \item{ledger}{One line for each join of the session.}
#'   \item{status}{The finding in one line, the worst first.}
#'   \item{reason}{Why a row has no partner; each unmatched row has one.}
#'   \item{step}{A change of the call that was tried, and how many more rows it matches.}
#'   \item{near miss}{An unmatched key beside a key of the other frame that it nearly equals.}
#'   \item{sureness}{How likely a near miss is what was meant, 0 to 1, by how near the other
#'     frame's own keys lie to each other.}
#'   \item{correction}{A value and what to read it as: a line of `from` and `to`.}
#'   \item{cleaning, conversion}{What `via` does to keys for matching only: words such as `"trim"`,
#'     or a function that makes one type of another. Columns stay as they are.}
#'   \item{expectation}{What must hold for a join to be made, as `expect` says.}
#' }
#' @section Files:
#' \describe{
#'   \item{part}{The rows of both sides whose keys fall together when a join of files is cut.}
#'   \item{task}{One part, or a piece of it, joined by one worker.}
#'   \item{work folder}{Where a join of files keeps what it has done, until it is whole.}
#' }
#' @seealso [join_frames()] for the arguments, [ronda_conditions] for errors and warnings;
#'   `vignette("a-first-join")`.
#' @examples
#' # candidates and pairs: HAV has four shifts, one of which is chosen
#' trip <- sailings[1, ]
#' pair_rows(trip, crew_shifts, on = "vessel", repeats = "last")
#' @name ronda_terms
#' @aliases candidate
NULL

#' Errors and warnings, their causes and cures
#'
#' Every error inherits `ronda_error` and one of the classes below; every warning inherits
#' `ronda_warning`. The message names the frame, column and value, and says what to write
#' instead; an error comes before anything large is made, and no file is left half written.
#'
#' @section Errors:
#' \describe{
#'   \item{`ronda_error_argument`}{An argument is not what its help says, such as a misspelt word.
#'     Cure: the message lists what it takes, and the word that was probably meant.}
#'   \item{`ronda_error_key`}{`on` is missing, or names a column that a frame doesn't have.
#'     Cure: the message lists the columns; `suggest_keys(left, right)` finds keys.}
#'   \item{`ronda_error_type`}{Columns of types that can't match, such as text and number, or a
#'     value that a column can't hold. Cure: the message has the conversion, as `via`.}
#'   \item{`ronda_error_collision`}{A new column has a name that is taken, or columns that
#'     should agree don't. Cure: another name, or another word of `collisions`.}
#'   \item{`ronda_error_expectation`}{What `expect`, `missing_keys = "stop"` or
#'     `repeats = "stop"` demands doesn't hold. All failures are in one message. Cure:
#'     look at the rows that the condition carries (`left_rows`, `right_rows`, `keys`), or expect
#'     what is so.}
#'   \item{`ronda_error_too_many_rows`}{The result would have more rows than `max_rows`, or
#'     than there is memory for. Cure: a key more, `repeats`, `fold`, or a larger `max_rows`.}
#'   \item{`ronda_error_file`}{A file isn't there, can't be read as what its name says, or
#'     can't be written. Cure: the message has the line, and what to set.}
#' }
#' @section Warnings:
#' \describe{
#'   \item{`ronda_warning_rows_multiply`}{Keys repeat on both sides, so their rows are multiplied.
#'     Cure: a key more, `repeats` or `fold`; or `expect = "rows-multiply"` where it is meant.}
#'   \item{`ronda_warning_no_pairs`}{Both frames have keys, and none is equal. Cure:
#'     `diagnose(left, right)`; or `expect = "may-be-empty"` where it is meant.}
#'   \item{`ronda_warning_fold`}{`min()` or `max()` in `fold` of partners without a value gives an
#'     infinite one. Cure: `if_absent`, or leave such rows out by `where`.}
#'   \item{`ronda_warning_file`}{A file was read or written with something that should be known.
#'     Cure: the message has the line, and what to set.}
#' }
#' @seealso [ronda_terms] for the words; `vignette("when-it-goes-wrong")` and
#'   `vignette("joins-in-packages")` for how to catch them.
#' @examples
#' failed <- tryCatch(
#'   join_frames(sailings, vessels, on = c(vessel = "code"), expect = "left-complete"),
#'   ronda_error_expectation = function(e) e
#' )
#' cat(conditionMessage(failed))
#' failed$left_rows
#' @name ronda_conditions
NULL
