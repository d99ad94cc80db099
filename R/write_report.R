#' Write the account of a pairing as one web page
#'
#' One HTML file that needs nothing else. It opens with a verdict in numbers and with what
#' to do next, as code that has been tried; then come unmatched rows by reason and by
#' key with their near misses, where columns of one name disagree, the keys that repeat
#' most, the first rows of the result, where asked for the partners folded, figures,
#' columns with their types, and how to repeat it. Tables can be sorted and copied; the
#' page follows a light or dark screen, and prints.
#'
#' @param pairing `[ronda_pairing]` What [pair_rows()] gives.
#' @param file `[character(1)]` The file to write; its name ends in `.html`.
#' @param fold `[list]` Formulas as in [build_frame()]: the page shows the first rows of
#'   the folded frame, too.
#' @param rows `[logical(1)]` FALSE: the page shows no cell of the data, as for personal
#'   data: counts, names and types of columns, and the code alone.
#' @param title,note `[character(1)]` A title in place of the finding, and a paragraph
#'   below it.
#' @param frames,on As in [join_many()]; `on` of [same()] rules alone.
#' @return `file`, invisibly. It is there whole or not at all.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, a package
#'   is missing (ggplot2 and htmltools are needed), `fold` is no list of
#'   formulas, `rows` no flag, or `title` or `note` no text;
#'   `ronda_error_file` when the file can't be written.
#' @seealso [plot.ronda_pairing()] for single figures; a pairing in a knitr document
#'   prints as tables: `vignette("reports-and-command-line")`.
#' @examples
#' file <- tempfile(fileext = ".html")
#' write_report(pair_rows(sailings, vessels, on = c(vessel = "code")), file)
#' write_many_report(list(sailings = sailings, tides = tide_readings, ports = ports),
#'   on = "port", file
#' )
#' @export
write_report <- function(pairing, file, fold = NULL, rows = TRUE, title = NULL, note = NULL) {
  call <- quote(write_report())
  check_pairing(pairing, call)
  check_report(file, rows, title, note, call)
  folded <- if (!is.null(fold)) folded_for_report(pairing, fold, call)
  if (!rows) folded <- NULL
  write_page(report_of(pairing, rows, fold, folded, NULL, call), file, title, note, call)
}

#' @rdname write_report
#' @export
write_many_report <- function(frames, on, file, rows = TRUE, title = NULL, note = NULL) {
  call <- quote(write_many_report())
  frames <- named_by_call(frames, substitute(frames))
  check_frames(frames, call)
  if (missing(on)) stop_no_shared_on(frames, call)
  check_report(file, rows, title, note, call)
  write_page(many_report_of(frames, on, rows, NULL, call), file, title, note, call)
}

check_report <- function(file, rows, title, note, call) {
  check_name(file, "file", call)
  check_flag(rows, "rows", call)
  if (!is.null(title)) check_text(title, "title", call)
  if (!is.null(note)) check_text(note, "note", call)
  if (!grepl("[.]html?$", file)) {
    stop_file("A report is a web page: the name %s must end in .html.", file,
      call
    )
  }
  target_of(file, call)
  need_packages(c("ggplot2", "htmltools"), "A report", call)
}

# `content`: list(title, lead, sections, foot), the last a function of the time taken
write_page <- function(content, file, title, note, call) {
  if (!is.null(title)) content$heading <- title
  bytes <- charToRaw(enc2utf8(report_page(content, note)))
  write_whole(file, call, function(k, part) {
    writeBin(bytes, part)
    check_end(part, bytes)
  })
  invisible(file)
}
